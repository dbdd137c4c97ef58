"""What the field page shows: the craft and pack in hand, the timer to set and why, who waits for the charger."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from sqlalchemy.orm import Session

from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.schools import FIRST_SCHOOL, write_plan
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.forecast import Forecast
from zesty_cell.core.keeping import charge_now
from zesty_cell.core.learn.correction import Learned
from zesty_cell.core.learn.disagreement import Disagreement
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.threshold import ThresholdStep, next_threshold
from zesty_cell.core.learn.timer import NextTimer, next_timer
from zesty_cell.core.sheet import Sheet, corrected
from zesty_cell.store import callouts, flights, sheets
from zesty_cell.store.hangar import PACKS, keeping_of
from zesty_cell.store.tables import CraftRow, FlightRow, PackRow, SheetRow
from zesty_cell.web.callouts.desk import flown
from zesty_cell.web.learning import Told, disagreement_of, learned_from, taught_of, told

#: A pack with this much in it counts as charged [1].
CHARGED = 0.95


@dataclass(frozen=True)
class PackChoice:
    """A pack that could be flown now."""

    row: PackRow
    charge: float | None

    @property
    def charged(self) -> bool:
        """Full, as far as is known."""
        return self.charge is not None and self.charge >= CHARGED


@dataclass(frozen=True)
class Waiting:
    """A pack that waits for the charger, with its last flight, and those before it since it was charged."""

    row: FlightRow
    flight: LoggedFlight
    before: tuple[LoggedFlight, ...]


class FieldDesk:
    """The craft and pack in hand: as asked for, else as flown last."""

    def __init__(self, session: Session, *, craft_id: int = 0, pack_id: int = 0) -> None:
        self.session = session
        self.last = flights.newest(session, 1)
        self.sheets = sorted(sheets.all_sheets(session), key=lambda r: r.updated_at, reverse=True)
        asked = craft_id or (self.last[0].craft_id if self.last else 0)
        self.craft: CraftRow | None = next((c for c in self.crafts if c.id == asked), None)
        if self.craft is None and self.crafts:
            self.craft = self.crafts[0]
        self.pack = self._pack(pack_id)
        self.trouble = ""

    @cached_property
    def crafts(self) -> list[CraftRow]:
        """Crafts with a sheet, the one changed or flown last first."""
        found = {r.craft_id: r.craft for r in self.sheets if r.craft.standing != "retired"}
        if self.last and self.last[0].craft_id in found:
            first = self.last[0].craft_id
            found = {first: found[first]} | found
        return list(found.values())

    @cached_property
    def packs(self) -> list[PackChoice]:
        """Own packs of the types this craft has sheets for, charged ones first."""
        if self.craft is None:
            return []
        types = {r.pack.type_name for r in self.sheets if r.craft_id == self.craft.id}
        found = [
            PackChoice(row, charge_now(pack=PACKS.thing(row), keeping=keeping_of(row)))
            for row in PACKS.all(self.session)
            if row.type_name in types and row.standing == "own"
        ]
        # What was flown last comes first: its type is in the bag and on the transmitter.
        last = flights.newest_of_craft(self.session, self.craft.id, 1)
        first = last[0].pack.type_name if last else ""
        return sorted(found, key=lambda c: (not c.charged, c.row.type_name != first, -(c.charge or 0.0)))

    def _pack(self, pack_id: int) -> PackRow | None:
        asked = next((c.row for c in self.packs if c.row.id == pack_id), None)
        return asked or (self.packs[0].row if self.packs else None)

    @cached_property
    def sheet_row(self) -> SheetRow | None:
        """The sheet that tells of this craft with this type of pack, the one changed last."""
        if self.craft is None or self.pack is None:
            return None
        own = [r for r in self.sheets if r.craft_id == self.craft.id]
        return next((r for r in own if r.pack.type_name == self.pack.type_name), own[0] if own else None)

    @cached_property
    def sheet(self) -> Sheet | None:
        """That sheet with the very pack in hand."""
        if self.sheet_row is None or self.pack is None:
            return None
        return sheets.as_sheet(self.sheet_row).model_copy(update={"pack": PACKS.thing(self.pack)})

    @cached_property
    def result(self) -> Forecast | None:
        """Its forecast; None where it cannot be flown, with ``trouble`` saying why."""
        if self.sheet is None or self.pack is None or self.sheet_row is None:
            return None
        taught = None
        if self.sheet_row.from_log:
            craft_id = self.sheet_row.craft_id
            taught = (
                self.learned.taught(str(self.pack.id))
                if self.learned is not None
                else taught_of(self.session, self.sheet, craft_id=craft_id, pack=self.pack)
            )
        try:
            return flown(corrected(self.sheet, taught))
        except OutOfRangeError as error:
            self.trouble = str(error)
            return None

    @cached_property
    def told(self) -> list[Told]:
        """Flights of this craft, type of pack and pattern whose charge is known, the oldest first."""
        if self.craft is None or self.pack is None or self.sheet is None:
            return []
        return told(
            self.session,
            craft_id=self.craft.id,
            type_name=self.pack.type_name,
            pattern=self.sheet.flying.name,
        )

    @property
    def rates(self) -> list[tuple[float, float]]:
        """How long each was, and the share of the charge it used [s, 1]."""
        return [(t.flight.duration_s, t.used.share) for t in self.told]

    @property
    def landing_used(self) -> float:
        """Share of the charge at which the landing rule lands [1]."""
        assert self.result is not None  # noqa: S101 - asked for only with a forecast
        kept = self.result.setup.sheet.landing.charge_kept
        return 1.0 - kept if kept is not None else self.result.brief.used_ah / self.result.setup.figures.capacity_ah

    @cached_property
    def timer(self) -> NextTimer | None:
        """The timer to set."""
        if self.result is None:
            return None
        return next_timer(
            flights=self.rates,
            landing_used=self.landing_used,
            forecast_s=self.result.callouts.timers.timer_s,
            home_s=self.result.setup.home_s,
        )

    @cached_property
    def learned(self) -> Learned | None:
        """What the flights taught about craft and packs; None where too few were charged."""
        return None if self.sheet is None else learned_from(self.told, sheet=self.sheet)

    @cached_property
    def disagreement(self) -> Disagreement | None:
        """Where the flights disagree strongly with the sheet."""
        return None if self.sheet is None else disagreement_of(self.told, sheet=self.sheet)

    @cached_property
    def expects(self) -> tuple[float, float, float] | None:
        """Share of the charge the next flight will use: the middle, and nineteen of twenty either way [1]."""
        if self.learned is None or self.timer is None or self.pack is None or self.sheet is None:
            return None
        used_ah, sigma = self.learned.used(str(self.pack.id), self.timer.down_s)
        share = used_ah / self.sheet.pack.capacity_ah
        return share, share * math.exp(-1.96 * sigma), share * math.exp(1.96 * sigma)

    @cached_property
    def voltages(self) -> list[tuple[str, str, float]]:
        """The calls to set: role, name, volts a cell."""
        if self.result is None or self.sheet_row is None:
            return []
        row = callouts.for_sheet(self.session, self.sheet_row)
        plan: CalloutPlan = callouts.plan_of(row) if row else write_plan(self.result, school=FIRST_SCHOOL).plan
        series = self.result.setup.sheet.pack.series
        found: list[tuple[str, str, float]] = []
        for rule in plan.rules:
            value = plan.calls_below_v(rule, series=series) if rule.on else None
            if value is not None and rule.role in ("pack_low", "land_now"):
                found.append((rule.role, rule.name, value))
        return found[:2]

    @cached_property
    def threshold(self) -> ThresholdStep | None:
        """The next “land now”, where landings by it left something else than was asked."""
        speaks = next((value for role, _, value in self.voltages if role == "land_now"), None)
        if self.result is None or speaks is None:
            return None
        known = [(t.flight, t.used) for t in self.told]
        return next_threshold(known, result=self.result, kept=1.0 - self.landing_used, cell_v=speaks)

    @cached_property
    def waiting(self) -> list[Waiting]:
        """Packs that wait for the charger."""
        return [
            Waiting(rows[-1], flights.flight_of(rows[-1]), tuple(flights.flight_of(r) for r in rows[:-1]))
            for rows in flights.waiting(self.session)
        ]

    @cached_property
    def just_landed(self) -> FlightRow | None:
        """The newest flight, while nothing was told of it."""
        row = self.last[0] if self.last else None
        if row is None or not row.waiting:
            return None
        flight = flights.flight_of(row)
        return row if flight.rest_v_per_cell is None and flight.shown_ah is None else None
