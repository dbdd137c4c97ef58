"""What a person who imports the package asks in one call where the application takes several steps."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.callouts.telemetry import Telemetry
from zesty_cell.core.choose.candidates import SearchSpace, candidates, check_count
from zesty_cell.core.choose.compare import Compared, Contender, compare_packs
from zesty_cell.core.choose.search import Found, SearchLimits
from zesty_cell.core.choose.search import search as search_packs
from zesty_cell.core.parts.pack import Pack
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.telemetry_columns import guess_mapping
from zesty_cell.formats.telemetry_csv import read_telemetry


def compare(sheet: Sheet, /, packs: Sequence[Pack]) -> tuple[Compared, ...]:
    """Several packs on a sheet's craft, pattern, air and landing rule, in the order given.

    Those that cannot be flown (a rule that would land at once) are left out.

    Raises
    ------
    OutOfRangeError
        When there are more than stand side by side.
    """
    rows, _ = compare_packs(sheet, contenders=[Contender(pack) for pack in packs])
    return rows


def search(sheet: Sheet, /, space: SearchSpace, *, limits: SearchLimits | None = None) -> Found:
    """Every pack of a search space on a sheet's craft, held against limits: arrays of shape (n,) [s, A, V, °C].

    Raises
    ------
    TooManyCandidatesError
        When the space holds more packs than are flown at a time.
    """
    check_count(space)
    packs = tuple(candidates(space, like=sheet.pack))
    return search_packs(sheet, packs=packs, limits=limits or SearchLimits())


def read_log(file: Path | str | bytes, /, *, series: int) -> Telemetry:
    """A telemetry log from a CSV file, its columns as the application would propose them [s, V, A, Ah, 1].

    Parameters
    ----------
    file : path, or bytes
    series : int
        Cells in series of the pack flown [1]: it tells volts of the pack from volts a cell.

    Raises
    ------
    FileFormatError
        With line and column.
    """
    table = read_table(file if isinstance(file, bytes) else Path(file).read_bytes())
    return read_telemetry(table, guess_mapping(table, series=series)).telemetry
