"""At the field: the craft and pack in hand, the timer to set and why, who waits for the charger."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.disagreement import Disagreement
from zesty_cell.core.learn.flights import LoggedFlight
from zesty_cell.core.learn.learned import Learned
from zesty_cell.core.learn.threshold import Landing, ThresholdStep, next_threshold
from zesty_cell.core.learn.timer import NextTimer
from zesty_cell.services.advice import Advice, advise, not_known
from zesty_cell.services.learning import KnownFlight, disagreement_of
from zesty_cell.services.plans import PlanNow, plan_now
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.services.to_fly import PackChoice, ToFly
from zesty_cell.services.trials import NextRun, next_run
from zesty_cell.store import flights
from zesty_cell.store.tables import CraftRow, FlightRow, PackRow, SheetRow
from zesty_cell.words.calls import CallRow, call_rows


@dataclass(frozen=True)
class Waiting:
    """A pack that waits for the charger, with its last flight, and those before it since it was charged."""

    row: FlightRow
    flight: LoggedFlight
    before: tuple[LoggedFlight, ...]


class InHand:
    """The craft and pack in hand: as asked for, else as flown last."""

    def __init__(self, session: Session, *, craft_id: int = 0, pack_id: int = 0, as_it_is: bool = False) -> None:
        self.session, self.as_it_is = session, as_it_is
        self.to_fly = ToFly(session)
        self.last = self.to_fly.last
        asked = craft_id or (self.last[0].craft_id if self.last else 0)
        self.craft: CraftRow | None = next((c for c in self.crafts if c.id == asked), None)
        if self.craft is None and self.crafts:
            self.craft = self.crafts[0]
        self.pack = self._pack(pack_id)
        self.trouble: Words = ""

    @property
    def crafts(self) -> list[CraftRow]:
        """Crafts to choose from."""
        return self.to_fly.crafts

    @cached_property
    def packs(self) -> list[PackChoice]:
        """Packs to choose from."""
        return [] if self.craft is None else self.to_fly.packs_of(self.craft)

    @property
    def choice(self) -> PackChoice | None:
        """The pack in hand, with where it stands."""
        return next((c for c in self.packs if self.pack is not None and c.row.id == self.pack.id), None)

    @property
    def charge_first(self) -> bool:
        """Whether the pack in hand is to be charged before it is flown, and nothing else was asked for."""
        return self.choice is not None and self.choice.part and not self.as_it_is

    def _pack(self, pack_id: int) -> PackRow | None:
        asked = next((c.row for c in self.packs if c.row.id == pack_id), None)
        return asked or (self.packs[0].row if self.packs else None)

    @cached_property
    def sheet_row(self) -> SheetRow | None:
        """The sheet that tells of this craft with this type of pack."""
        if self.craft is None or self.pack is None or self.choice is None or not self.choice.told:
            return None
        return sheet_for(self.session, craft_id=self.craft.id, pack=self.pack)

    @cached_property
    def test_run(self) -> NextRun | None:
        """The run that a flight with this pack would be, of a test of this craft."""
        if self.craft is None or self.pack is None:
            return None
        return next_run(self.session, self.craft.id, pack=self.pack)

    @cached_property
    def advice(self) -> Advice | None:
        """What to fly by; None where the sheet cannot be flown, with ``trouble`` saying why."""
        if self.pack is None or self.sheet_row is None:
            return None
        choice = self.choice
        try:
            if choice is not None and choice.part and self.as_it_is:
                if choice.charge is None:
                    self.trouble = not_known(self.pack.name)
                    return None
                return advise(self.session, self.sheet_row, pack=self.pack, charge=choice.charge)
            return advise(self.session, self.sheet_row, pack=self.pack)
        except OutOfRangeError as error:
            self.trouble = error.why
            return None

    @property
    def sheet(self) -> Sheet | None:
        """The sheet with the very pack in hand."""
        return None if self.advice is None else self.advice.sheet

    @property
    def result(self) -> Forecast | None:
        """Its forecast."""
        return None if self.advice is None else self.advice.result

    @property
    def timer(self) -> NextTimer | None:
        """The timer to set."""
        return None if self.advice is None else self.advice.timer

    @property
    def told(self) -> tuple[KnownFlight, ...]:
        """Flights of this craft, type of pack and pattern whose charge is known, the oldest first."""
        return () if self.advice is None else self.advice.told

    @property
    def learned(self) -> Learned | None:
        """What the flights taught about craft and packs; None where too few were charged."""
        return None if self.advice is None else self.advice.learned

    @property
    def capacity_ah(self) -> float:
        """What the pack in hand is believed to hold [Ah]."""
        assert self.result is not None  # noqa: S101 - asked for only with a forecast
        return self.result.setup.figures.capacity_ah

    @property
    def rates(self) -> list[tuple[float, float]]:
        """How long each flight was, and the share of its pack's charge it used [s, 1]."""
        return [(t.flight.duration_s, used) for t, used in zip(self.told, self._used, strict=True)]

    @property
    def _used(self) -> list[float]:
        """Share that each flight used of what its very pack is believed to hold [1]."""
        if self.learned is None:
            return [t.used.share for t in self.told]
        return [t.used_ah / self.learned.capacity_ah(t.pack_key) for t in self.told]

    @property
    def landing_used(self) -> float:
        """Share of the charge used at the landing point [1]."""
        assert self.result is not None  # noqa: S101 - asked for only with a forecast
        return self.result.at_landing.used_ah / self.capacity_ah

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
        share = used_ah / self.learned.capacity_ah(str(self.pack.id))
        return share, share * math.exp(-1.96 * sigma), share * math.exp(1.96 * sigma)

    @cached_property
    def now(self) -> PlanNow | None:
        """The plan the craft is flown with, and what of it is out of date."""
        if self.advice is None or self.sheet_row is None:
            return None
        return plan_now(self.session, self.sheet_row, self.advice)

    @cached_property
    def calls(self) -> list[CallRow]:
        """What the transmitter says besides the timer: as the plan has it; with a pack not full as it should be."""
        if self.now is None or self.pack is None:
            return []
        plan = self.now.written if self.as_it_is else self.now.plan
        return [row for row in call_rows(plan, series=self.pack.series) if row.role != "timer"]

    @cached_property
    def land_now_v(self) -> float | None:
        """Where “land now” speaks as a voltage alone [V a cell]; None where it does not."""
        if self.now is None or self.pack is None:
            return None
        for rule in self.now.plan.rules:
            if rule.on and rule.role == "land_now" and len(rule.conditions) == 1:
                value = self.now.plan.calls_below_v(rule, series=self.pack.series)
                if value is not None:
                    return value
        return None

    @cached_property
    def threshold(self) -> ThresholdStep | None:
        """The next “land now”, where landings by it left something else than was asked."""
        speaks = self.land_now_v
        if self.result is None or speaks is None:
            return None
        landings = [Landing(t.flight, 1.0 - used) for t, used in zip(self.told, self._used, strict=True)]
        return next_threshold(landings, result=self.result, kept=1.0 - self.landing_used, cell_v=speaks)

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
