"""The templates of all facts, in English: one a fact, and no sentence of the job anywhere else.

Keys are in the order of the core's folders.  ``{name}`` is a figure of the fact; see :mod:`zesty_cell.words.say`.
"""

from __future__ import annotations

from zesty_cell.words.english.answers import ANSWERS
from zesty_cell.words.english.callouts import CALLOUTS
from zesty_cell.words.english.choosing import CHOOSING
from zesty_cell.words.english.discharge import DISCHARGE, THRUST
from zesty_cell.words.english.faults import FAULTS
from zesty_cell.words.english.files import FILES, KEPT
from zesty_cell.words.english.pages import BESIDE, ERRORS, SAID
from zesty_cell.words.english.practice import PRACTICE
from zesty_cell.words.english.refusals import REFUSALS
from zesty_cell.words.english.start import START
from zesty_cell.words.english.trials import TRIALS
from zesty_cell.words.english.typed import TYPED

ENGLISH: dict[str, str] = {
    **ANSWERS,
    **CALLOUTS,
    **CHOOSING,
    **DISCHARGE,
    **THRUST,
    **FAULTS,
    **FILES,
    **KEPT,
    **SAID,
    **BESIDE,
    **ERRORS,
    **PRACTICE,
    **REFUSALS,
    **START,
    **TRIALS,
    **TYPED,
}
