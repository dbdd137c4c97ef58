"""A drill as its page takes it: what the transmitter shows and says, as texts, and places on the picture."""

from __future__ import annotations

from typing import Any, Final

import numpy as np

from zesty_cell.core.clock import clock
from zesty_cell.core.practice.asked import question
from zesty_cell.core.practice.course import LEGS
from zesty_cell.core.practice.flown import Played
from zesty_cell.core.practice.shown import seconds
from zesty_cell.web.drawing.practice_air import air
from zesty_cell.words.face import Face
from zesty_cell.words.say import say

#: What the sound of an event is like: a warning, or the reading out of a time.
_TONES: Final = {"rule": "word", "end": "word", "time": "time", "last": "time"}


def played_json(played: Played, face: Face, /, *, from_s: float) -> dict[str, Any]:
    """What is shown and said from a moment on [s]; ``t`` has whole seconds of flight."""
    shown, scenario = seconds(played, from_s=from_s), played.scenario
    x, y = air(scenario.mission.out_m).places(shown.away_m, shown.height_m)
    series = played.scenario.truth.sheet.pack.series
    asked = question(played)
    return {
        "t": [round(float(t), 1) for t in shown.time_s],
        "x": x.tolist(),
        "y": y.tolist(),
        "leg": [LEGS[k] for k in shown.leg],
        "away": [_away(face, m) for m in shown.away_m],
        "volts": ["" if np.isnan(v) else face.pack_v(float(v), series) for v in shown.pack_v],
        "used": ["" if np.isnan(a) else face.number(1000.0 * float(a)) for a in shown.used_ah],
        "clock": [clock(float(t)) for t in shown.time_s],
        "events": [
            {"at": round(e.time_s, 1), "clock": clock(e.time_s), "words": e.say, "tone": _TONES[e.kind]}
            for e in played.events
            if e.time_s >= from_s - 1e-6 and e.say and e.kind in _TONES
        ],
        "ends": round(played.ending.at_s, 1),
        "ask": None
        if asked is None or asked.at_s < from_s
        else {
            "at": round(asked.at_s, 1),
            "words": say(asked.words, face.view),
            "options": [say(o, face.view) for o in asked.options],
        },
    }


def _away(face: Face, metres: float) -> str:
    return "over the field" if metres < 20.0 else f"{face.far(round(metres, -1))} out"
