"""What a thrust run on the bench measures of a test's question."""

from __future__ import annotations

from collections.abc import Sequence

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import fact
from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.thrust import ThrustStep, checked_steps, hover_on
from zesty_cell.core.trials.measures import MeasureKey
from zesty_cell.core.trials.question import Question

#: What a thrust stand can be asked.
THRUST_MEASURES: tuple[MeasureKey, ...] = ("thrust", "grams_a_watt")


def value_of_steps(
    steps: Sequence[ThrustStep], /, *, question: Question, craft: Craft, all_up_kg: float, on_bench: int
) -> float:
    """What a thrust run measured [kg of all that was on the bench, or g/W].

    Thrust is that of the strongest step.  Thrust a watt is that of the hover where the craft lifts itself, since
    there it flies; of any other craft that of the strongest step.

    Parameters
    ----------
    all_up_kg : float
        Ready to fly [kg].
    on_bench : int
        Motors on the bench [1].

    Raises
    ------
    OutOfRangeError
        When the steps are none of one run, the hover lies outside of them, or a stand does not tell what is asked.
    """
    ordered = checked_steps(steps)
    if question.measure == "thrust":
        return ordered[-1].thrust_kg
    if question.measure != "grams_a_watt":
        raise OutOfRangeError(fact("refused.thrust.not_asked"), field="steps", value=0.0, limit=0.0)
    if not craft.lifts_itself():
        return ordered[-1].grams_a_watt
    hover = hover_on(ordered, craft=craft, all_up_kg=all_up_kg, motors=craft.limits.motor_count, on_bench=on_bench)
    if hover.beyond:
        need_kg = hover.motor_kg * on_bench
        why = fact(
            "refused.thrust.no_hover", need_kg=need_kg, low_kg=ordered[0].thrust_kg, high_kg=ordered[-1].thrust_kg
        )
        raise OutOfRangeError(why, field="steps", value=need_kg, limit=ordered[-1].thrust_kg)
    return hover.grams_a_watt
