"""One message over a redirect: a fact goes along, and is said where it is shown, in the units of who looks."""

from __future__ import annotations

import base64
import json

import pytest
from fastapi import Response
from starlette.requests import Request

from zesty_cell.core.fact import fact
from zesty_cell.web.http.messages import COOKIE, said, say
from zesty_cell.web.http.preferences import COOKIE as VIEW

_HOT = fact("health.hot", hottest_c=66.0, limit_c=60.0)


def _with(cookie, units="metric"):
    cookies = f"{COOKIE}={cookie}; {VIEW}=units-{units}"
    return Request({"type": "http", "method": "GET", "path": "/", "headers": [(b"cookie", cookies.encode())]})


def _sent(what, undo=""):
    set_cookie = say(Response(), what, undo=undo).headers["set-cookie"]
    return set_cookie.split(";")[0].removeprefix(f"{COOKIE}=")


def _packed(of):
    return base64.urlsafe_b64encode(json.dumps(of).encode()).decode()


def test_a_message_is_said_in_the_units_of_who_reads_it():
    there = _sent(_HOT)
    assert said(_with(there))[0].startswith("It was 66 °C hot once")
    assert said(_with(there, "imperial"))[0].startswith("It was 151 °F hot once")


def test_a_fact_within_a_message_goes_along():
    text, undo = said(_with(_sent(fact("said.nothing_changed", why=_HOT), undo="/log/3/undelete"), "imperial"))
    assert text == "It was 151 °F hot once; above 140 °F cells age fast. Nothing was changed."
    assert undo == "/log/3/undelete"


def test_a_text_is_itself_and_a_long_name_is_cut():
    assert said(_with(_sent("It was 66 °C.")))[0] == "It was 66 °C."
    assert len(said(_with(_sent(fact("said.named.saved", name="x" * 5000))))[0]) < 330


def test_what_stands_too_deep_or_is_too_long_for_a_cookie_is_said_all_the_same():
    deep = "the end"
    for _ in range(8):
        deep = fact("said.nothing_changed", why=deep)
    assert said(_with(_sent(deep)))[0] == "the end" + " Nothing was changed." * 8
    long = fact("said.points.corrected", craft="ü" * 300, moved=fact("said.plan.mended", mend="ö" * 300))
    for _ in range(3):
        long = fact("said.pack.not_added", pack="ä" * 300, why=long)
    assert said(_with(_sent(long, undo="/sheets/3/delete"))) == ("ä" * 300, "/sheets/3/delete")


@pytest.mark.parametrize(
    "forged",
    [
        ["no.such.key", {}],
        ["said.named.saved", {}],
        ["said.named.saved", {"name": None}],
        ["said.copy", {"a": ["said.copy", {"b": ["said.copy", {"c": ["said.copy", {"d": ["said.copy", {}]}]}]}]}],
        ["said.named.saved", ["name"]],
        ["said.rule.tuned", {"pack_v": "wide", "hold_s": 1}],
        ["said.copy"],
        [["said.copy", {}], {}],
        {"said.copy": {}},
        7,
        None,
    ],
)  # fmt: skip
def test_what_is_no_message_of_ours_says_nothing(forged):
    assert said(_with(_packed([forged, ""]))) is None


def test_an_undo_is_a_path_on_this_site():
    assert said(_with(_packed([["said.copy", {}], "//elsewhere/x"]))) is None
    assert said(_with(_packed([["said.copy", {}], "/sheets/3/delete"]))) == (
        "This is the copy.",
        "/sheets/3/delete",
    )
