"""The field's words, and ours, said once in plain ones where they stand."""

from __future__ import annotations

from typing import Final

#: By a short key: what a word means, in a sentence or two for who meets it for the first time.
GLOSSARY: Final[dict[str, str]] = {
    "sheet": "One craft with one battery, how it is flown and when it lands: with the time it will take, and what to "
    "set on the transmitter for it.",
    "pack": "The battery: cells in series (6S is six), sometimes in parallel (2P), with leads and a plug.",
    "held": "So long without a break the voltage must stay under the value before it speaks, so that a climb, which "
    "pulls it down for seconds, does not set it off.",
    "school": "Experienced pilots disagree about what should make the transmitter speak. Each school is one answer; you "
    "can choose another, and change every word of it.",
    "knee": "Where the voltage, flat for most of the flight, begins to fall away: little is left from there, and it "
    "goes fast.",
    "honest_current": "What the battery really gives for as long as it lasts, without sagging too far or getting too "
    "hot; labels promise more.",
    "rest": "The voltage a few minutes after the load is gone. It tells how much charge is left.",
    "loaded": "The voltage while it flies. It is lower than at rest, the more so the harder it is flown: that is sag.",
    "put_back": "What the charger says it charged. That is the truth about how much the flight took.",
    "reserve": "What is left in the battery on purpose when you land.",
}
