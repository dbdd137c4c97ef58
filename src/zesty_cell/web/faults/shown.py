"""A case as its page shows it: causes with their bars, what speaks for and against each, the next check."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

from zesty_cell.core.fact import Fact, fact
from zesty_cell.core.faults import named
from zesty_cell.core.faults.case import NOT_TOLD, Look
from zesty_cell.core.faults.next_check import Proposed
from zesty_cell.core.faults.reckoned import Ranked, Speaks
from zesty_cell.core.faults.table import Group, the_table
from zesty_cell.services.fault_evidence import Known
from zesty_cell.words.off import RISK_WORDS

#: What stands over each group of signs.
GROUPS: Final[dict[Group, str]] = {
    "danger": "The pack itself",
    "flight": "In the air",
    "transmitter": "Heard and seen from the ground",
    "heat": "Warmth after landing",
    "charger": "At the charger",
    "since": "It began after",
}
#: So many pieces of evidence are named each way, and so many causes at least.
_NAMED, _CAUSES = 3, 3


@dataclass(frozen=True)
class ShownCause:
    """A line of the ranking: chances in hundredths, as they are drawn."""

    key: str
    name: Fact
    words: str
    now: float
    before: float
    for_it: tuple[Fact, ...]
    against_it: tuple[Fact, ...]


@dataclass(frozen=True)
class ShownCheck:
    """A check with its answers: what is posted for each, and its words."""

    key: str
    name: Fact
    how: Fact
    minutes: float
    risk: str
    page: str
    outcomes: tuple[tuple[str, Fact], ...]


@dataclass(frozen=True)
class ShownKnown:
    """Something that is known: of what, what it says, and from where; ``answered`` by the pilot."""

    key: str
    name: Fact
    outcome: Fact | None
    by: Fact | None
    well: bool
    answered: bool


def signs_by_group() -> list[tuple[str, str, list[tuple[str, Fact]]]]:
    """The signs to tick, under their headings."""
    table = the_table()
    return [
        (group, words, [(key, named.sign(key)) for key, sign in table.signs.items() if sign.group == group])
        for group, words in GROUPS.items()
    ]


def _named(speaks: tuple[Speaks, ...]) -> tuple[Fact, ...]:
    return tuple(named.evidence(s) for s in speaks[:_NAMED])


def _cause(of: Ranked, before: Mapping[str, float]) -> ShownCause:
    return ShownCause(
        of.cause, named.cause(of.cause), of.words, 100.0 * of.chance, 100.0 * before[of.cause],
        _named(of.for_it), _named(of.against_it),
    )  # fmt: skip


def _page(page: str, at: Mapping[str, int]) -> str:
    """The page of a check, for the craft, the pack or the sheet that the case is about."""
    if page == "/callouts":
        return f"/callouts/{at['sheet']}" if "sheet" in at else page
    asked = "pack" if page == "/calibrate/cells" else "craft"
    return f"{page}?{asked}={at[asked]}" if asked in at and page else page


def shown_check(of: Proposed, /, *, at: Mapping[str, int]) -> ShownCheck:
    """A check as it is proposed, for the numbers of craft, pack and sheet that there are."""
    outcomes = the_table().readings[of.reading].outcomes
    return ShownCheck(
        of.reading, named.reading(of.reading), named.how(of.reading), of.minutes, of.risk, _page(of.page, at),
        tuple((key, named.outcome(of.reading, key)) for key in outcomes),
    )  # fmt: skip


def shown_known(known: Mapping[str, Known], answers: Mapping[str, str], /) -> list[ShownKnown]:
    """What is known of readings: what the pilot answered, and what was there without asking."""
    readings = the_table().readings
    found = []
    for key, said in answers.items():
        told = said != NOT_TOLD
        well = not told or said == readings[key].outcomes[0]
        found.append(
            ShownKnown(
                key, named.reading(key), named.outcome(key, said) if told else None, None, well, answered=True
            )
        )
    for key, what in known.items():
        if answers.get(key, NOT_TOLD) == NOT_TOLD:
            well = what.outcome == readings[key].outcomes[0]
            found.append(
                ShownKnown(key, named.reading(key), named.outcome(key, what.outcome), what.by, well, answered=False)
            )
    return found


def ranking_context(look: Look, /, *, at: Mapping[str, int]) -> dict[str, Any]:
    """The ranking as the template takes it: the first causes, how many others are unlikely, and what comes next."""
    before = {r.cause: r.chance for r in look.before.ranked}
    causes = [_cause(r, before) for r in look.now.ranked]
    several = max(sum(c.words != "unlikely" for c in causes), _CAUSES)
    nothing = 100.0 * look.now.nothing, 100.0 * look.before.nothing
    said, do = named.verdict(look)
    return {
        "causes": causes[:several], "others": causes[several:], "nothing": nothing, "verdict": said, "do": do,
        "stands": look.stands, "next": [shown_check(p, at=at) for p in look.next[:5]], "risks": RISK_WORDS,
    }  # fmt: skip


def table_rows() -> list[dict[str, Any]]:
    """The whole table, cause by cause, as it is shown."""
    table = the_table()
    rows = []
    for key, cause in table.causes.items():
        signs = [(named.sign(s), chance) for s, chance in sorted(cause.signs.items(), key=lambda i: -i[1])]
        readings = [
            (fact("evidence.read", reading=named.reading(r), outcome=named.outcome(r, o)), chance)
            for r, chances in cause.readings.items()
            for o, chance in chances.items()
        ]
        rows.append(
            {"name": named.cause(key), "why": named.why(key), "do": named.what_to_do(key), "usual": cause.usual,
             "signs": signs, "readings": readings}
        )  # fmt: skip
    return rows
