"""The numbers that leave the page, from one place: the flight as the log corrects it, and the timer to set now.

Sheet, card, field and callouts all ask here, so that they cannot differ.
"""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass

from sqlalchemy.orm import Session

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.core.asked.learned_factors import LearnedFactors
from zesty_cell.core.asked.sheet import CurrentSensor, Sheet, corrected
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.flight.summary import fly_to_landing
from zesty_cell.core.learn.learned import Learned
from zesty_cell.core.learn.timer import NextTimer, TimedFlight, next_timer
from zesty_cell.services.forecasts import flown
from zesty_cell.services.learning import KnownFlight, learned_from, lessons, sensor_of, taught_of
from zesty_cell.store import sheets
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import PackRow, SheetRow


@dataclass(frozen=True)
class Advice:
    """What to fly by.

    Attributes
    ----------
    sheet : Sheet
        With the pack in hand, by itself.
    result : Forecast
        As the sheet is flown: corrected by its flights, unless it is to go by itself.
    told : list of KnownFlight
        Flights of this craft, type of pack and pattern whose charge is known, the oldest first.
    learned : Learned or None
        What they taught.
    timer : NextTimer
    by_itself : bool
        The sheet leaves its flights aside, and its timer does not.
    """

    sheet: Sheet
    result: Forecast
    told: tuple[KnownFlight, ...]
    learned: Learned | None
    timer: NextTimer
    by_itself: bool


def without_log_s(sheet: Sheet, /) -> float | None:
    """When a sheet that its log corrects would land by itself [s]: one flight more; None where no log does."""
    return None if sheet.learned_factors is None else fly_to_landing(set_up(corrected(sheet, None))).landing_s


def _timed(known: tuple[KnownFlight, ...], learned: Learned | None) -> list[TimedFlight]:
    odd = [False] * len(known) if learned is None else learned.odd.tolist()
    return [
        TimedFlight(t.flight.duration_s, t.used_ah, bool(far))
        for t, far in zip(known, odd, strict=True)
        if t.used_ah > 0.0
    ]


def timer_for(known: tuple[KnownFlight, ...], learned: Learned | None, *, result: Forecast) -> NextTimer:
    """The timer to set, for flights and a forecast that is corrected by them [s]."""
    return next_timer(flights=_timed(known, learned), result=result)


def with_charge(sheet: Sheet, charge: float, /) -> Sheet:
    """A sheet that takes off with a part of its charge [1], as a rest voltage tells it.

    Raises
    ------
    OutOfRangeError
        When that is no more than what is kept, or too little to reckon with.
    """
    counted = round(charge - CHARGE_MARGIN, 2)
    kept = sheet.landing.charge_kept or 0.0
    least = max(0.3, kept + 0.05)
    if counted < least:
        raise OutOfRangeError(
            fact("refused.charge.nothing_to_fly_with", pack=sheet.pack.name, charge_share=charge, kept_share=kept),
            field="conditions.start_charge",
            value=charge,
            limit=least,
        )
    conditions = sheet.conditions.model_copy(update={"start_charge": min(counted, 1.0)})
    return sheet.model_copy(update={"conditions": conditions})


@dataclass(frozen=True)
class Typed:
    """A sheet as it is being typed, with the craft and the pack chosen on it."""

    sheet: Sheet
    craft_id: int
    pack: PackRow


#: What a rest voltage tells of the charge before a flight may be out by so much [1]: it is taken off.
CHARGE_MARGIN = 0.05


def not_known(pack: str, /) -> Fact:
    """Why nothing can be said of a pack that was flown and not measured since."""
    return fact("charge.not_known", pack=pack)


