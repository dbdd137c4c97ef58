"""What sheet, plan and log tell of what may be off, without anybody being asked."""

from __future__ import annotations

import math
import statistics
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import Final

from sqlalchemy.orm import Session

from zesty_cell.core.callouts.lint import lint
from zesty_cell.core.callouts.telemetry import has_gaps
from zesty_cell.core.choose.chain import Chain, parts_chain
from zesty_cell.core.errors import ZestyCellError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.faults import told
from zesty_cell.core.flight.honest_current import honest_current
from zesty_cell.core.learn.calibration import Calibration, voltage_now
from zesty_cell.core.learn.flights import LoggedFlight, used_of
from zesty_cell.core.parts.chemistries import chemistry_for
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.formats.errors import FileFormatError
from zesty_cell.services.advice import Advice, advise
from zesty_cell.services.learning import current_sensor
from zesty_cell.services.log_fits import LOGS_LEARNED_FROM, flown_log, read_packed, told_by_logs
from zesty_cell.services.pack_health import healths
from zesty_cell.services.plans import plan_now
from zesty_cell.services.sheet_for import sheet_for
from zesty_cell.store import calibrations, flights, logs
from zesty_cell.store.errors import UnreadableError
from zesty_cell.store.hangar import PACKS
from zesty_cell.store.tables import CraftRow, FlightRow, PackRow, SheetRow

#: The last flights are held against so many before them at least; a craft's newest ones are looked at.
_LAST, _BEFORE, _LOOKED_AT = 2, 4, 40
#: A fit surer than this of a resistance is told of, one standard deviation [1].
_FIT_SURE = 0.15
#: What the lint of a plan says of a reading, as its outcome that is off.
_LINTED: Final = {
    "not_for_this_cell_count": ("cell_count", "wrong"),
    "hold_too_short": ("hold", "too short"),
    "over_the_voltage_at_take_off": ("threshold", "resting voltage"),
    "land_now_cries_wolf": ("threshold", "resting voltage"),
    "under_the_esc_cutoff": ("cutoff", "too high"),
    "lowest_latches": ("sensor", "another"),
}
_IN_ORDER: Final = {"cell_count": "right", "hold": "long enough", "threshold": "loaded voltage"}


@dataclass(frozen=True)
class Known:
    """What is known of a reading without asking: its outcome, and from where."""

    outcome: str
    by: Fact


def _advice(session: Session, sheet: SheetRow | None, pack: PackRow | None) -> Advice | None:
    """What the sheet answers; None where there is none, or it contradicts itself."""
    if sheet is None:
        return None
    try:
        return advise(session, sheet, pack=pack)
    except ZestyCellError:
        return None


def _by_health(session: Session, row: PackRow) -> dict[str, Known]:
    found: dict[str, Known] = {}
    health, pack = healths(session, [row]).get(row.id), PACKS.thing(row)
    if health is None:
        return found
    by = fact("known.health", flights=health.flights)
    figures = pack_figures(pack)
    outcomes: dict[str, str | None] = {}
    if health.capacity:
        now_ah = statistics.fmean(r.value for r in health.capacity[-3:])
        outcomes["capacity"] = told.capacity(min(now_ah / pack.capacity_ah, health.capacity_share or 1.0))
    if health.resistance:
        times = statistics.fmean(r.value for r in health.resistance[-3:]) / figures.cell_resistance_ohm
        outcomes["resistance"] = told.resistance(max(times, health.resistance_ratio or 0.0))
    if health.spread_v is not None:
        outcomes["cells"] = "together" if health.weakest is None else "apart"
    return found | {key: Known(outcome, by) for key, outcome in outcomes.items() if outcome is not None}


def _by_sensors(session: Session, craft: CraftRow) -> dict[str, Known]:
    found: dict[str, Known] = {}
    sensor = current_sensor(session, craft.id)
    outcome = None if sensor.by == "nothing" else told.current_scale(sensor.out, error=sensor.error)
    if outcome is not None:
        by = fact("known.sensor.calibration")
        if sensor.by == "flights":
            by = fact("known.sensor.flights", flights=sensor.flights)
        found["current_scale"] = Known(outcome, by)
    volts = voltage_now(calibrations.of_craft(session, craft.id))
    outcome = None if volts.by == "nothing" else told.voltage_scale(volts.error)
    if outcome is not None:
        found["voltage_scale"] = Known(outcome, fact("known.sensor.calibration"))
    return found


def _a_minute(flight: LoggedFlight, pack: Pack, made: Sequence[Calibration]) -> float | None:
    """Charge a minute of a flight [Ah/min], corrected by calibrations since; None where it is not known."""
    used = used_of(flight, pack=pack, calibrations=made)
    return None if used is None else 60.0 * used.share * pack.capacity_ah / flight.duration_s


def _by_flights(session: Session, craft: CraftRow, pack: PackRow | None) -> dict[str, Known]:
    """What the newest flights say: the air, whether the pack was charged to full, the charge a minute."""
    rows = [r for r in flights.newest_of_craft(session, craft.id, _LOOKED_AT) if not r.set_aside]
    if pack is not None:
        rows = [r for r in rows if r.pack_id == pack.id]
    if not rows:
        return {}
    found: dict[str, Known] = {}
    last = flights.flight_of(rows[0])
    outcome = None if last.air_c is None else told.air(last.air_c)
    if outcome is not None and last.air_c is not None:
        found["air"] = Known(outcome, fact("known.air", air_c=last.air_c))
    before = next((flights.flight_of(r) for r in rows[1:] if r.pack_id == rows[0].pack_id), None)
    if before is not None and before.charged_v_per_cell is not None:
        cell_v = before.charged_v_per_cell
        outcome = told.charged_to(cell_v, chemistry=chemistry_for(flights.pack_of(rows[0]).chemistry))
        if outcome is not None:
            found["charged_to"] = Known(outcome, fact("known.charged", cell_v=cell_v))
    return found | _by_rate(rows, calibrations.of_craft(session, craft.id))


