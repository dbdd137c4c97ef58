"""A trip there and back, as far as the charge goes."""

from __future__ import annotations

from typing import Any

from zesty_cell.core.choose.travel import out_and_back
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.core.flight.one import Flight
from zesty_cell.core.flight.setup import Setup
from zesty_cell.web.drawing.trip_chart import trip_chart
from zesty_cell.words.face import Face
from zesty_cell.words.units import is_imperial

_MILES_A_KM = 0.621_371_192


def trip_of(face: Face, setup: Setup, flight: Flight) -> dict[str, Any]:
    try:
        trip = out_and_back(setup=setup, flight=flight)
    except OutOfRangeError as error:
        return {"trip": None, "trip_words": error.why}
    imperial = is_imperial(face.view.units, "lengths")
    factor = _MILES_A_KM if imperial else 1.0
    return {
        "trip": trip,
        "trip_chart": trip_chart(trip, capacity_ah=setup.figures.capacity_ah, km_factor=factor),
        "trip_words": "",
        "distance_unit": "mi" if imperial else "km",
        "distance": trip.distance_m / 1000.0 * factor,
        "out_rate": trip.out_mah_km / factor,
        "back_rate": trip.back_mah_km / factor,
    }
