"""Plain forms: fields described once, read into the core's models, errors beside their field."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar

from pydantic import BaseModel, ValidationError

from zesty_cell.core.answer.plausibility import Doubt
from zesty_cell.core.errors import NotReadError
from zesty_cell.core.fact import Words, fact
from zesty_cell.words.units import (
    COUNT,
    DURATION,
    FLIGHT_TIME,
    WIRE,
    Quantity,
    System,
    known_system,
    read_duration_s,
    read_flight_time_s,
    read_numbers,
    read_wire_mm2,
    typed,
)

Model = TypeVar("Model", bound=BaseModel)
#: Longer input than this is refused before anything looks at it.
MAX_TEXT = 200


class Typed(dict[str, str]):
    """What was typed, by the names of the fields; of a field that a form did not send, nothing."""

    def __missing__(self, name: str) -> str:
        return ""


@dataclass(frozen=True)
class Field:
    """One input: the dotted path of the value in the model, how it is typed, what it asks.

    ``several`` numbers stand in one input with spaces between them.
    """

    path: str
    label: str
    quantity: Quantity | None = None
    kind: Literal["number", "text", "choice"] = "number"
    required: bool = False
    hint: str = ""
    options: tuple[tuple[str, str], ...] = ()
    several: bool = False


@dataclass
class FormState:
    """What was typed and what was wrong with it; ``errors[""]`` concerns the whole form.

    ``asked`` is what is only improbable, by key: the form offers to keep it as it is.
    """

    texts: dict[str, str]
    units: System
    errors: dict[str, Words] = field(default_factory=dict)
    asked: dict[str, Words] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """A field that was not sent is empty, and not a word that nobody knows."""
        self.texts = Typed(self.texts)

    def weigh(self, doubts: Iterable[Doubt], form: Mapping[str, str]) -> bool:
        """Note what is doubted beside its field; what the pilot says is so passes.  True where nothing stands."""
        sure = set(form.get("sure", "")[:400].split())
        open_ones = [d for d in doubts if d.impossible or d.key not in sure]
        for doubt in open_ones:
            self.errors.setdefault(doubt.field, doubt.why)
        if not any(d.impossible for d in open_ones):
            self.asked = {d.key: d.why for d in open_ones}
            self.texts["sure_keys"] = " ".join(sorted(sure | {d.key for d in open_ones}))
        return not open_ones

    @property
    def ok(self) -> bool:
        """Nothing wrong so far."""
        return not self.errors


def form_units(form: Mapping[str, str]) -> System:
    """The units the form was filled in with."""
    return known_system(form.get("units", ""))


def whole_number(text: str) -> int:
    """A number we wrote into the form ourselves, such as a version; 0 for anything else."""
    return int(text) if text.isascii() and text.isdigit() and len(text) < 10 else 0


def put(target: dict[str, Any], path: str, value: Any) -> None:
    """Set a dotted path in nested dictionaries."""
    *parents, last = path.split(".")
    for part in parents:
        target = target.setdefault(part, {})
    target[last] = value


def get(source: Mapping[str, Any], path: str) -> Any:
    """Value at a dotted path; None where any part is missing."""
    value: Any = source
    for part in path.split("."):
        value = value.get(part) if isinstance(value, Mapping) else None
    return value


def read_field(item: Field, text: str, system: System) -> Any:
    """The value of one input.

    Raises
    ------
    NotReadError
    """
    if not text.strip():
        if item.required:
            raise NotReadError(fact("typed.needed"))
        return None
    if item.kind != "number" or item.quantity is None:
        # A whole name of the wrong length is the model's to refuse, with its limit; not ours.
        return text
    if item.quantity is DURATION:
        return read_duration_s(text)
    if item.quantity is FLIGHT_TIME:
        return read_flight_time_s(text)
    if item.quantity is WIRE:
        return read_wire_mm2(text)
    if item.several:
        unit = item.quantity.unit(system)
        return [unit.read(number) for number in read_numbers(text)]
    number = item.quantity.read(text, system)
    if item.quantity is COUNT:
        if number != int(number):
            raise NotReadError(fact("typed.whole"))
        return int(number)
    return number


def read_fields(fields: Sequence[Field], form: Mapping[str, str]) -> tuple[dict[str, Any], FormState]:
    """Read many inputs into nested values; empty optional ones are left out."""
    units = form_units(form)
    state = FormState(texts={**form, "units": units}, units=units)
    values: dict[str, Any] = {}
    for item in fields:
        try:
            value = read_field(item, form.get(item.path, ""), state.units)
        except ValueError as error:
            state.errors[item.path] = str(error)
            continue
        if value is not None:
            put(values, item.path, value)
    return values, state


def texts_of(fields: Sequence[Field], values: Mapping[str, Any], system: System) -> dict[str, str]:
    """The texts a form is first filled with."""
    texts: dict[str, str] = {"units": system}
    for item in fields:
        value = get(values, item.path)
        if item.several and item.quantity is not None:
            texts[item.path] = " ".join(typed(v, item.quantity, system) for v in value or ())
        elif item.kind == "number" and item.quantity is not None:
            texts[item.path] = typed(value, item.quantity, system)
        else:
            texts[item.path] = "" if value is None else str(value)
    return texts


def _shown_limit(limit: float, item: Field | None, system: System) -> str:
    if item is None or item.quantity is None:
        return f"{limit:g}"
    if item.quantity is DURATION or item.quantity is FLIGHT_TIME:
        return typed(limit, DURATION, system)
    return f"{typed(limit, item.quantity, system)} {item.quantity.unit(system).label}".strip()


def words_of(error: Mapping[str, Any], item: Field | None = None, system: System = "metric") -> Words:
    """An error of a model's validation in words for the field it stands beside."""
    kind, context = error["type"], error.get("ctx", {})
    if kind in ("greater_than_equal", "greater_than"):
        limit = _shown_limit(float(context.get("ge", context.get("gt"))), item, system)
        return fact("typed.at_least" if kind == "greater_than_equal" else "typed.more_than", limit=limit)
    if kind in ("less_than_equal", "less_than"):
        return fact("typed.at_most", limit=_shown_limit(float(context.get("le", context.get("lt"))), item, system))
    if kind == "too_short":
        return fact("typed.choose_more", least=context["min_length"])
    if kind == "too_long":
        return fact("typed.no_room", most=context["max_length"])
    if kind == "string_too_long":
        return fact("typed.too_long", most=context["max_length"])
    if kind in ("string_too_short", "missing"):
        return fact("typed.needed")
    if kind == "string_pattern_mismatch":
        return fact("typed.letters")
    if kind in ("literal_error", "union_tag_invalid", "union_tag_not_found"):
        return fact("typed.option")
    if kind == "refused":
        why: Words = context["why"]
        return why
    if kind == "value_error":
        return str(error["msg"]).removeprefix("Value error, ")
    if kind in ("finite_number", "float_parsing", "float_type", "int_parsing", "int_type", "int_from_float"):
        return fact("typed.number")
    if kind.startswith(("datetime", "timezone")):
        return fact("typed.moment")
    return fact("typed.unreadable")  # never a validator's own words


def build(
    model: type[Model],
    values: Mapping[str, Any],
    fields: Sequence[Field],
    state: FormState,
    *,
    groups: Mapping[str, str],
) -> Model | None:
    """The model, or None with ``state.errors`` filled in words beside their fields.

    ``groups`` names where an error of several fields together is shown, by their common path.
    """
    if not state.ok:
        return None
    by_path = {item.path: item for item in fields}
    try:
        return model.model_validate(values)
    except ValidationError as error:
        for item in error.errors(include_url=False, include_input=False):
            path = ".".join(str(part) for part in item["loc"])
            if item["type"] == "refused":
                path = item["ctx"]["field"] or path
            # The nearest field at or above the place of the error; else the form as a whole.
            while path and path not in by_path and path not in groups:
                path = path.rpartition(".")[0]
            path = groups.get(path, path)
            state.errors.setdefault(path, words_of(item, by_path.get(path), state.units))
        return None