def _by_rate(rows: Sequence[FlightRow], made: Sequence[Calibration]) -> dict[str, Known]:
    """Charge a minute of the last flights against those before them with the same pattern and type of pack."""
    alike = [r for r in rows if (r.pattern, r.pack.type_name) == (rows[0].pattern, rows[0].pack.type_name)]
    told_by = ((flights.flight_of(r), flights.pack_of(r)) for r in alike)
    rates = [rate for flight, pack in told_by if (rate := _a_minute(flight, pack, made)) is not None]
    if len(rates) < _LAST + _BEFORE:
        return {}
    earlier = rates[_LAST:]
    times = statistics.fmean(rates[:_LAST]) / statistics.median(earlier)
    outcome = told.power(times)
    # Flights differ from one another: what lies within that says nothing.
    usual = statistics.pstdev(earlier) / statistics.median(earlier)
    if outcome is None or (outcome == "more" and times < 1.0 + usual):
        return {}
    return {"power": Known(outcome, fact("known.power", flights=len(earlier), times=times))}


def _by_telemetry(session: Session, craft: CraftRow, pack: PackRow) -> dict[str, Known]:
    """What the newest log of a flight with this pack says: its gaps, and the resistance that its fit found."""
    found: dict[str, Known] = {}
    by, thing = fact("known.log"), PACKS.thing(pack)
    rows = logs.of_craft_flights(session, craft_id=craft.id, type_name=pack.type_name, most=LOGS_LEARNED_FROM)
    newest = next(((row, flight) for row, flight in rows if flight.pack_id == pack.id), None)
    log = None if newest is None else flown_log(session, *newest)
    if log is None:
        return found
    with suppress(FileFormatError, UnreadableError):
        gaps = has_gaps(read_packed(logs.packed_of(log.row), log.mapping).telemetry)
        found["gaps"] = Known("gaps" if gaps else "none", by)
    for one in told_by_logs(session, craft_id=craft.id, type_name=pack.type_name, of=thing):
        if one.pack == str(pack.id) and one.resistance is not None and one.resistance_sigma <= _FIT_SURE:
            outcome = told.resistance(math.exp(one.resistance))
            if outcome is not None:
                found["resistance"] = Known(outcome, by)
    return found


def _by_plan(session: Session, sheet: SheetRow, advice: Advice) -> dict[str, Known]:
    """What the lint of the callouts that are kept says; nothing where none are."""
    now = plan_now(session, sheet, advice)
    if now.row is None:
        return {}
    by = fact("known.plan", sheet=sheet.name)
    found = {key: Known(outcome, by) for key, outcome in _IN_ORDER.items()}
    for finding in lint(plan=now.plan, result=advice.result):
        if finding.key in _LINTED:
            key, outcome = _LINTED[finding.key]
            found[key] = Known(outcome, by)
    return found


def _by_cutoff(sheet: SheetRow, advice: Advice) -> dict[str, Known]:
    """Whether the sheet's flight reaches the ESC's cutoff; nothing where it is not known."""
    check = next((c for c in advice.result.checks if c.key == "esc_cutoff"), None)
    if check is None or advice.sheet.craft.limits.esc_cutoff_v_per_cell is None:
        return {}
    outcome = {"ok": "low enough", "stop": "too high"}.get(check.status)
    return {} if outcome is None else {"cutoff": Known(outcome, fact("known.chain", sheet=sheet.name))}


def _chain(advice: Advice) -> Chain:
    result = advice.result
    return parts_chain(
        setup=result.setup, flight=result.flight, at_landing=result.at_landing,
        honest=honest_current(result.setup.sheet.pack),
    )  # fmt: skip


def known_of(
    session: Session, *, craft: CraftRow | None, pack: PackRow | None
) -> tuple[dict[str, Known], Chain | None, SheetRow | None]:
    """What sheet, plan and log tell of readings, the chain of the sheet that is flown, and that sheet."""
    if craft is not None and pack is None:
        # What is off showed itself on the last flight, and with its pack.
        pack = next((row.pack for row in flights.newest_of_craft(session, craft.id, 1)), None)
    sheet = None if craft is None else sheet_for(session, craft_id=craft.id, pack=pack)
    if pack is None and sheet is not None:
        pack = sheet.pack
    found: dict[str, Known] = {} if pack is None else _by_health(session, pack)
    chain = None
    if craft is not None:
        found |= _by_sensors(session, craft) | _by_flights(session, craft, pack)
    if craft is not None and pack is not None:
        found |= _by_telemetry(session, craft, pack)
    advice = _advice(session, sheet, pack)
    if advice is not None and sheet is not None:
        chain = _chain(advice)
        outcome = told.chain(chain)
        if outcome is not None:
            found["chain"] = Known(outcome, fact("known.chain", sheet=sheet.name))
        found |= _by_cutoff(sheet, advice) | _by_plan(session, sheet, advice)
    return found, chain, sheet
