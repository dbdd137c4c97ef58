"""What the package imports is what it asks for: an install by itself has no test's libraries."""

from __future__ import annotations

import ast
import re
import sys
import tomllib
from importlib.metadata import packages_distributions
from pathlib import Path

import zesty_cell

ROOT = Path(__file__).parents[1]
SOURCE = Path(zesty_cell.__file__).parent


def _named(requirement: str) -> str:
    return re.split(r"[\s\[<>=!~;]", requirement.strip())[0].lower().replace("_", "-")


def _declared() -> set[str]:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    optional = [r for group in project["optional-dependencies"].values() for r in group]
    return {_named(r) for r in [*project["dependencies"], *optional]}


def _imported() -> dict[str, str]:
    """Top-level packages that are imported anywhere, each with one file that does."""
    found = {}
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            names = []
            if isinstance(node, ast.Import):
                names = [alias.name for alias in node.names]
            elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                names = [node.module]
            found |= {name.split(".")[0]: path.relative_to(SOURCE).as_posix() for name in names}
    return {name: where for name, where in found.items() if name not in sys.stdlib_module_names}


def test_every_package_that_is_imported_is_asked_for():
    distributions, declared = packages_distributions(), _declared()
    ours = {"zesty_cell"}
    missing = {
        name: where
        for name, where in _imported().items()
        if name not in ours and not declared & {_named(d) for d in distributions.get(name, [name])}
    }
    assert missing == {}


def test_what_is_asked_for_is_locked_for_those_who_only_run_it():
    locked = {
        _named(line) for line in (ROOT / "requirements" / "runtime.txt").read_text().splitlines() if "==" in line
    }
    assert _declared() - locked == set()
    assert len(locked) > 15
