"""Every fact has its sentence, with every figure it needs, in both unit systems."""

from __future__ import annotations

import ast
from pathlib import Path
from string import Formatter

import pytest

import zesty_cell.core
from zesty_cell.core.fact import fact
from zesty_cell.words.english import ENGLISH
from zesty_cell.words.face import Reader
from zesty_cell.words.say import FORMS, say

CORE = Path(zesty_cell.core.__file__).parent
#: Beside the core files, the store, the services, the pairing of devices and forms have their refusals.
SAYS = tuple(CORE.parent / room for room in ("core", "formats", "store", "services", "network", "web"))
METRIC, IMPERIAL = Reader("metric", "cell"), Reader("imperial", "pack")


def _said_in_the_core():
    """Key of each fact that is made there; a key that is put together is a pattern with stars."""
    for path in sorted(path for place in SAYS for path in place.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id == "fact":
                yield from _keys(node.args[0], node)


def _keys(key, node):
    if isinstance(key, ast.IfExp):
        yield from _keys(key.body, node)
        yield from _keys(key.orelse, node)
    elif isinstance(key, ast.Constant):
        yield key.value, node
    elif isinstance(key, ast.JoinedStr):
        yield "".join(v.value if isinstance(v, ast.Constant) else "*" for v in key.values), node


SAID = list(_said_in_the_core())
PLAINLY = [(key, node) for key, node in SAID if "*" not in key]


def _needs(key):
    return {name for _, name, _, _ in Formatter().parse(ENGLISH[key]) if name}


def test_a_fact_of_the_core_has_its_sentence_and_gives_every_figure():
    assert len(PLAINLY) > 500
    assert [key for key, _ in PLAINLY if key not in ENGLISH] == []
    assert [key for key, node in PLAINLY if not _gives(key, {k.arg for k in node.keywords})] == []


def _gives(key, given):
    if None in given:  # figures that several facts share are handed on whole
        return given - {None} <= _needs(key)
    return given == _needs(key)


def test_no_sentence_is_left_over():
    keys = {key for key, _ in SAID}
    patterns = [key.split("*") for key in keys if "*" in key]
    trees = [ast.parse(path.read_text()) for place in SAYS for path in place.rglob("*.py")]
    named = {node.value for tree in trees for node in ast.walk(tree)
             if isinstance(node, ast.Constant) and isinstance(node.value, str)}  # fmt: skip

    def made(key):
        return key in keys | named or any(
            key.startswith(first) and key.endswith(last) for first, *_, last in patterns
        )

    assert [key for key in ENGLISH if not made(key)] == []


def test_every_sentence_can_be_said_in_both_unit_systems():
    for key in ENGLISH:
        parts = list(Formatter().parse(ENGLISH[key]))
        figures = {name: _example(name, spec) for _, name, spec, _ in parts if name}
        for reader in (METRIC, IMPERIAL):
            said = say(fact(key, **figures), reader)
            assert said, key
            assert "{" not in said, key
        for name, spec in ((name, spec) for _, name, spec, _ in parts if name and spec):
            assert spec == "sentence" or spec in FORMS or format(1.5, spec), f"{key}: {name} has no form “{spec}”"


def _example(name, spec):
    if spec == "sentence":
        return fact("timer.promise.landing")
    if spec or name.endswith(("_kg", "_c", "_s", "_ah", "_v", "_share", "_k", "_m", "_w")):
        return 12.345
    return "Pomelo"


def test_units_are_the_readers():
    hot = fact("health.hot", hottest_c=66.0, limit_c=60.0)
    assert say(hot) == "It was 66 °C hot once; above 60 °C cells age fast."
    assert say(hot, IMPERIAL) == "It was 151 °F hot once; above 140 °F cells age fast."
    colder = fact("cause.colder", apart_k=10.0)
    assert say(colder) == "These flights were in air 10 °C colder than the sheet's."
    assert say(colder, IMPERIAL) == "These flights were in air 18 °F colder than the sheet's."
    assert say(fact("change.lighter", off_kg=0.05), IMPERIAL).startswith("1.8 oz off the craft")
    assert say(fact("change.lower_down", lower_m=500.0), IMPERIAL) == "A field 1\u2009640 ft lower"


def test_a_fact_within_a_fact_is_said_with_it():
    inner = fact("against.longer", apart_share=0.123)
    assert (
        say(fact("against.heavier", time=inner, pack="Lime", apart_kg=0.1))
        == "12 % longer than Lime for 100 g more"
    )


def test_a_fact_within_a_sentence_may_stand_as_one_of_its_own():
    promise = fact("timer.promise.kept", kept_share=0.2)
    assert say(fact("timer.full.short", promise=promise)).startswith("Nineteen of twenty flights land with 20 %")
    took = fact("timer.took", flights=3, ah_per_minute=0.0123)
    assert say(fact("timer.full", took=took, promise=promise)).startswith(
        "3 flights took 12.3 mAh a minute: nineteen"
    )
    assert "took 20 mAh" in say(fact("timer.took", flights=3, ah_per_minute=0.02))


def test_volts_to_set_have_the_decimals_of_their_step():
    figures = dict(flights=3, left_share=0.3, kept_share=0.2)
    assert "go 0.4 V lower" in say(fact("threshold.lower", volts=0.4, **figures))
    assert "go 0.04 V lower" in say(fact("threshold.lower", volts=0.04, **figures))


def test_a_fact_without_its_sentence_or_its_figure_is_an_error():
    with pytest.raises(KeyError):
        say(fact("nothing.of_the_kind"))
    with pytest.raises(KeyError):
        say(fact("health.hot", hottest_c=66.0))
