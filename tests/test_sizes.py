"""No file over 400 lines and no function over 60: past that it is two things.  A march in time is one loop."""

from __future__ import annotations

import ast
from pathlib import Path

import zesty_cell

SOURCE = Path(zesty_cell.__file__).parent
MOST_LINES, MOST_LINES_OF_A_FUNCTION = 400, 60
#: Of our own modules, that one of the web's imports: a page that needs more is two.
MOST_IMPORTS = 15
#: Loops over time, whose states would have to be handed from part to part.
MARCHES = {
    "core/flight/kernel.py",
    "core/flight/watch.py",
    "core/flight/watch_kernel.py",
    "standins/otherworld.py",
}
FILES = sorted(p.relative_to(SOURCE).as_posix() for p in SOURCE.rglob("*.py"))


def _too_long(name):
    text = (SOURCE / name).read_text()
    defined = [n for n in ast.walk(ast.parse(text)) if isinstance(n, ast.FunctionDef | ast.AsyncFunctionDef)]
    lengths = {n.name: n.end_lineno - n.lineno + 1 for n in defined}
    found = {name: lines for name, lines in lengths.items() if lines > MOST_LINES_OF_A_FUNCTION}
    return found | ({name: text.count("\n")} if text.count("\n") > MOST_LINES else {})


def test_every_file_and_its_functions_can_be_read_at_a_sitting():
    assert len(FILES) > 400
    assert {name: found for name in FILES if name not in MARCHES and (found := _too_long(name))} == {}


def test_only_what_needs_it_is_let_off():
    assert [name for name in sorted(MARCHES) if not _too_long(name)] == []


def _own_imports(name):
    tree = ast.walk(ast.parse((SOURCE / name).read_text()))
    return {n.module for n in tree if isinstance(n, ast.ImportFrom) and (n.module or "").startswith("zesty_cell")}


def test_a_page_knows_fifteen_others_at_most():
    pages = [name for name in FILES if name.startswith("web/")]
    assert len(pages) > 150
    assert {name: count for name in pages if (count := len(_own_imports(name))) > MOST_IMPORTS} == {}


def _is_view(module):
    return module.startswith("zesty_cell.web.") and module.rsplit(".", 1)[1].endswith("view")


def test_no_view_knows_another():
    views = [name for name in FILES if name.startswith("web/") and name.endswith("view.py")]
    assert len(views) > 50
    assert {name: found for name in views if (found := sorted(filter(_is_view, _own_imports(name))))} == {}
