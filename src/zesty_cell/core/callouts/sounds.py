"""What a plan says: its words and the numbers it reads out, with the short names of their files."""

from __future__ import annotations

import re
from dataclasses import dataclass

from zesty_cell.core.callouts.rules import CalloutPlan
from zesty_cell.core.callouts.sensors import SENSORS, Kind
from zesty_cell.core.callouts.spoken import spoken_time

#: What transmitters keep sound files under: lower-case letters and digits, no more than this many.
SOUND_NAME_LENGTH = 8


@dataclass(frozen=True)
class Sound:
    """Something spoken: the words, and the short name of its file."""

    words: str
    file: str


def sounds_of(plan: CalloutPlan, /) -> tuple[Sound, ...]:
    """Everything a plan says in words of its own, each once, with the short name of its file."""
    words = [r.say for r in plan.rules if r.on and r.say]
    words += [t.end for t in plan.timers if t.on]
    words += [p.say for p in plan.profiles] + ([plan.wrong_profile] if plan.profiles else [])
    taken: set[str] = set()
    sounds = []
    for text in dict.fromkeys(words):
        name = sound_name(text)
        k = 2
        while name in taken:
            name = f"{sound_name(text)[: SOUND_NAME_LENGTH - len(str(k))]}{k}"
            k += 1
        taken.add(name)
        sounds.append(Sound(text, name))
    return tuple(sounds)


#: The unit of what is read out, and the name of its sound.
_UNITS: dict[Kind, tuple[str, str]] = {
    "volts": ("volts", "volts"),
    "charge": ("milliamp hours", "mah"),
    "current": ("amps", "amps"),
    "time": ("seconds", "seconds"),
}


def spoken_sounds(plan: CalloutPlan, /) -> tuple[Sound, ...]:
    """Everything a plan may say: its own words, its minutes, and the numbers of what is read out.

    Numbers are made of parts (“twenty”, “two”, “point”, “four”, “volts”), as transmitters put them together.
    """
    sounds = list(sounds_of(plan))
    taken = {s.file for s in sounds}

    def add(words: str, file: str) -> None:
        if file not in taken:
            taken.add(file)
            sounds.append(Sound(words, file))

    for timer in plan.timers:
        if not timer.on:
            continue
        if timer.every_s is not None:
            moments = [k * timer.every_s for k in range(1, int(timer.at_s / timer.every_s) + 1)]
            for seconds in moments[:120]:
                minutes, rest = divmod(round(seconds), 60)
                tail = " left" if timer.counts == "down" else ""
                file = f"t{minutes}m" + (f"{rest}s" if rest else "") + ("l" if tail else "")
                add(spoken_time(seconds) + tail, file[:SOUND_NAME_LENGTH])
        for k in range(1, timer.last_s + 1):
            add(str(k), f"n{k}")
    read = {r.read for r in plan.rules if r.on and r.read}
    if read:
        for k in (*range(21), *range(30, 100, 10)):
            add(str(k), f"n{k}")
        for words in ("point", "hundred", "thousand", "no telemetry"):
            add(words, sound_name(words))
    for sensor in sorted(read):
        add(*_UNITS[SENSORS[sensor].kind])
    return tuple(sounds)


def sound_name(words: str, /) -> str:
    """A short lower-case name for words: “telemetry lost” is “telelost”."""
    parts: list[str] = re.findall(r"[a-z0-9]+", words.lower()) or ["sound"]
    whole = "".join(parts)
    if len(whole) <= SOUND_NAME_LENGTH or len(parts) == 1:
        return whole[:SOUND_NAME_LENGTH]
    half = SOUND_NAME_LENGTH // 2
    last = parts[-1][:half]
    return f"{parts[0][: SOUND_NAME_LENGTH - len(last)]}{last}"
