"""A case as it stands: by its answers, and by all that is known without asking; answered, closed, opened again."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy.orm import Session

from zesty_cell.core.choose.chain import Chain
from zesty_cell.core.fact import fact
from zesty_cell.core.faults.case import Answer, Case, Closed, Look, look_at
from zesty_cell.services.fault_evidence import Known, known_of
from zesty_cell.store import cases
from zesty_cell.store.errors import EditConflictError
from zesty_cell.store.tables import CaseRow, SheetRow


@dataclass(frozen=True)
class CaseNow:
    """A case as it stands.

    Attributes
    ----------
    known : dict of str to Known
        What sheet, plan and log tell; of a closed case what they told then, without from where.
    chain : Chain or None
        From pack to propeller, by the sheet that is flown.
    sheet : SheetRow or None
    """

    row: CaseRow
    case: Case
    look: Look
    known: dict[str, Known]
    chain: Chain | None
    sheet: SheetRow | None


def case_now(session: Session, row: CaseRow, /) -> CaseNow:
    """A case as it stands: by its answers, and by all that is known without asking."""
    case = cases.case_of(row)
    known, chain, sheet = known_of(session, craft=row.craft, pack=row.pack)
    if case.closed is not None:
        known = {key: Known(outcome, fact("known.then")) for key, outcome in case.known.items()}
    look = look_at(case, known={key: k.outcome for key, k in known.items()}, was=cases.turned_out(session))
    return CaseNow(row, case, look, known, chain, sheet)


def _open(row: CaseRow) -> Case:
    """A case that is open still.

    Raises
    ------
    EditConflictError
    """
    case = cases.case_of(row)
    if case.closed is not None:
        raise EditConflictError("fault", row.name)
    return case


def _changed(case: Case, **changes: object) -> Case:
    """A case with changes, held against all its rules.

    Raises
    ------
    ValidationError
    """
    return Case.model_validate(case.model_dump() | changes)


def answer(session: Session, row: CaseRow, version: int, *, reading: str, outcome: str) -> CaseRow:
    """What a check found; an answer to the same check takes the place of the one before.

    Raises
    ------
    ValidationError
        For what is no outcome of that check.
    EditConflictError
        When somebody changed the case since, or it is closed.
    """
    case = _open(row)
    others = [a.model_dump() for a in case.answers if a.reading != reading]
    given = Answer(reading=reading, outcome=outcome, at=datetime.now(UTC)).model_dump()
    return cases.change(session, row.id, version, _changed(case, answers=[*others, given]))


def take_back(session: Session, row: CaseRow, version: int, *, reading: str) -> CaseRow:
    """An answer that is not to count: the check is open again.

    Raises
    ------
    EditConflictError
    """
    case = _open(row)
    left = [a.model_dump() for a in case.answers if a.reading != reading]
    return cases.change(session, row.id, version, _changed(case, answers=left))


def close(session: Session, row: CaseRow, version: int, *, was: str, note: str) -> CaseRow:
    """What it was, with all that was known then; it teaches how usual that is in this hangar.

    Raises
    ------
    ValidationError, EditConflictError
    """
    case = _open(row)
    known = {key: k.outcome for key, k in case_now(session, row).known.items()}
    closed = Closed(was=was, at=datetime.now(UTC), note=note).model_dump()
    return cases.change(session, row.id, version, _changed(case, known=known, closed=closed))


def open_again(session: Session, row: CaseRow, version: int, /) -> CaseRow:
    """A closed case, to look further.

    Raises
    ------
    EditConflictError
    """
    return cases.change(session, row.id, version, _changed(cases.case_of(row), known={}, closed=None))
