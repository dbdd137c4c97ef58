"""What the cursor reads on all traces at once: moments of a flight, in words already."""

from __future__ import annotations

from zesty_cell.core.answer.forecast import Forecast
from zesty_cell.web.drawing.scale import envelope, sparse
from zesty_cell.words.face import Face
from zesty_cell.words.moments import moments


def cursor_data(forecast: Forecast, face: Face) -> dict[str, object]:
    """What the cursor reads: about 300 moments in a line each, what is left then, and the moments of interest."""
    flight = forecast.flight
    some = sparse(flight.time_s.size, 300)
    # A climb shorter than the spacing must not vanish between two moments: take the lowest voltage
    # and the highest current around each.
    low, _ = envelope(flight.loaded_v, some.size)
    _, high = envelope(flight.current_a, some.size)
    time_s = flight.time_s[some].round(1).tolist()
    left = flight.charge_left[some]
    said = moments(
        face, time_s=time_s, volts=(flight.rest_v[some], flight.cruise_v[some], low), current_a=high,
        used_ah=flight.used_ah[some], left=left, pack_c=flight.temperature_c[some],
        series=forecast.setup.sheet.pack.series,
    )  # fmt: skip
    return {
        "end_s": round(flight.end_s, 1),
        "landing_s": round(flight.landing_s, 1),
        "t": time_s,
        "left": left.round(3).tolist(),
        "said": said,
    }
