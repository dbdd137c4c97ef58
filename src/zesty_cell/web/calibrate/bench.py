"""What a calibration starts from: the craft, the pack, the sheet that tells of both, what was kept before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from pydantic import ValidationError
from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Words
from zesty_cell.core.learn.calibration import Calibration, Kind, SensorNow, voltage_now
from zesty_cell.core.parts.chemistry import Chemistry
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.services.forecasts import flown
from zesty_cell.services.learning import corrected_sheet, current_sensor
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import calibrations, flights, sheets
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import CraftRow, PackRow
from zesty_cell.web.http.forms import words_of


@dataclass
class Made:
    """What became of a form: a calibration to keep, what to show of it, or what is wrong, by field."""

    calibration: Calibration | None = None
    shown: dict[str, Any] = field(default_factory=dict)
    errors: dict[str, Words] = field(default_factory=dict)


class Bench:
    """The craft and pack on the bench: as asked for, else the ones flown last."""

    def __init__(self, session: Session, *, craft_id: int = 0, pack_id: int = 0) -> None:
        self.session = session
        last = flights.newest(session, 1)
        self.crafts = [row for row in CRAFTS.all(session) if row.standing != "retired"]
        asked = craft_id or (last[0].craft_id if last else 0)
        self.craft: CraftRow | None = next((r for r in self.crafts if r.id == asked), None)
        if self.craft is None and self.crafts:
            self.craft = self.crafts[0]
        self.packs = [row for row in PACKS.all(session) if row.standing != "retired"]
        self.pack_row: PackRow | None = next((r for r in self.packs if r.id == pack_id), None)
        if self.pack_row is None:
            self.pack_row = self._own_pack()

    def _own_pack(self) -> PackRow | None:
        """The pack the craft flew last, else the one of its sheet, else any."""
        if self.craft is not None:
            last = flights.newest_of_craft(self.session, self.craft.id, 1)
            if last:
                return last[0].pack
            own = [r for r in sheets.all_sheets(self.session) if r.craft_id == self.craft.id]
            if own:
                return own[0].pack
        return self.packs[0] if self.packs else None

    @property
    def pack(self) -> Pack:
        """The pack on the bench; the pages ask for one first."""
        assert self.pack_row is not None  # noqa: S101
        return PACKS.thing(self.pack_row)

    @property
    def chemistry(self) -> Chemistry:
        """Of that pack."""
        return cells_of(self.pack)

    @cached_property
    def kept(self) -> list[Calibration]:
        """What was kept of this craft, the oldest first."""
        return [] if self.craft is None else calibrations.of_craft(self.session, self.craft.id)

    def last(self, kind: Kind) -> Calibration | None:
        """The newest kept of a kind."""
        of = [c for c in self.kept if c.kind == kind]
        return of[-1] if of else None

    @cached_property
    def forecast(self) -> Forecast | None:
        """Of the newest sheet of this craft with this type of pack; None without one that flies."""
        if self.craft is None or self.pack_row is None:
            return None
        row = sheet_for(self.session, craft_id=self.craft.id, pack=self.pack_row)
        if row is None or row.pack.type_name != self.pack_row.type_name:
            return None
        try:
            return flown(corrected_sheet(self.session, row, pack=self.pack_row))
        except OutOfRangeError:
            return None

    @cached_property
    def current(self) -> SensorNow:
        """How far out the craft's current sensor is now."""
        assert self.craft is not None  # noqa: S101
        return current_sensor(self.session, self.craft.id)

    @cached_property
    def voltage(self) -> SensorNow:
        """How far out its voltage sensor is now."""
        return voltage_now(self.kept)


def weighed(doubts: Sequence[Doubt], form: Mapping[str, str], made: Made) -> bool:
    """Refuse what cannot be; ask back what hardly can, until the pilot has looked again."""
    for doubt in doubts:
        if doubt.impossible or form.get("second_look") != "1":
            made.errors.setdefault(doubt.field, doubt.why)
    made.shown["ask_again"] = bool(doubts) and not any(d.impossible for d in doubts)
    return not made.errors


def refused(error: ValidationError, made: Made, fields: frozenset[str], first: str) -> Made:
    for problem in error.errors(include_url=False, include_input=False):
        name = str(problem["loc"][0]) if problem["loc"] else first
        made.errors.setdefault(name if name in fields else first, words_of(problem))
    return made
