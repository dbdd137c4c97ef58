"""The form of a test: its question, what is the same on both sides, and how long one is ready to fly."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, cast, get_args

from pydantic import ValidationError

from zesty_cell.core.fact import Words, fact
from zesty_cell.core.trials.measures import MEASURES, Measure, MeasureKey
from zesty_cell.core.trials.question import Question
from zesty_cell.web.http.forms import Field, Typed, form_units, read_field, words_of
from zesty_cell.words.trials import AT, DIFFERS_OPTIONS, MEASURE_OPTIONS
from zesty_cell.words.units import COUNT, FLIGHT_TIME, SHARE, TEMPERATURE, VOLTAGE, Quantity, System, Unit

DIFFERS = Field("differs", "What differs", kind="choice", options=DIFFERS_OPTIONS)
MEASURE = Field("measure", "What is measured", kind="choice", options=MEASURE_OPTIONS)
A = Field("a", "A is", kind="text", required=True, hint="as it is now")
B = Field("b", "B is", kind="text", required=True, hint="the other one")
NAME = Field("name", "Called", kind="text", hint="A or B")
PAIRS = Field("pairs", "Pairs", COUNT)
REST = Field("rest_s", "A pack rests after charging", FLIGHT_TIME)
COOLEST = Field("coolest_c", "Air from", TEMPERATURE)
WARMEST = Field("warmest_c", "to", TEMPERATURE)
#: What is usual, of a form that nobody has typed into yet.
FIRST = {"differs": "propellers", "measure": "charge_a_minute", "rest_s": "15:00"}
_MOST_KEPT_SAME, _MOST_LETTERS = 12, 200
#: And so few or many pairs.
_LEAST_PAIRS, _MOST_PAIRS = 4, 60


def at_field(measure: Measure) -> Field | None:
    """What a measure is measured at."""
    if measure.needs is None:
        return None
    label = {"cell_v": "until a cell is at", "used_ah": "until so much is used", "current_a": "at"}[measure.needs]
    return Field("at", label, AT[measure.needs], required=True)


def matters_field(measure: Measure) -> Field:
    """The difference that would matter: a share, or in the measure's unit."""
    quantity: Quantity = SHARE if measure.ratio else VOLTAGE if measure.unit == "v" else _KELVIN
    return Field("matters", "A difference matters from", quantity, required=True)


#: Temperatures apart: without the offset.
_KELVIN = Quantity(Unit("°C", decimals=1), Unit("°F", 1.8, decimals=1), family="temperature")


@dataclass
class TrialForm:
    """What was typed, what it says, what is wrong with it, by field.

    Attributes
    ----------
    question : Question or None
        None while something is missing.
    plan : dict
        What the plan says beside its pairs: packs, rest, air, what stays the same.
    pairs : int or None
        As many as were asked for; as many as are needed without.
    """

    texts: dict[str, str]
    units: System
    measure: Measure
    craft_id: int = 0
    question: Question | None = None
    plan: dict[str, Any] = field(default_factory=dict)
    pairs: int | None = None
    errors: dict[str, Words] = field(default_factory=dict)


def _measure(text: str) -> Measure:
    return MEASURES[cast(MeasureKey, text) if text in get_args(MeasureKey) else "charge_a_minute"]


def first_form(units: System, *, craft_id: int) -> TrialForm:
    """A form that nobody has typed into yet."""
    air = {"coolest_c": "59", "warmest_c": "77"} if units != "metric" else {"coolest_c": "15", "warmest_c": "25"}
    return TrialForm(Typed(FIRST | air | {"matters": "5"}), units, _measure(FIRST["measure"]), craft_id)


def read_trial(form: Mapping[str, str], *, packs: list[str], craft_id: int) -> TrialForm:
    """The form as it was posted; packs are those chosen, by name."""
    units = form_units(form)
    measure = _measure(form.get("measure", ""))
    read = TrialForm(Typed(form), units, measure, craft_id)
    values: dict[str, Any] = {"differs": form.get("differs", "other"), "measure": measure.key}
    at = at_field(measure)
    for item in (A, B, matters_field(measure), *((at,) if at else ())):
        values[item.path] = _read(item, form, read)
    for item in (REST, COOLEST, WARMEST):
        value = _read(item, form, read)
        if value is not None:
            read.plan[item.path] = value
    read.pairs = _pairs(form, read)
    read.plan["packs"] = tuple(packs)
    read.plan["keep"] = tuple(line.strip() for line in form.get("keep", "").splitlines() if line.strip())
    if len(read.plan["keep"]) > _MOST_KEPT_SAME or any(len(line) > _MOST_LETTERS for line in read.plan["keep"]):
        read.errors["keep"] = fact("typed.test.keep", most=_MOST_KEPT_SAME, letters=_MOST_LETTERS)
    if not packs:
        read.errors["packs"] = fact("typed.test.packs")
    if read.plan.get("coolest_c", -99.0) >= read.plan.get("warmest_c", 99.0):
        read.errors["warmest_c"] = fact("typed.test.warmer")
    given = {name: value for name, value in values.items() if value is not None}
    if not read.errors.keys() & {"a", "b", "matters", "at"}:
        try:
            read.question = Question.model_validate(given)
        except ValidationError as error:
            for problem in error.errors(include_url=False, include_input=False):
                where = problem.get("ctx", {}).get("field") or (str(problem["loc"][0]) if problem["loc"] else "")
                read.errors.setdefault(where, words_of(problem))
    return read


def _read(item: Field, form: Mapping[str, str], read: TrialForm) -> Any:
    try:
        return read_field(item, form.get(item.path, ""), read.units)
    except ValueError as error:
        read.errors[item.path] = str(error)
        return None


def _pairs(form: Mapping[str, str], read: TrialForm) -> int | None:
    pairs = _read(PAIRS, form, read)
    if pairs is None:
        return None
    if not _LEAST_PAIRS <= pairs <= _MOST_PAIRS or pairs % 2:
        read.errors["pairs"] = fact("typed.test.pairs", least=_LEAST_PAIRS, most=_MOST_PAIRS)
        return None
    return int(pairs)
