"""The page of figures, docs/benchmarks.md: what writes one part of it leaves the others."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from tests.mutants import TITLE as MUTANTS_TITLE

from benchmarks.timing import Row

REPORT = Path(__file__).parents[1] / "docs" / "benchmarks.md"
#: Parts that others write, in their order at the end of the page.
SOAK_TITLE = "## Hostile days"
_OTHERS = (SOAK_TITLE, MUTANTS_TITLE)


def table(rows: list[Row]) -> str:
    """Rows as a table."""
    lines = [
        "| what | measured | asked for | met | inside the measured region |",
        "| --- | --- | --- | --- | --- |",
    ]
    lines += [f"| {r.what} | {r.measured} | {r.asked} | {'yes' if r.met else 'NO'} | {r.inside} |" for r in rows]
    return "\n".join(lines) + "\n"


def _parts(text: str) -> tuple[str, dict[str, str]]:
    """The page up to what others write, and that by its title."""
    found, before = {}, text
    for title in reversed(_OTHERS):
        before, mark, rest = before.partition(title)
        if mark:
            found[title] = rest.strip("\n")
    return before.rstrip("\n"), found


def _written(before: str, parts: dict[str, str]) -> None:
    kept = [f"{title}\n\n{parts[title]}" for title in _OTHERS if title in parts]
    REPORT.write_text("\n\n".join([before.rstrip("\n"), *kept]) + "\n")


def _figures(before: str) -> dict[str, str]:
    """Parts of the page that `make bench` wrote, by title."""
    parts = before.split("\n## ")[1:]
    return {title: text.strip("\n") for title, _, text in (part.partition("\n") for part in parts)}


def write_figures(head: str, measured: dict[str, str], order: Sequence[str]) -> None:
    """Put what `make bench` measured in place of what it did before; parts that it did not measure stay."""
    before, others = _parts(REPORT.read_text())
    parts = _figures(before) | {title: text.strip("\n") for title, text in measured.items()}
    pages = [f"## {title}\n\n{parts[title]}\n" for title in order if title in parts]
    _written("\n".join([head, *pages]), others)


def write_soak(text: str) -> None:
    """Put what came of `make soak` in place of what did before."""
    before, parts = _parts(REPORT.read_text())
    _written(before, parts | {SOAK_TITLE: text.strip("\n")})
