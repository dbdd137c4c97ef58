"""Public functions of the core carry docstrings with units, and the glossary's names are in the code."""

from __future__ import annotations

import importlib
import inspect
import pkgutil
import re
from pathlib import Path

import pytest

import zesty_cell.core

MODULES = [
    importlib.import_module(m.name)
    for m in pkgutil.walk_packages(zesty_cell.core.__path__, "zesty_cell.core.")
    if not m.name.endswith("kernel")
]
FUNCTIONS = [
    pytest.param(f, id=f"{module.__name__.removeprefix('zesty_cell.core.')}.{name}")
    for module in MODULES
    for name, f in vars(module).items()
    if inspect.isfunction(f) and f.__module__ == module.__name__ and not name.startswith("_")
]
#: Functions whose result carries no unit: they make entities, dictionaries or plans.
UNITLESS = {
    "chemistry_for",
    "pack_figures",
    "craft_load",
    "load_program",
    "set_up",
    "fly",
    "kernel_parameters",
    "check_flight",
    "forecast",
    "sampled_factors",
    "honest_current",
    "thresholds",
    "quieter_threshold",
    "timers",
    "warm",
    "refused",
}


@pytest.mark.parametrize("function", FUNCTIONS)
def test_a_public_function_says_what_it_gives_and_in_what_unit(function):
    text = inspect.getdoc(function)
    assert text
    if function.__name__ not in UNITLESS:
        assert re.search(r"\[[^\]]+\]", text), "no unit in brackets"


@pytest.mark.parametrize("function", FUNCTIONS)
def test_parameters_are_passed_by_name_except_a_single_subject(function):
    positional = [p for p in inspect.signature(function).parameters.values() if p.kind is p.POSITIONAL_OR_KEYWORD]
    assert len(positional) <= 1


def test_the_glossarys_names_are_in_the_code():
    root = Path(__file__).parents[2]
    table = (root / "docs" / "physics.md").read_text().split("## Glossary")[1].split("## ")[0]
    code = "\n".join(p.read_text() for p in (root / "src" / "zesty_cell" / "core").rglob("*.py"))
    names = re.findall(r"`(\w+)`", table)
    assert len(names) > 20
    assert [name for name in names if name not in code] == []
