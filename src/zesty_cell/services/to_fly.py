"""What could be flown now: crafts, and for each the packs, with where they stand."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from sqlalchemy.orm import Session

from zesty_cell.core.choose.fits import could_fly
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.parts.ownership import charge_now
from zesty_cell.core.parts.pack import Pack
from zesty_cell.store import flights, sheets
from zesty_cell.store.hangar import CRAFTS, PACKS, ownership_of
from zesty_cell.store.tables import CraftRow, PackRow

#: A pack with this much in it counts as charged [1].
CHARGED = 0.95


@dataclass(frozen=True)
class PackChoice:
    """A pack that could be flown now."""

    row: PackRow
    charge: float | None
    flown: bool = False
    #: Whether a sheet of the craft tells of this pack, or of one with the same voltages.
    told: bool = True

    @property
    def charged(self) -> bool:
        """Full, as far as is known."""
        return not self.flown and self.charge is not None and self.charge >= CHARGED

    @property
    def part(self) -> bool:
        """Known not to be full: by its voltage, or because it was flown since it was charged."""
        return self.flown or (self.charge is not None and self.charge < CHARGED)

    @property
    def words(self) -> Fact:
        """Where it stands."""
        if self.charged:
            return fact("pack.charged")
        if self.charge is not None:
            return fact("pack.charge", charge_share=self.charge)
        return fact("pack.flown") if self.flown else fact("pack.charge_unknown")


class ToFly:
    """Crafts and packs to choose from at the field, on one look at the database."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._told: dict[int, list[PackChoice]] = {}
        self.last = flights.newest(session, 1)
        self.sheets = sorted(sheets.all_sheets(session), key=lambda r: r.updated_at, reverse=True)

    @cached_property
    def crafts(self) -> list[CraftRow]:
        """Crafts with a sheet, the one changed or flown last first; then those that could have one with a pack."""
        found = {r.craft_id: r.craft for r in self.sheets if r.craft.standing != "retired"}
        for row in CRAFTS.all(self.session):
            if row.id not in found and row.standing == "own" and self._could_fly(row):
                found[row.id] = row
        if self.last and self.last[0].craft_id in found:
            first = self.last[0].craft_id
            found = {first: found[first]} | found
        return list(found.values())

    @cached_property
    def _own_packs(self) -> list[PackRow]:
        return [row for row in PACKS.all(self.session) if row.standing == "own"]

    def _could_fly(self, craft_row: CraftRow) -> list[PackRow]:
        """Own packs that a craft could be flown with, whether there is a sheet for them or not."""
        craft = CRAFTS.thing(craft_row)
        return [row for row in self._own_packs if could_fly(craft, self._things[row.id])]

    @cached_property
    def _things(self) -> dict[int, Pack]:
        """Own packs as the core has them, each read once."""
        return {row.id: PACKS.thing(row) for row in self._own_packs}

    @cached_property
    def _charges(self) -> dict[int, float | None]:
        """State of charge of own packs by their last rest voltage [1]."""
        things = self._things
        return {r.id: charge_now(pack=things[r.id], ownership=ownership_of(r)) for r in self._own_packs}

    @cached_property
    def flown_packs(self) -> set[int]:
        """Packs that were flown and not charged since."""
        return {rows[0].pack_id for rows in flights.waiting(self.session)}

    def packs_told(self, craft: CraftRow) -> list[PackChoice]:
        """Those of :meth:`packs_of` that a sheet tells of."""
        if craft.id not in self._told:
            self._told[craft.id] = self._choices(craft, set())
        return self._told[craft.id]

    def packs_of(self, craft: CraftRow) -> list[PackChoice]:
        """Own packs of the types a craft has sheets for, and others alike; charged ones first; then all that it
        could be flown with, once they have a sheet.

        A pack of another type is alike where it has the chemistry and the cells in series of one with a sheet: the
        voltages to set are the same, and the sheet is flown with the very pack.
        """
        return self._choices(craft, {r.id for r in self._could_fly(craft)})

    def _choices(self, craft: CraftRow, others: set[int]) -> list[PackChoice]:
        with_sheet = [r.pack for r in self.sheets if r.craft_id == craft.id]
        types, alike = {p.type_name for p in with_sheet}, {(p.chemistry, p.series) for p in with_sheet}
        told = {r.id for r in self._own_packs if r.type_name in types or (r.chemistry, r.series) in alike}
        found = [
            PackChoice(
                row,
                self._charges[row.id],
                row.id in self.flown_packs,
                row.id in told,
            )
            for row in self._own_packs
            if row.id in told | others
        ]
        # What was flown last comes first: its type is in the bag and on the transmitter.
        last = flights.newest_of_craft(self.session, craft.id, 1)
        first = last[0].pack.type_name if last else ""
        return sorted(
            found,
            key=lambda c: (
                not c.told, not c.charged, c.row.type_name != first, c.row.type_name not in types,
                -(c.charge or 0.0),
            ),
        )  # fmt: skip
