"""What a decided test teaches, put where it is used: a plug into its packs, propellers into their craft."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.trials.lessons import part_of_b, set_of_b, source_of, teaches, with_part
from zesty_cell.services.propellers import keep_set
from zesty_cell.services.trials import TrialNow, trial_now
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.store.tables import TrialRow


def lesson_of(now: TrialNow, /) -> str:
    """What a test can teach now that its verdict was looked at; nothing before that."""
    return teaches(now.verdict, now.trial.question) if now.looked else ""


def teach(session: Session, row: TrialRow, /) -> list[str]:
    """Put it in; names of what was changed, none where the test teaches nothing.

    Raises
    ------
    OutOfRangeError
        Where what was found cannot be, or rests on what was never measured.
    EditConflictError
    """
    now = trial_now(session, row)
    lesson, question = lesson_of(now), now.trial.question
    if lesson == "propellers":
        craft_row = CRAFTS.fetch(session, row.craft_id)
        craft = CRAFTS.thing(craft_row)
        kept = set_of_b(now.trial, now.verdict, craft=craft)
        there = next((s.name for s in craft.other_sets if s.name.casefold() == kept.name.casefold()), "")
        keep_set(session, craft_row, craft_row.version, kept, on=question.a[:80], in_place_of=there)
        return [f"{craft.name}, {kept.name}"]
    if not lesson:
        return []
    last = max((run.at for run in now.trial.runs if run.at is not None), default=row.updated_at)
    changed = []
    for pack_row in PACKS.all(session):
        if pack_row.name in now.trial.plan.packs:
            pack = PACKS.thing(pack_row)
            on = pack.lead if lesson == "lead" else pack.plug
            if on is not None and on.source == source_of(now.trial):
                continue  # it is on already: a second time would be twice the difference
            part = part_of_b(now.trial, now.verdict, pack=pack, at=last)
            after = with_part(pack, part, differs=lesson)
            PACKS.change(session, pack_row.id, pack_row.version, after, cell_id=pack_row.cell_id)
            changed.append(pack_row.name)
    return changed
