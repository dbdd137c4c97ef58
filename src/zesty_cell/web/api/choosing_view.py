"""Packs compared and searched, and one input of a sheet moved through several values."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import Response
from pydantic import BaseModel, Field

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.choose.candidates import SearchSpace, candidates, check_count
from zesty_cell.core.choose.compare import MOST_COMPARED, Contender, compare_packs
from zesty_cell.core.choose.search import SearchLimits, search
from zesty_cell.core.choose.sweep import COLUMNS, MOST_VALUES, sweep
from zesty_cell.core.errors import OutOfRangeError, TooManyCandidatesError, UnknownNameError
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.sheet_json import SheetDocument, plain_sheet
from zesty_cell.services.turns import TURNS
from zesty_cell.web.api import given

router = APIRouter(prefix="/api", tags=["choosing"])
_SOME: given.Responses = given.UNREADABLE | given.TABLE


class ToCompare(BaseModel):
    """Packs to stand side by side on a sheet's craft, pattern, air and landing rule."""

    sheet: SheetDocument
    packs: Annotated[list[Pack], Field(min_length=1, max_length=MOST_COMPARED)]


class PackFlown(BaseModel):
    """A pack flown on the sheet's craft, up to the landing."""

    name: str
    pack: Pack
    landing_s: float
    all_up_mass_kg: float
    used_ah: float
    worst_v_per_cell: float
    hottest_c: float
    to_spare: float


class PackCompared(PackFlown):
    """The same beside others: its 90 % range, energy, currents, and what is wrong with it."""

    range_low_s: float
    range_high_s: float
    used_wh: float
    mean_current_a: float
    cruise_current_a: float
    honest_current_a: float
    stops: list[str]


class ToSearch(BaseModel):
    """What to try on a sheet's craft, what must be met, and how many of the best are wanted."""

    sheet: SheetDocument
    space: SearchSpace
    limits: SearchLimits = SearchLimits()
    most: Annotated[int, Field(ge=1, le=500)] = 20


class SearchResult(BaseModel):
    """How many packs were flown and meet every limit, and the best of these, longest first.

    ``excluded`` says how many each limit leaves out.
    """

    flown: int
    meet: int
    best: list[PackFlown]
    excluded: dict[str, int]


class ToSweep(BaseModel):
    """One input of a sheet, by its path in the document, and its values in the unit of its name."""

    sheet: SheetDocument
    field: Annotated[str, Field(min_length=1, max_length=120, examples=["conditions.air_c"])]
    values: Annotated[
        list[float | str | bool | None], Field(min_length=1, max_length=MOST_VALUES, examples=[[0, 10, 20]])
    ]


class Swept(BaseModel):
    """Columns of a sweep, one entry a value; ``null`` where it cannot be flown, and why."""

    field: str
    values: list[float | str | bool | None]
    columns: dict[str, list[float | None]]
    reasons: list[str]


def _flown(pack: Pack, at_landing: Any) -> dict[str, Any]:
    return {
        "name": pack.name,
        "pack": pack,
        "landing_s": round(at_landing.landing_s, 2),
        "all_up_mass_kg": round(at_landing.all_up_mass_kg, 5),
        "used_ah": round(at_landing.used_ah, 5),
        "worst_v_per_cell": round(at_landing.worst_v, 4),
        "hottest_c": round(at_landing.hottest_c, 2),
        "to_spare": round(at_landing.to_spare, 3),
    }


def _table(rows: Sequence[PackFlown], *, name: str) -> Response:
    """Rows as CSV; a pack is a name and no document there."""
    flat = [row.model_dump(exclude={"pack"}) for row in rows]
    names = list(flat[0]) if flat else [n for n in PackFlown.model_fields if n != "pack"]
    columns = {n: ["; ".join(v) if isinstance(v, list) else v for v in (row[n] for row in flat)] for n in names}
    return given.csv_of(columns, name=name)


@router.post("/compare", response_model=list[PackCompared], responses=_SOME)
def compare(question: ToCompare, table: given.As = "json") -> Any:
    """Several packs side by side; those that would land at once are left out."""
    sheet = plain_sheet(question.sheet)
    try:
        with TURNS.heavy():
            rows, _ = compare_packs(sheet, contenders=[Contender(pack) for pack in question.packs])
    except OutOfRangeError as error:
        raise given.out_of_range(error) from error
    found = [
        PackCompared(
            **_flown(row.pack, row.at_landing),
            range_low_s=round(row.low_s, 2),
            range_high_s=round(row.high_s, 2),
            used_wh=round(row.used_wh, 4),
            mean_current_a=round(row.mean_a, 3),
            cruise_current_a=round(row.cruise_a, 3),
            honest_current_a=round(row.honest.current_a, 2),
            stops=[check.key for check in row.stops()],
        )
        for row in rows
    ]
    return found if table == "json" else _table(found, name="comparison")


@router.post("/search", response_model=SearchResult, responses=_SOME)
def search_for(question: ToSearch, table: given.As = "json") -> Any:
    """Every pack of a search space on a sheet's craft, held against limits."""
    sheet: Sheet = plain_sheet(question.sheet)
    try:
        check_count(question.space)
        with TURNS.heavy():
            found = search(sheet, packs=tuple(candidates(question.space, like=sheet.pack)), limits=question.limits)
    except TooManyCandidatesError as error:
        raise given.refuse([("space", error.why, "too_many")]) from error
    except OutOfRangeError as error:
        raise given.out_of_range(error) from error
    best = [PackFlown(**_flown(found.packs[k], found.summaries[k])) for k in found.order[: question.most].tolist()]
    if table == "csv":
        return _table(best, name="search")
    return SearchResult(
        flown=len(found.packs),
        meet=int(found.order.size),
        best=best,
        excluded={limit.key: limit.count for limit in found.excluded},
    )


@router.post("/sweep", response_model=Swept, responses=_SOME)
def sweep_of(question: ToSweep, table: given.As = "json") -> Any:
    """A sheet forecast at each value of one of its inputs."""
    try:
        with TURNS.heavy():
            found = sweep(plain_sheet(question.sheet), field=question.field, values=question.values)
    except UnknownNameError as error:
        raise given.refuse([("field", error.why, "unknown")]) from error
    columns = {n: [None if v != v else round(v, 5) for v in getattr(found, n).tolist()] for n in COLUMNS}
    if table == "csv":
        named = {question.field: found.values, **columns, "reason": found.reasons}
        return given.csv_of(named, name="sweep")
    return Swept(field=found.field, values=list(found.values), columns=columns, reasons=list(found.reasons))
