"""The field's words, and ours, said once in plain ones where they stand."""

from __future__ import annotations

from typing import Final

#: By a short key: what a word means, in a sentence or two for who meets it for the first time.
GLOSSARY: Final[dict[str, str]] = {
    "held": "So long without a break the voltage must stay under the value before it speaks, so that a climb, which "
    "pulls it down for seconds, does not set it off.",
    "school": "Experienced pilots disagree about what should make the transmitter speak. Each school is one answer; you "
    "can choose another, and change every word of it.",
    "knee": "Where the voltage, flat for most of the flight, begins to fall away: little is left from there, and it "
    "goes fast.",
    "honest_current": "What the battery really gives for as long as it lasts, without sagging too far or getting too "
    "hot; labels promise more.",
}
