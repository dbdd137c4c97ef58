"""What the callouts page shows of a plan."""

from __future__ import annotations

from typing import Any

from fastapi import Request
from fastapi.responses import Response
from sqlalchemy.orm import Session

from zesty_cell.core.callouts.dry_run import ODDITIES
from zesty_cell.core.callouts.schools import SCHOOLS
from zesty_cell.core.callouts.tune import tunable
from zesty_cell.core.fact import Words
from zesty_cell.formats.csv_table import MOST_BYTES
from zesty_cell.formats.espeak import SPEEDS, VOICES
from zesty_cell.formats.voices_wav import RATES_HZ
from zesty_cell.store import callouts as store
from zesty_cell.store import logs as log_store
from zesty_cell.store.hangar import PACKS
from zesty_cell.web.callouts import plan_form
from zesty_cell.web.callouts.desk import Desk
from zesty_cell.web.callouts.judged import judged
from zesty_cell.web.http import page, preferences_of
from zesty_cell.words.landing import landing_words
from zesty_cell.words.shows import SHOWN_WORDS, shown_words


def plan_context(
    request: Request,
    desk: Desk,
    read: plan_form.ReadPlan | None = None,
    *,
    conflict: Words = "",
    oddity: str = "",
    days: bool = False,
) -> dict[str, Any]:
    view = preferences_of(request)
    plan = desk.plan
    if read is not None and read.plan is not None:
        plan = read.plan
    texts = read.state.texts if read else plan_form.first_texts(plan, version=desk.version) if plan else {}
    context: dict[str, Any] = {
        "desk": desk,
        "sheet": desk.sheet,
        "flown_words": landing_words(desk.sheet),
        "plan": plan,
        "texts": texts,
        "errors": read.state.errors if read else {},
        "conflict": conflict,
        "mended": "",
        "schools": SCHOOLS,
        "oddities": ODDITIES,
        "oddity": oddity,
        "logs": log_store.of_craft(desk.session, desk.sheet_row.craft_id),
        "log_error": "",
        "log_limit": MOST_BYTES,
        "form": plan_form,
        "shown_choices": SHOWN_WORDS.items(),
        "shown_words": shown_words(desk.sheet.craft.shows),
        "packs": PACKS.all(desk.session),
        "saved": desk.row is not None and plan == desk.plan and (read is None or read.plan is not None),
        "stale": store.is_stale(desk.row) if desk.row else (),
        "bad_days": None,
        "can_save_over": False,
        "report": None,
        "tune": None,
        "tunable": () if plan is None else [r.key for r in plan.rules if tunable(plan, r.key, series=desk.series)],
        "voices": VOICES,
        "speeds": SPEEDS,
        "rates": RATES_HZ,
        "findings": (),
        "run": None,
        "ladder": None,
        # Who has changed something, or has something to mend, sees the rules; else three sentences come first.
        "rules_open": read is not None,
    }
    if plan is None or desk.result is None or desk.written is None:
        return context
    return context | judged(desk, plan, desk.result, desk.written, oddity, as_pack=view.volts == "pack", days=days)


def log_refused(request: Request, session: Session, sheet_id: int, reason: Words) -> Response:
    """The page with what is wrong with a log beside where it was chosen."""
    context = plan_context(request, Desk(session, sheet_id)) | {"log_error": reason}
    return page(request, "callouts.html", context, status=422)


def plan_refused(request: Request, desk: Desk, read: plan_form.ReadPlan, trouble: Words, status: int) -> Response:
    context = plan_context(request, desk, read, conflict=trouble) | {"can_save_over": status == 409}
    return page(request, "callouts.html", context, status=status)
