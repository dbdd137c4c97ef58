"""A plan and a verdict as findings."""

from __future__ import annotations

import math

from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.trials.effort import hours_of
from zesty_cell.core.trials.looks import FIRST_LOOK
from zesty_cell.core.trials.measures import MEASURES, Measure
from zesty_cell.core.trials.power import Needed
from zesty_cell.core.trials.question import Question, TrialPlan
from zesty_cell.core.trials.scatter import Scatter
from zesty_cell.core.trials.verdict import Verdict


def by(value: float, /, *, measure: Measure) -> Fact:
    """So much more, or less: a share [1], or in the measure's unit."""
    way, size = ("more" if value >= 0.0 else "less"), abs(value)
    if measure.ratio:
        return fact(f"trial.by.{way}", by_share=size)
    return fact(f"trial.by.{way}_v", by_v=size) if measure.unit == "v" else fact(f"trial.by.{way}_k", by_k=size)


def span(low: float, high: float, /, *, measure: Measure) -> Fact:
    """From so much more or less to so much more or less [1, V, K]; the smaller first where both go one
    way."""
    if low < 0.0 <= high or low == high:
        return fact("trial.span.across", low=by(low, measure=measure), high=by(high, measure=measure))
    near, far = sorted((low, high), key=abs)
    return fact("trial.span", near=_plain(abs(near), measure), far=by(far, measure=measure))


def measured(measure: Measure, /) -> Fact:
    """What is measured."""
    return fact(f"trial.measure.{measure.key}")


def mattering(question: Question, /) -> Fact:
    """The difference that matters, the way that is better."""
    measure = MEASURES[question.measure]
    return by(measure.better * question.matters, measure=measure)


def told(verdict: Verdict, /, *, question: Question, plan: TrialPlan) -> tuple[Fact, ...]:
    """What is to be said of a verdict: the call with its interval, then the chance that it matters."""
    measure = MEASURES[question.measure]
    if verdict.pairs < FIRST_LOOK or math.isnan(verdict.low):
        return (fact("trial.call.too_few", pairs=verdict.pairs),)
    figures = {"span": span(verdict.low, verdict.high, measure=measure), "b": question.b}
    measure_of = {"measure": measured(measure)}
    sides = {"a": question.a, "difference": by(verdict.difference, measure=measure)}
    if verdict.call in ("more", "less"):
        first = fact("trial.call.differs", **figures, **measure_of, **sides)
    elif verdict.call == "none":
        first = fact("trial.call.none", **figures, **measure_of, **sides)
    elif verdict.one_order:
        first = fact("trial.call.one_order")
    elif verdict.call == "open":
        first = fact("trial.call.open", **figures, **measure_of)
    else:
        first = fact("trial.call.goes_on", **figures, **measure_of, pairs=verdict.pairs, planned=plan.pairs)
    more_is_better = measure.better > 0
    better, worse = verdict.more_by, verdict.less_by
    if not more_is_better:
        better, worse = worse, better
    if better >= worse:
        chance = fact("trial.chance.better", chance_share=better, matters=mattering(question))
    else:
        against = by(-measure.better * question.matters, measure=measure)
        chance = fact("trial.chance.worse", chance_share=worse, matters=against)
    early = verdict.call in ("more", "less") and verdict.called_at < plan.pairs and verdict.pairs < plan.pairs
    return (first, chance, *((fact("trial.early"),) if early else ()))


def planned(needed: Needed, scatter: Scatter, /, *, question: Question) -> tuple[Fact, ...]:
    """How many pairs answer a question, and what that rests on."""
    measure, matters = MEASURES[question.measure], mattering(question)
    sees = by(measure.better * needed.sees, measure=measure)
    enough = (
        fact("trial.plan.enough", pairs=needed.pairs, matters=matters)
        if needed.enough
        else fact("trial.plan.not_enough", pairs=needed.pairs, matters=matters, sees=sees)
    )
    return enough, scattering(scatter, measure=measure)


def scattering(scatter: Scatter, /, *, measure: Measure) -> Fact:
    """How much one run differs from its like, and how that is known."""
    size = _plain(scatter.sigma, measure)
    if scatter.seen:
        return fact("trial.plan.scatter.log", scatter=size, seen=scatter.seen)
    return fact("trial.plan.scatter.prior", scatter=size)


def planned_for(plan: TrialPlan, /, *, question: Question) -> Fact:
    """What a plan was made for."""
    size = _plain(plan.scatter, MEASURES[question.measure])
    return fact("trial.plan.made_for", pairs=plan.pairs, matters=mattering(question), scatter=size)


def _plain(size: float, measure: Measure) -> Fact:
    """A size without a way."""
    if measure.ratio:
        return fact("trial.size", by_share=size)
    return fact("trial.size_v", by_v=size) if measure.unit == "v" else fact("trial.size_k", by_k=size)


def fewer(pairs: int, /, *, sees: float, power: float, question: Question) -> Fact:
    """What so many pairs could see: ``sees`` nine times in ten, and what matters with a chance of ``power`` [1]."""
    measure = MEASURES[question.measure]
    return fact(
        "trial.plan.fewer",
        pairs=pairs,
        sees=by(measure.better * sees, measure=measure),
        matters=mattering(question),
        power_share=power,
    )


def takes(plan: TrialPlan, /, *, flight_s: float, charge_s: float, change_s: float) -> Fact:
    """How long a plan takes: each pack flies, is charged, rests, and flies again; the others fly meanwhile.

    Parameters
    ----------
    flight_s, charge_s : float
        Of one run, and of charging after it [s].
    change_s : float
        Of changing over from one side to the other [s].
    """
    hours = hours_of(plan, flight_s=flight_s, charge_s=charge_s, change_s=change_s)
    packs = min(len(plan.packs), plan.pairs // 2)
    if packs == 1:
        return fact("trial.plan.takes.one_pack", runs=2 * plan.pairs, hours=hours)
    return fact("trial.plan.takes", runs=2 * plan.pairs, hours=hours, packs=packs)
