"""Sensors and calibrations in a sentence: wherever a sensor's number is used, how far out it is now."""

from __future__ import annotations

from zesty_cell.core.learn.calibration import (
    Calibration,
    CellCheck,
    CurrentCalibration,
    HoverDown,
    LineLossTest,
    SensorNow,
    VoltageCalibration,
)
from zesty_cell.core.learn.cell_spread import cell_spread
from zesty_cell.core.learn.hover_down import hover_curve
from zesty_cell.core.parts.pack import Pack, cells_of
from zesty_cell.words.units import minutes


def _share(share: float) -> str:
    return f"{100 * share:.{1 if share < 0.0195 else 0}f} %"


def too(out: float) -> str:
    """How far a reading is out [1], in words."""
    return (
        "shows it right" if abs(out) < 0.0025 else f"shows {_share(abs(out))} too {'much' if out > 0 else 'little'}"
    )


def sensor_words(now: SensorNow, /, *, sensor: str) -> str:
    """How far out a sensor is now, and by what that is known."""
    if now.by == "nothing":
        return f"The {sensor} sensor was never checked: reckon with {_share(now.error)} either way."
    if now.by == "calibration":
        when = f"{now.since:%-d %B %Y}" if now.since else ""
        return f"Calibrated on {when}: the {sensor} sensor is right to {_share(now.error)}."
    flights = f"{now.flights} flight{'' if now.flights == 1 else 's'}"
    since = f" since {now.since:%-d %B}" if now.since else ""
    return f"By {flights}{since} the {sensor} sensor {too(now.out)}, give or take {_share(now.error)}."


def calibration_words(made: Calibration, /, *, pack: Pack | None) -> str:
    """What a kept calibration said."""
    if isinstance(made, VoltageCalibration):
        offset = f" and {1000 * made.offset_v:+.0f} mV" if made.offset_v else ""
        return f"{made.old:g} → {made.entered:g}{offset}; it {_was(made.scale().was)}; {_share(made.error)} left."
    if isinstance(made, CurrentCalibration):
        return f"{made.old:g} → {made.entered:g}; it {_was(made.scale().was)}; right to {_share(made.error)} now."
    if isinstance(made, LineLossTest):
        loss = made.loss()
        ohm = "" if loss.resistance_ohm is None else f", {1000 * loss.resistance_ohm:.0f} mΩ"
        stage = {"keep": "; landing stage kept", "off": "; landing stage off", None: ""}[made.landing_stage]
        return f"{loss.loss_v:.2f} V lost, {loss.loss_cell_v:.2f} a cell{ohm}; lamp at {loss.alarm_v:.1f} V{stage}."
    if isinstance(made, HoverDown):
        if pack is None:
            return f"{len(made.points)} readings."
        curve = hover_curve(made.points, chemistry=cells_of(pack), series=made.series)
        if curve.knee_s is None or curve.knee_v is None:
            return f"{len(made.points)} readings, no knee."
        return f"The knee lies at {minutes(curve.knee_s)}, {curve.knee_v:.2f} V a cell."
    return _cells(made, pack)


def _cells(made: CellCheck, pack: Pack | None) -> str:
    if pack is None or len(made.cells_v) < 2:
        return " · ".join(f"{v:.2f}" for v in made.cells_v)
    spread = cell_spread(made.cells_v, chemistry=cells_of(pack))
    words = f"{1000 * spread.spread_v:.0f} mV apart"
    if spread.verdict != "fit":
        words += f", cell {spread.weakest + 1} lowest"
    return f"{words}: {spread.verdict}."


def _was(out: float) -> str:
    return "was right" if abs(out) < 0.0025 else f"showed {_share(abs(out))} too {'much' if out > 0 else 'little'}"
