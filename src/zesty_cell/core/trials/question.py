"""What a test asks, what was planned for it, and its runs: an open document like a sheet."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from zesty_cell.core.asked.sheet import Celsius
from zesty_cell.core.entity import Entity, Name, refused
from zesty_cell.core.fact import fact
from zesty_cell.core.learn.moment import Moment
from zesty_cell.core.trials.measures import MEASURES, MeasureKey

#: What may differ between the two sides.
Differs = Literal[
    "plug", "lead", "propellers", "pack", "tune", "weight", "temperature", "speed", "charge voltage", "other"
]
Side = Literal["A", "B"]
#: No test has more runs.
MOST_RUNS = 200
#: Smaller differences and scatters are nobody's [1, V, K], and smaller values measured nothing.
LEAST = 0.0005
_NOTHING = 1e-6
Text = Annotated[str, Field(max_length=400)]


class Question(Entity):
    """What differs, what is measured, and what difference would matter.

    Attributes
    ----------
    differs : str
    a, b : str
        What the two sides are: the plug that is on now, the other one.
    measure : str
        Key of :data:`~zesty_cell.core.trials.measures.MEASURES`.
    at : float, optional
        The voltage a cell, the charge used or the current at which it is measured, where it needs one [V, Ah, A].
    matters : float
        A smaller difference is none: a share [1] of what is measured, or in its unit where that is a voltage or a
        temperature [V, K].
    """

    differs: Differs = "other"
    a: Name
    b: Name
    measure: MeasureKey
    at: Annotated[float, Field(gt=0, le=1000)] | None = None
    matters: Annotated[float, Field(ge=LEAST, le=50)]

    @model_validator(mode="after")
    def _whole(self) -> Question:
        measure = MEASURES[self.measure]
        if measure.needs is not None and self.at is None:
            raise refused(fact(f"trial.at_missing.{measure.needs}"), field="at")
        if measure.ratio and self.matters > 1.0:
            raise refused(fact("trial.matters_too_much", matters_share=self.matters), field="matters")
        if self.a == self.b:
            raise refused(fact("trial.sides_alike", name=self.a), field="b")
        return self


class TrialPlan(Entity):
    """How a question is to be answered.

    Attributes
    ----------
    pairs : int
        Runs of each side; even, so that each goes first as often as the other.
    scatter, scatter_counts : float
        Of one run about its like, one standard deviation, and as of how many runs that is known: a share [1], or in
        the measure's unit.
    packs : tuple of str
        Flown in turn, each on both sides.
    rest_s : float
        A pack rests at least so long between charger and run [s].
    coolest_c, warmest_c : float
        The air that runs are flown in [°C].
    keep : tuple of str
        What stays the same.
    """

    pairs: Annotated[int, Field(ge=4, le=60, multiple_of=2)]
    scatter: Annotated[float, Field(ge=LEAST, le=20)]
    scatter_counts: Annotated[float, Field(ge=1, le=1000)]
    packs: Annotated[tuple[Name, ...], Field(min_length=1, max_length=8)]
    rest_s: Annotated[float, Field(ge=0, le=86_400)] = 900.0
    coolest_c: Celsius = 15.0
    warmest_c: Celsius = 25.0
    keep: Annotated[tuple[Text, ...], Field(max_length=12)] = ()


class SetAside(Entity):
    """Why a run does not count; ``seen`` says that the verdict had been looked at with it."""

    why: Annotated[str, Field(min_length=1, max_length=200)]
    seen: bool = False


class Run(Entity):
    """One run of one side.

    Attributes
    ----------
    slot : int
        Its place in the order of the plan, from 0.
    side : str
        Which side it was flown as.
    value : float, optional
        What was measured, in SI; None while it is not known: of a flight whose pack was not charged since.
    at : datetime
    pack : str
        Which pack; empty where none took part.
    air_c, all_up_kg, start_charge : float, optional
        Of the run, where they are known [°C, kg, 1].
    source : str
        Where it comes from: ``field``, ``log``, ``telemetry``, ``discharge``, ``thrust``, ``hand``.
    flight : int, optional
        The flight of the log that it is.
    """

    slot: Annotated[int, Field(ge=0, lt=MOST_RUNS)]
    side: Side
    value: Annotated[float, Field(gt=-100, le=1e6)] | None = None
    at: Moment
    pack: Annotated[str, Field(max_length=80)] = ""
    air_c: Celsius | None = None
    all_up_kg: Annotated[float, Field(gt=0, le=200)] | None = None
    start_charge: Annotated[float, Field(ge=0.3, le=1.0)] | None = None
    source: Literal["field", "log", "telemetry", "discharge", "thrust", "hand"] = "hand"
    flight: int | None = None
    note: Text = ""
    set_aside: SetAside | None = None


class Trial(Entity):
    """A test: its question, its plan, its runs in the order in which they came.

    Attributes
    ----------
    craft : str
        Whose runs they are.
    looked : int
        At how many runs the verdict was seen last.
    """

    name: Name
    craft: Name
    question: Question
    plan: TrialPlan
    runs: Annotated[tuple[Run, ...], Field(max_length=MOST_RUNS)] = ()
    looked: Annotated[int, Field(ge=0, le=MOST_RUNS)] = 0
    note: Text = ""

    @model_validator(mode="after")
    def _one_run_a_slot(self) -> Trial:
        taken: set[int] = set()
        for run in self.runs:
            if run.set_aside is None:
                if run.slot in taken:
                    raise refused(fact("trial.slot_taken", number=run.slot + 1), field="runs")
                taken.add(run.slot)
            measure = MEASURES[self.question.measure]
            if measure.ratio and run.value is not None and run.value < _NOTHING:
                raise refused(fact("trial.run_not_positive", number=run.slot + 1), field="runs")
        return self
