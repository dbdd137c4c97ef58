"""The voltage sensor beside a meter, the current sensor beside the charger."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from pydantic import ValidationError

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.learn.calibration import CurrentCalibration, VoltageCalibration
from zesty_cell.core.learn.flights import over_capacity
from zesty_cell.core.learn.plausibility import scale_doubt, voltage_points_doubts
from zesty_cell.core.learn.scales import implausible_amps, reading_rises
from zesty_cell.services.learning import sensor_flights
from zesty_cell.web.calibrate.bench import Bench, Made, weighed
from zesty_cell.web.drawing.calibration_charts import scale_chart
from zesty_cell.web.http.forms import Field, read_fields, words_of
from zesty_cell.words.units import CAPACITY, CURRENT, FLIGHT_TIME, VOLTAGE, Quantity, Unit, minutes

SCALE = Quantity(Unit("", decimals=6), Unit("", decimals=6))
OLD = Field("old", "Scale it has now", SCALE, required=True, hint="as the controller shows it")
STEP = Field("step", "Can be set in steps of", SCALE, required=True)
ENTERED = Field("entered", "What you entered", SCALE, hint="as worked out")
POINTS = tuple(
    (Field(f"shown_{k}", "It shows", VOLTAGE), Field(f"meter_{k}", "The meter says", VOLTAGE)) for k in (1, 2)
)
VOLTAGE_FIELDS = (OLD, STEP, ENTERED, *(f for pair in POINTS for f in pair))
#: Rows of flights a current sensor is calibrated by.
FLIGHTS = 5
ROWS = tuple(
    (
        Field(f"flew_{k}", "Flew", FLIGHT_TIME),
        Field(f"shown_{k}", "It showed", CAPACITY),
        Field(f"back_{k}", "Put back", CAPACITY),
    )
    for k in range(1, FLIGHTS + 1)
)
TEST = (
    Field("before_scale", "Scale before", SCALE), Field("before_a", "It showed", CURRENT),
    Field("after_scale", "Scale after", SCALE), Field("after_a", "It showed", CURRENT),
)  # fmt: skip
CURRENT_FIELDS = (OLD, STEP, ENTERED, *TEST, *(f for row in ROWS for f in row))


def _entity_errors(error: ValidationError, made: Made, places: Mapping[str, str]) -> None:
    for problem in error.errors(include_url=False, include_input=False):
        name = ".".join(str(p) for p in problem["loc"][:2])
        made.errors.setdefault(places.get(name, places.get(str(problem["loc"][0]), "")), words_of(problem))


def voltage_first(bench: Bench) -> dict[str, str]:
    """What the form begins with: the scale that was entered last."""
    last = bench.last("voltage")
    texts = {"step": "0.1"}
    if isinstance(last, VoltageCalibration):
        texts |= {"old": f"{last.entered:g}", "step": f"{last.step:g}"}
        texts |= {"takes_offset": "1"} if last.takes_offset else {}
    return texts


def read_voltage(bench: Bench, form: Mapping[str, str], now: datetime) -> Made:
    """A voltage calibration from its form, with what follows from it."""
    values, state = read_fields(VOLTAGE_FIELDS, form)
    made = Made(errors=state.errors)
    points: list[tuple[float, float]] = []
    for k, (shown, meter) in enumerate(POINTS, start=1):
        read, metered = values.get(shown.path), values.get(meter.path)
        if read is not None and metered is not None:
            points.append((read, metered))
        elif read is not None or metered is not None:
            missing = shown if read is None else meter
            made.errors.setdefault(missing.path, fact("typed.sensor.both"))
        elif k == 1:
            made.errors.setdefault(shown.path, fact("typed.sensor.same_moment"))
    if made.errors:
        return made
    entered = values.get("entered")
    given: dict[str, Any] = {
        "made_at": now, "old": values["old"], "step": values["step"], "points": points,
        "takes_offset": form.get("takes_offset") == "1", "entered": entered or values["old"],
    }  # fmt: skip
    try:
        kept = VoltageCalibration.model_validate(given)
        scale = kept.scale()
    except ValidationError as error:
        _entity_errors(error, made, {"old": "old", "step": "step", "entered": "entered", "points.0": "shown_1",
                                     "points.1": "shown_2"})  # fmt: skip
        return made
    except OutOfRangeError as error:
        made.errors["shown_1"] = error.why
        return made
    takes_offset = form.get("takes_offset") == "1"
    doubts = [
        *voltage_points_doubts(points, pack=bench.pack, takes_offset=takes_offset),
        *filter(None, [scale_doubt(entered=entered, advised=scale.entered, step=kept.step) if entered else None]),
    ]
    if not weighed(doubts, form, made):
        return made
    kept = kept.model_copy(update={"entered": entered or scale.entered, "offset_v": scale.offset_v})
    lines = [(shown, metered, kept.corrected_v(shown)) for shown, metered in kept.points]
    made.calibration = kept
    made.shown = {
        "scale": scale,
        "lines": lines,
        "chart": scale_chart([(f"{m:.2f} V", s / m - 1.0, n / m - 1.0) for s, m, n in lines]),
    }
    return made


def current_first(bench: Bench) -> dict[str, str]:
    """What the form begins with: the last scale, and the flights of the log since."""
    last = bench.last("current")
    texts = {"step": "1"}
    since = None
    if isinstance(last, CurrentCalibration):
        texts |= {"old": f"{last.entered:g}", "step": f"{last.step:g}"}
        texts["rises"] = "yes" if last.reading_rises else "no"
        since = last.made_at
    if bench.craft is not None:
        told = [f for f in sensor_flights(bench.session, bench.craft.id) if since is None or f.landed_at > since]
        for k, flight in enumerate(told[-FLIGHTS:], start=1):
            texts[f"flew_{k}"] = minutes(flight.duration_s)
            texts[f"shown_{k}"] = f"{1000 * (flight.shown_ah or 0):.0f}"
            texts[f"back_{k}"] = f"{1000 * (flight.put_back_ah or 0):.0f}"
    return texts


def _rises(values: Mapping[str, Any], form: Mapping[str, str], made: Made) -> bool | None:
    """Which kind of scale it is: as told, or by the test step."""
    if form.get("rises") in ("yes", "no"):
        return form["rises"] == "yes"
    test = [values.get(f.path) for f in TEST]
    if any(v is None for v in test):
        made.errors["rises"] = fact("typed.sensor.kind")
        return None
    before, before_a, after, after_a = (float(v) for v in test if v is not None)
    if min(before, before_a, after, after_a) <= 0.0:
        made.errors["before_a"] = fact("typed.sensor.all_four")
        return None
    found = reading_rises(scale_before=before, amps_before=before_a, scale_after=after, amps_after=after_a)
    made.shown["found"] = found
    if found is None:
        made.errors["before_a"] = fact("typed.sensor.does_not_tell")
    return found


def read_current(bench: Bench, form: Mapping[str, str], now: datetime) -> Made:
    """A current calibration from its form, with what follows from it."""
    values, state = read_fields(CURRENT_FIELDS, form)
    made = Made(errors=state.errors)
    pairs: list[tuple[float, float]] = []
    doubts: list[Fact] = []
    expected = bench.forecast.mean_a if bench.forecast else None
    for flew, shown, back in ROWS:
        shown_ah, back_ah = values.get(shown.path), values.get(back.path)
        if shown_ah is not None and back_ah is not None:
            pairs.append((shown_ah, back_ah))
            over = over_capacity(back_ah, pack=bench.pack)
            if over is not None:
                made.errors.setdefault(back.path, over)
            duration_s = values.get(flew.path)
            if duration_s and expected:
                doubt = implausible_amps(put_back_ah=back_ah, duration_s=duration_s, expected_a=expected)
                doubts += [doubt] if doubt else []
        elif shown_ah is not None or back_ah is not None:
            missing = shown if shown_ah is None else back
            made.errors.setdefault(missing.path, fact("typed.sensor.both_charges"))
    if not pairs and "shown_1" not in made.errors:
        made.errors["shown_1"] = fact("typed.sensor.one_flight")
    rises = _rises(values, form, made)
    if made.errors or rises is None:
        return made
    entered = values.get("entered")
    given: dict[str, Any] = {
        "made_at": now, "old": values["old"], "step": values["step"], "reading_rises": rises, "flights": pairs,
        "capacity_ah": bench.pack.capacity_ah, "second_look": form.get("second_look") == "1",
        "entered": entered or values["old"],
    }  # fmt: skip
    try:
        kept = CurrentCalibration.model_validate(given)
        scale = kept.scale()
    except ValidationError as error:
        _entity_errors(error, made, {"old": "old", "step": "step", "entered": "entered", "flights": "shown_1"})
        return made
    except OutOfRangeError as error:
        place = {"put_back_ah": "back_1", "shown_ah": "shown_1", "old": "old"}.get(error.field, "shown_1")
        made.errors[place] = error.why
        made.shown["ask_again"] = error.field == "old"
        return made
    other = scale_doubt(entered=entered, advised=scale.entered, step=kept.step) if entered else None
    if other is not None and not weighed([other], form, made):
        return made
    kept = kept.model_copy(update={"entered": entered or scale.entered})
    made.calibration = kept
    made.shown |= {
        "scale": scale,
        "rises": rises,
        "error": kept.error,
        "doubts": doubts,
        "chart": scale_chart([(f"{1000 * b:.0f} mAh", s / b - 1.0, s * kept.factor / b - 1.0) for s, b in pairs]),
    }
    return made