def advise(
    session: Session,
    row: SheetRow,
    *,
    pack: PackRow | None = None,
    typed: Typed | None = None,
    charge: float | None = None,
) -> Advice:
    """What to fly by, for a stored sheet with its own pack or another, or as it is being typed.

    With a ``charge`` [1] the pack takes off with what is really in it, less what a rest voltage may be out by.

    A timer is the last guard: it takes what the flights taught into account even where the sheet is to go by
    itself, and then the shorter of both.

    Raises
    ------
    OutOfRangeError
        When the sheet contradicts itself.
    """
    stored = sheets.as_sheet(row)
    if typed is None:
        craft_id, pack = row.craft_id, row.pack if pack is None else pack
        sheet = basis = stored.model_copy(update={"pack": PACKS.thing(pack)})
        if charge is not None:
            sheet = with_charge(sheet, charge)
    else:
        craft_id, pack, sheet = typed.craft_id, typed.pack, typed.sheet
        # Learned on what is stored: a change of air or of the landing rule keeps the factors, so that the live page
        # does not learn anew with every key.
        same = sheet.flying.name == stored.flying.name
        flying = stored.flying if same else sheet.flying
        basis = stored.model_copy(update={"craft": sheet.craft, "pack": sheet.pack, "flying": flying})
    return advice_for(session, sheet, craft_id=craft_id, pack=pack, basis=basis, from_log=row.from_log)


def advice_for(
    session: Session,
    sheet: Sheet,
    *,
    craft_id: int,
    pack: PackRow,
    basis: Sheet | None = None,
    from_log: bool = True,
) -> Advice:
    """What to fly by, for a sheet that need not be stored, of a craft and a pack of the hangar.

    Parameters
    ----------
    basis : Sheet, optional
        That its flights are learned on; itself by default.
    from_log : bool
        Whether it is flown as its flights correct it.

    Raises
    ------
    OutOfRangeError
        When the sheet contradicts itself.
    """
    taught = taught_for(session, sheet if basis is None else basis, craft_id=craft_id, pack=pack)
    return _advised(sheet, taught, from_log=from_log)


@dataclass(frozen=True)
class Taught:
    """What a sheet is flown by besides itself: what the flights of its craft, pack and pattern taught."""

    known: tuple[KnownFlight, ...]
    learned: Learned | None
    factors: LearnedFactors | None
    sensor: CurrentSensor | None


def taught_for(session: Session, basis: Sheet, *, craft_id: int, pack: PackRow) -> Taught:
    """What the flights taught that a sheet is learned on."""
    of = lessons(session, basis, craft_id=craft_id, pack=pack)
    learned = learned_from(of, sheet=basis)
    factors = (
        learned.learned_factors(str(pack.id))
        if learned is not None
        else taught_of(session, basis, craft_id=craft_id, pack=pack)
    )
    return Taught(of.known, learned, factors, sensor_of(session, craft_id))


def _advised(sheet: Sheet, taught: Taught, *, from_log: bool) -> Advice:
    known, learned = taught.known, taught.learned
    by_log = flown(corrected(sheet, taught.factors, sensor=taught.sensor))
    by_itself = not from_log and taught.factors is not None
    result = flown(corrected(sheet, None, sensor=taught.sensor)) if by_itself else by_log
    timer = timer_for(known, learned, result=by_log)
    if result is not by_log:
        timer = min(timer, timer_for(known, learned, result=result), key=lambda t: t.timer_s)
    return Advice(sheet, result, known, learned, timer, by_itself=result is not by_log)


class AdviceByCharge:
    """:func:`advise` for one stored sheet and pack at many charges: what the flights taught is looked up once."""

    def __init__(self, session: Session, row: SheetRow, *, pack: PackRow) -> None:
        self._row = row
        self._sheet = sheets.as_sheet(row).model_copy(update={"pack": PACKS.thing(pack)})
        self._taught = taught_for(session, self._sheet, craft_id=row.craft_id, pack=pack)

    @property
    def alike(self) -> Hashable:
        """What the answers rest on, but for the pack's name: two packs of one make and age fly alike."""
        pack = self._sheet.pack.model_copy(update={"name": "-"})
        taught = self._taught
        flown_so = tuple(sorted((k.flight.landed_at, k.used_ah) for k in taught.known))
        return (
            self._row.id,
            self._sheet.model_copy(update={"pack": pack}),
            taught.factors,
            taught.sensor,
            flown_so,
        )

    def at(self, charge: float | None) -> Advice:
        """With so much charge [1]; as the sheet has it by default.

        Raises
        ------
        OutOfRangeError
            When that is too little, or the sheet contradicts itself.
        """
        sheet = self._sheet if charge is None else with_charge(self._sheet, charge)
        return _advised(sheet, self._taught, from_log=self._row.from_log)
