"""Public functions of the core carry docstrings with units, and the glossary's names are in the code."""

from __future__ import annotations

import ast
import importlib
import inspect
import pkgutil
import re
import textwrap
from pathlib import Path

import zesty_cell.core

MODULES = [
    importlib.import_module(m.name)
    for m in pkgutil.walk_packages(zesty_cell.core.__path__, "zesty_cell.core.")
    if not m.name.endswith("kernel")
]
FUNCTIONS = {
    f"{module.__name__.removeprefix('zesty_cell.core.')}.{name}": f
    for module in MODULES
    for name, f in vars(module).items()
    if inspect.isfunction(f) and f.__module__ == module.__name__ and not name.startswith("_")
}
#: What may stand in brackets as a unit, alone or in a product: SI, what pilots write, 1 for none.
_UNIT = re.compile(
    r"^(?:0|1|1/K|1/s|1/h|%|V|mV|A|mA|Ah|mAh|s|min|ms|h|Hz|K|°C|kg|g|m|mm²|m²|m³|W|Wh|J|N|Pa|Ω|mΩ|m/s|flights?|packs?|readings?|days?"
    r"|samples?|Ω·m|[A-Za-zΩ°²³%]{1,4}(?:[·/][A-Za-zΩ°²³()·]{1,8}){1,2})$"
)
#: Between them in one bracket: “[V, A]”, “[1, °C]”, “[V a cell]”, “[Ah, whole pack]”, “[0 to 1]”.
_OF = re.compile(
    r" (?:a|an|each|per|of|apart|over|at|by|as|from|to|in|under|the|whole|ahead|late|early)\b.*$|, whole pack$"
)


def _units_in(text: str) -> list[str]:
    """What of a docstring's brackets is a unit."""
    inside = re.findall(r"\[([^\]]+)\]", text)
    return [one for brackets in inside for one in brackets.split(", ") if _UNIT.match(_OF.sub("", one.strip()))]


def _annotations(function) -> list[str]:
    return [str(a) for name, a in function.__annotations__.items() if name != "self"]


def _raised(function) -> set[str]:
    """Names of the exceptions that a function raises itself."""
    tree = ast.parse(textwrap.dedent(inspect.getsource(function)))
    found = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and isinstance(node.exc.func, ast.Name):
            found.add(node.exc.func.id)
    return found


def _wrong(so) -> list[str]:
    """Names of the functions of which it is not so; all of them in one look, as there are hundreds."""
    assert len(FUNCTIONS) > 300
    return [name for name, f in FUNCTIONS.items() if not so(f, inspect.getdoc(f) or "")]


def _says_its_unit(function, text: str) -> bool:
    # A figure needs its unit; a count, a key, a plan has none to give.
    has_figures = any(re.search(r"\bfloat\b|NDArray\[np\.float64\]", a) for a in _annotations(function))
    return not has_figures or bool(_units_in(text)) or "own unit" in text or "read out" in text


def test_a_public_function_says_what_it_gives_and_in_what_unit():
    assert _wrong(lambda _, text: bool(text)) == []
    assert _wrong(_says_its_unit) == []
    assert _wrong(lambda _, text: "[none]" not in text and "no unit]" not in text) == []


def test_arrays_say_their_shapes():
    shape = re.compile(r"shape|\([a-z0-9_ ·+]+,\)|\([a-z0-9_]+, [a-z0-9_]+\)")
    arrays = ("NDArray", "FloatArray")
    assert (
        _wrong(lambda f, text: not any(w in a for a in _annotations(f) for w in arrays) or shape.search(text)) == []
    )


def test_what_is_raised_is_told():
    assert _wrong(lambda f, text: all(name in text.partition("Raises")[2] for name in _raised(f))) == []


def test_parameters_are_passed_by_name_except_a_single_subject():
    def named(function, _text: str) -> bool:
        parameters = inspect.signature(function).parameters.values()
        return sum(p.kind is p.POSITIONAL_OR_KEYWORD for p in parameters) <= 1

    assert _wrong(named) == []


def test_the_glossarys_names_are_in_the_code():
    root = Path(__file__).parents[2]
    table = (root / "docs" / "physics.md").read_text().split("## Glossary")[1].split("## ")[0]
    code = "\n".join(p.read_text() for p in (root / "src" / "zesty_cell" / "core").rglob("*.py"))
    names = re.findall(r"`(\w+)`", table)
    assert len(names) > 20
    assert [name for name in names if name not in code] == []
