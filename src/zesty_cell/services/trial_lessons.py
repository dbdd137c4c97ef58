"""What a decided test teaches, put where it is used: a plug into its packs, propellers into their craft."""

from __future__ import annotations

from sqlalchemy.orm import Session

from zesty_cell.core.parts.craft import Craft
from zesty_cell.core.parts.own_part import OwnPart
from zesty_cell.core.parts.pack import Pack
from zesty_cell.core.trials.lessons import part_of_b, set_of_b, source_of, teaches, with_part
from zesty_cell.core.trials.question import Trial
from zesty_cell.services.propellers import keep_set
from zesty_cell.services.trials import TrialNow, trial_now
from zesty_cell.store import trials
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


def rename(session: Session, row: TrialRow, version: int, name: str, /) -> None:
    """Call a test otherwise; what it taught says so too.

    Raises
    ------
    ValidationError
        No name, or a very long one.
    EditConflictError
    """
    was = trials.trial_of(row)
    change(session, row, version, Trial.model_validate(was.model_dump() | {"name": name}))


def change(session: Session, row: TrialRow, version: int, trial: Trial, /) -> TrialRow:
    """Keep a changed test; what it taught goes by its new name, so that nothing is taught twice.

    Raises
    ------
    EditConflictError
    """
    old, new = source_of(trials.trial_of(row)), source_of(trial)
    changed = trials.change(session, row.id, version, trial)
    if old == new:
        return changed
    for pack_row in PACKS.all(session):
        if pack_row.name in trial.plan.packs:
            pack = PACKS.thing(pack_row)
            so = _pack_by(pack, old, new)
            if so != pack:
                PACKS.change(session, pack_row.id, pack_row.version, so, cell_id=pack_row.cell_id)
    craft_row = CRAFTS.fetch(session, row.craft_id)
    craft = CRAFTS.thing(craft_row)
    so_craft = _craft_by(craft, old, new)
    if so_craft != craft:
        CRAFTS.change(session, craft_row.id, craft_row.version, so_craft)
    return changed


def _pack_by(pack: Pack, old: str, new: str) -> Pack:
    def part(one: OwnPart | None) -> OwnPart | None:
        return one if one is None or one.source != old else one.model_copy(update={"source": new})

    return pack.model_copy(update={"plug": part(pack.plug), "lead": part(pack.lead)})


def _craft_by(craft: Craft, old: str, new: str) -> Craft:
    sets = tuple(s.model_copy(update={"source": new}) if s.source == old else s for s in craft.other_sets)
    on = new if craft.propellers_source == old else craft.propellers_source
    return craft.model_copy(update={"other_sets": sets, "propellers_source": on})
