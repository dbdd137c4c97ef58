"""The day in the pocket as one document: texts as the field page would write them, for who takes it along."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Hashable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from contextlib import AbstractContextManager
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from typing import Any, Final

from sqlalchemy.orm import Session

from zesty_cell.core.callouts.spoken import spoken_time
from zesty_cell.core.fact import Fact, Words
from zesty_cell.core.parts.chemistries import CHEMISTRIES
from zesty_cell.services.pocket import Asked, Pair, Pocket, Step, asked_for
from zesty_cell.services.to_fly import ToFly
from zesty_cell.services.trials import NextRun, runs_ahead
from zesty_cell.store import flights
from zesty_cell.web.field.entries import units_behind
from zesty_cell.web.http.preferences import Preferences
from zesty_cell.web.pocket.packs import REST_STEP_V, SUPPLY_STEP, pack_taken, rest_table
from zesty_cell.web.sheet.listed import small_picture
from zesty_cell.words.calls import CallRow
from zesty_cell.words.day import air_words, run_words, waiting_words
from zesty_cell.words.face import Face
from zesty_cell.words.say import say

#: Of the document: a phone that holds another asks for all of it anew.
FORM: Final = 2
_MINUTE_S: Final = 60.0


@dataclass(frozen=True)
class Day:
    """The document, and the mark that it is known by."""

    body: bytes
    mark: str


def _said(words: Words, view: Preferences) -> str:
    return say(words, view) if isinstance(words, Fact) else str(words)


def _call(row: CallRow, series: int, view: Preferences) -> dict[str, Any]:
    """As the field page writes it: per cell or for the pack, by how the reader likes it."""
    pack = "" if row.value == "lowest cell" else row.value
    cell = f"{row.cell} V a cell" if row.cell and series > 1 else f"{row.cell} V" if row.cell else ""
    first = cell if cell and (not pack or view.volts != "pack") else pack
    # Who sets a transmitter by it may need the other one.
    other = ", ".join(text for text in (cell, pack) if text and text != first and series > 1)
    held = f", held {row.hold_s:g} s" if row.hold_s and row.mark != "charge" else ""
    how = row.how if row.mark != "charge" else ""
    return {"title": f"{row.title.lower()}{held}", "role": row.role, "value": first, "how": how, "other": other}


class _Texts:
    """Texts that stand many times, each once."""

    def __init__(self) -> None:
        self.all: list[Any] = []
        self._where: dict[str, int] = {}

    def number(self, value: Any) -> int:
        key = json.dumps(value, sort_keys=True)
        if key not in self._where:
            self._where[key] = len(self.all)
            self.all.append(value)
        return self._where[key]


def _step(step: Step, series: int, view: Preferences, texts: _Texts) -> dict[str, Any]:
    face = Face(view)
    found: dict[str, Any] = {"charge": step.charge, "trouble": _said(step.trouble, view)}
    if step.timer is None:
        return found
    calls = [_call(row, series, view) for row in step.calls[:3]]
    minutes = [c for c in step.spoken if c.at_s % _MINUTE_S == 0 and c.words == spoken_time(c.at_s)]
    return found | {
        "timer": face.time(step.timer.timer_s),
        "timer_s": step.timer.timer_s,
        "down": face.time(step.timer.down_s),
        "why": texts.number(_said(step.timer.why, view)),
        "calls": texts.number(calls),
        "minutes": len(minutes),
        "spoken": [[c.at_s, c.words] for c in step.spoken if c not in minutes],
    }


class _StepLists:
    """Steps as they are taken along; packs that fly alike have the same ones, which stand once."""

    def __init__(self, view: Preferences, texts: _Texts) -> None:
        self.all: list[list[dict[str, Any]]] = []
        self._where: dict[tuple[int, int], int] = {}
        self._view, self._texts = view, texts

    def number(self, steps: tuple[Step, ...], series: int) -> int:
        key = (id(steps), series)  # they are kept while this is
        if key not in self._where:
            self._where[key] = len(self.all)
            self.all.append([_step(step, series, self._view, self._texts) for step in steps])
        return self._where[key]


def _pair(pair: Pair, series: int, steps: _StepLists, card: str) -> dict[str, Any]:
    picture = None if pair.answer is None else small_picture(pair.answer)
    return {
        "sheet": pair.sheet_id,
        "pattern": pair.pattern,
        "stale": pair.stale,
        "card": card,
        "picture": None if picture is None else asdict(picture),
        "steps": steps.number(pair.steps, series),
    }


def _waiting(session: Session, view: Preferences) -> list[dict[str, Any]]:
    face = Face(view)
    found = []
    for rows in flights.waiting(session):
        newest = rows[-1]
        words = waiting_words([flights.flight_of(r) for r in rows], series=newest.pack.series, face=face)
        found.append({"flight": newest.entry, "pack": newest.pack_id, "craft": newest.craft_id, "words": words})
    return found


#: A day flies no more runs of a test with one pack.
_MOST_RUNS: Final = 12


def _run_words(one: NextRun, face: Face) -> str:
    plan = one.trial.plan
    air = air_words(plan.coolest_c, plan.warmest_c, face)
    return run_words(one.slot.number, test=one.row.name, side=one.slot.side, name=one.name, air=air)


def _runs(session: Session, to_fly: ToFly, view: Preferences) -> dict[str, list[list[str]]]:
    """Runs of tests that a flight could be, by craft and pack, in their order: what is sent, and what is said."""
    face, found = Face(view), {}
    for craft in to_fly.crafts:
        for choice in to_fly.packs_told(craft):
            ahead = runs_ahead(session, craft.id, pack=choice.row, most=_MOST_RUNS)
            if ahead:
                found[f"{craft.id}-{choice.row.id}"] = [[one.sent, _run_words(one, face)] for one in ahead]
    return found


def _mark_of(key: Hashable) -> str:
    return hashlib.sha256(repr(key).encode()).hexdigest()[:12]


def day_of(
    session: Session, pocket: Pocket, view: Preferences, *, sessions: Callable[[], AbstractContextManager[Session]]
) -> Day:
    """What a phone takes along now; what is not worked out yet comes with the next asking."""
    to_fly = ToFly(session)
    asked = asked_for(session, to_fly)
    ready, older = pocket.ready(asked, sessions=sessions)
    document = _document(session, to_fly, asked, ready, older, view)
    body = json.dumps(document, ensure_ascii=False, separators=(",", ":")).encode()
    mark = hashlib.sha256(body).hexdigest()[:24]
    as_of = datetime.now(UTC).isoformat(timespec="seconds")
    # The moment is no part of the mark: the same day is the same, whenever it is asked for.
    return Day(body[:-1] + f',"as_of":"{as_of}","mark":"{mark}"}}'.encode(), mark)


def _document(
    session: Session,
    to_fly: ToFly,
    asked: Sequence[Asked],
    ready: Mapping[tuple[int, int], Pair],
    older: AbstractSet[tuple[int, int]],
    view: Preferences,
) -> dict[str, Any]:
    texts = _Texts()
    steps = _StepLists(view, texts)
    crafts: list[dict[str, Any]] = []
    packs: dict[str, dict[str, Any]] = {}
    for craft in to_fly.crafts:
        choices = to_fly.packs_told(craft)
        packs |= {str(c.row.id): pack_taken(c) for c in choices if str(c.row.id) not in packs}
        crafts.append({"id": craft.id, "name": craft.name, "packs": [c.row.id for c in choices]})
    pairs = {}
    for one in asked:
        where = (one.craft_id, one.pack.id)
        pair = ready.get(where)
        if pair is not None:
            card = f"/sheets/{one.sheet.id}/card?known={_mark_of(one.card_key)}"
            pairs[f"{one.craft_id}-{one.pack.id}"] = _pair(pair, one.pack.series, steps, card) | {
                "older": where in older
            }
    most = max((step.get("minutes", 0) for several in steps.all for step in several), default=0)
    used = {pack["chemistry"] for pack in packs.values()} & set(CHEMISTRIES)
    return {
        "form": FORM,
        "units": view.units,
        "volts": view.volts,
        "unit_of": units_behind(view),  # the phone takes entries in the units of the day that it holds
        "asked": len(asked),
        "ready": len(pairs) - len(older),
        "crafts": crafts,
        "packs": packs,
        "sheets": {f"{one.craft_id}-{one.pack.id}": one.sheet.id for one in asked},
        "pairs": pairs,
        "steps": steps.all,
        "texts": texts.all,
        "minutes": [spoken_time(_MINUTE_S * k) for k in range(1, most + 1)],
        "waiting": _waiting(session, view),
        "runs": _runs(session, to_fly, view),
        "rest": {name: rest_table(name) for name in sorted(used)},
        "rest_step": REST_STEP_V,
        "supply_step": SUPPLY_STEP,
    }
