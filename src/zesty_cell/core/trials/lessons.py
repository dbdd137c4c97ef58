"""What a decided test teaches the things it was about: a plug its pack, a propeller set its craft."""

from __future__ import annotations

from datetime import datetime

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft, MeasuredCharge, MeasuredPoint, PropellerSet
from zesty_cell.core.parts.own_part import MOST_OHM, OwnPart
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.propellers import set_on
from zesty_cell.core.trials.question import Question, Trial
from zesty_cell.core.trials.verdict import Verdict

#: Measures whose ratio is that of the power drawn.
_POWER = ("charge_a_minute", "charge_a_km")


def teaches(verdict: Verdict, question: Question, /) -> str:
    """What a test can teach: ``plug``, ``lead``, ``propellers``, or nothing.

    Only one that called a difference: what was not seen is not put into anything.
    """
    if verdict.call not in ("more", "less"):
        return ""
    if question.differs in ("plug", "lead") and question.measure == "loaded_v":
        return question.differs
    if question.differs == "propellers" and question.measure in _POWER:
        return question.differs
    return ""


def source_of(trial: Trial, /) -> str:
    """How a figure says that it comes from a test."""
    return f"test “{trial.name}”"[:80]


def part_of_b(trial: Trial, verdict: Verdict, /, *, pack: Pack, at: datetime) -> OwnPart:
    """Side B's plug or lead, from what the voltage under one current differed by: ΔR = −S·ΔV/I.

    Parameters
    ----------
    pack : Pack
        With side A's part on it, as it is in the hangar.
    at : datetime
        Of the last run.

    Raises
    ------
    OutOfRangeError
        Where the part would have to resist less than nothing.
    """
    question = trial.question
    amps, figures = question.at or 0.0, pack_figures(pack)
    was = figures.leads_ohm if question.differs == "lead" else figures.connector_ohm
    change = -pack.series * verdict.difference / amps
    reach = pack.series * (verdict.high - verdict.low) / 2.0 / amps
    if was + change + reach < 0.0 or was + change > MOST_OHM:
        why = fact("trial.lesson.impossible", was_ohm=was, change_ohm=change)
        raise OutOfRangeError(why, field="difference", value=was + change, limit=0.0)
    return OwnPart(
        ohm=max(was + change, 0.0), reach_ohm=min(reach, MOST_OHM), source=source_of(trial), measured_at=at
    )


def with_part(pack: Pack, part: OwnPart, /, *, differs: str) -> Pack:
    """A pack with a measured plug or lead on it."""
    return pack.model_copy(update={"lead" if differs == "lead" else "plug": part})


def set_of_b(trial: Trial, verdict: Verdict, /, *, craft: Craft) -> PropellerSet:
    """Side B's propellers as a set of the craft: side A's with the power that the test found.

    A measured point has the electronics in it, and so has the charge that a test measures: both go by one ratio.

    Raises
    ------
    OutOfRangeError
        Where the craft's steady power was never measured, or so little would be left that it cannot be.
    """
    steady = craft.steady
    if craft.propellers.casefold() == trial.question.b.casefold():
        why = fact("trial.lesson.b_is_on", craft=craft.name, b=trial.question.b)
        raise OutOfRangeError(why, field="propellers", value=0.0, limit=0.0)
    if not isinstance(steady, MeasuredPoint | MeasuredCharge):
        raise OutOfRangeError(
            fact("trial.lesson.unmeasured", craft=craft.name), field="steady", value=0.0, limit=0.0
        )
    ratio = 1.0 + verdict.difference
    amps = steady.current_a if isinstance(steady, MeasuredPoint) else steady.charge_ah * 3600.0 / steady.duration_s
    electronics_a = craft.avionics_w / steady.voltage_v
    drawn_a = ratio * amps
    if drawn_a <= electronics_a:
        why = fact("trial.lesson.nothing_left", craft=craft.name)
        raise OutOfRangeError(why, field="difference", value=ratio, limit=electronics_a / amps)
    change = (
        {"current_a": drawn_a} if isinstance(steady, MeasuredPoint) else {"charge_ah": ratio * steady.charge_ah}
    )
    so = steady.model_copy(update=change)
    return set_on(craft).model_copy(
        update={
            "name": trial.question.b[:80],
            "mass_kg": None,
            "propulsion": None,
            "steady": so,
            "source": source_of(trial),
        }
    )
