"""Hostile requests over every address that takes one: forms as they stand on the pages, spoilt in many ways."""

from __future__ import annotations

import base64
import json
import random
import re
from collections import Counter
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any
from urllib.parse import urlencode

from benchmarks.soak.house import House, PageForm, crawl, house
from benchmarks.timing import Row
from zesty_cell.web.rooms import ROOMS

#: Numbers that are none of ours, or of nobody.
IDS = (
    "0", "-1", "1", "2", "3", "7", "999999", "2147483648", "9223372036854775807", "9223372036854775808", "1" * 40,
    "1e3", "0x10", " 1", "１", "None", "../1", "%00", "1%0a", "é",
)  # fmt: skip
#: What is typed by nobody, or by somebody on a bad day.
TEXTS = (
    "", " ", "0", "-1", "1", "1e308", "1e-308", "nan", "inf", "-0", "9" * 400, "1,5", "1.5.5", "٣", "²", "½",
    "1_000", "a\tb", "a\nb", "a\r\nb", "a\x00b", "a\u2028b", "\u202eabc", "\ufeff", "\ud83d\ude00",
    "e\u0301" * 40, "x" * 81, "x" * 5000, "<script>alert(1)</script>", "';--", "{{7*7}}", "=1+1", "|calc", "％",
    "../../etc", "null", "true", "[]", "{}", '{"a":1}', "2099-01-01T00:00", "0001-01-01T00:00",
    "9999-12-31T23:59:59+14:00", "1970-01-01", "24:00", "2026-02-30T10:00", "99:99:99", "9007199254740993", "lent",
    "own", "spare",
)  # fmt: skip
#: Files of no kind.
FILES = (
    b"", b"\x00" * 50, b"a,b\n1,2\n", b'"', b"\n" * 4000, b"RIFF", b"{", b"SQLite format 3\x00",
)  # fmt: skip
HEADERS: tuple[dict[str, str], ...] = (
    {},
    {},
    {},
    {"origin": "http://["},
    {"origin": "null"},
    {"sec-fetch-site": "cross-site"},
    {"sec-fetch-site": "x" * 300},
    {"accept": "application/json"},
    {"accept": ";;;q=x"},
    {"accept-language": "\u00e9" * 20},
    {"range": "bytes=9-1"},
    {"if-none-match": '"'},
    {"referer": "http://["},
    {"cookie": "zesty_cell_view=units-imperial.volts-pack.theme-sun"},
    {"cookie": "zesty_cell_view=" + "." * 500},
    {"cookie": "zesty_cell_said=" + base64.urlsafe_b64encode(b"[" * 3000).decode()},
    {"cookie": "zesty_cell_said=" + base64.urlsafe_b64encode(json.dumps(["x", "//evil"]).encode()).decode()},
    {"cookie": "zesty_cell_said=\u00e9"},
    {"host": "127.0.0.1:99999999"},
    {"content-type": "text/plain"},
)


#: What each address is asked for besides.
QUESTIONS: dict[str, tuple[str, ...]] = {}


@dataclass
class Found:
    """What came of a run."""

    asked: int = 0
    statuses: Counter[int] = field(default_factory=Counter)
    broken: list[str] = field(default_factory=list)
    unreadable: list[str] = field(default_factory=list)
    unforeseen: int = 0


def routes() -> list[tuple[str, re.Pattern[str], str]]:
    """Every address and method: as written, as a pattern, the method."""
    modules = [f"zesty_cell.web.{name}" for names in ROOMS.values() for name in names]
    modules += ["zesty_cell.web.home.view", "zesty_cell.web.sheet.view", "zesty_cell.web.sheet.list_view"]
    found = []
    for module in modules:
        for route in import_module(module).router.routes:
            if names := [p.alias for p in route.dependant.query_params]:
                QUESTIONS[route.path] = tuple(names)
            for method in sorted(route.methods):
                pattern = re.compile(re.sub(r"\{[^}]+\}", "[^/]+", route.path) + r"(\?.*)?$")
                found.append((route.path, pattern, method))
    return found


def _spoilt(fields: list[tuple[str, str]], chance: random.Random) -> list[tuple[str, str]]:
    """A form with one or a few things wrong, or with nothing wrong at all."""
    fields = list(fields)
    for _ in range(chance.choice((0, 1, 1, 1, 2, 3, 8))):
        if not fields:
            break
        k = chance.randrange(len(fields))
        name, value = fields[k]
        way = chance.randrange(8)
        if way <= 3:
            fields[k] = (name, chance.choice(TEXTS))
        elif way == 4:
            del fields[k]
        elif way == 5:
            fields.insert(k, (name, chance.choice(TEXTS)))
        elif way == 6:
            fields[k] = (chance.choice(TEXTS) or "x", value)
        else:
            fields[k] = (name, value + chance.choice(TEXTS))
    if chance.random() < 0.04:
        return [("x", "1")]
    if chance.random() < 0.02:
        fields += [(f"more_{k}", "1") for k in range(2000)]
    return fields


def _encoded(text: str) -> str:
    return text.encode("utf-8", "surrogatepass").decode("utf-8", "replace")


def _asked(path: str, chance: random.Random) -> str:
    """An address with numbers and questions that may be anybody's."""
    address = re.sub(r"\{[^}]+\}", lambda _: chance.choice(IDS[:6] if chance.random() < 0.5 else IDS), path)
    names = QUESTIONS.get(path, ())
    asked = [(name, chance.choice(TEXTS + IDS)) for name in names if chance.random() < 0.6]
    return address + (f"?{urlencode([(n, _encoded(v)) for n, v in asked])}" if asked else "")


def _ask(at: House, path: str, form: PageForm | None, method: str, chance: random.Random) -> int:
    headers = dict(chance.choice(HEADERS))
    address = form.action if form is not None and chance.random() < 0.75 else _asked(path, chance)
    if method == "GET":
        return at.client.get(address, headers=_sendable(headers)).status_code
    fields = [(n[:900], v) for n, v in _spoilt(form.fields if form else [("x", "1")], chance)]
    given: dict[str, Any] = {}
    way = chance.random()
    if (form is not None and form.files) or way < 0.05:
        names = (form.files if form is not None else None) or ["file"]
        data = chance.choice(
            (b"", b"\x00" * 50, b"a,b\n1,2\n", b'"', b"\n" * 4000, b"RIFF", b"{", b"SQLite format 3\x00")
        )
        given["files"] = {names[0]: (_encoded(chance.choice(TEXTS))[:200], data)}
        given["data"] = {_encoded(n): _encoded(v) for n, v in fields}
    elif way < 0.08:
        given["content"] = chance.choice((b"", b"\xff\xfe", b"{" * 3000, b"%", b"a=%zz&b", b"=&=&="))
        headers.setdefault("content-type", "application/x-www-form-urlencoded")
    elif way < 0.1:
        given["content"] = b"--x\r\nbroken"
        headers["content-type"] = "multipart/form-data; boundary=x"
    elif way < 0.13:
        given["content"] = json.dumps(dict(fields)).encode()
        headers["content-type"] = "application/json"
    else:
        given["content"] = urlencode([(_encoded(n), _encoded(v)) for n, v in fields]).encode()
        headers.setdefault("content-type", "application/x-www-form-urlencoded")
    answer = at.client.request(method, address, headers=_sendable(headers), **given)
    return answer.status_code


def _sendable(headers: dict[str, str]) -> dict[str, bytes]:
    return {name: value.encode("latin-1", "replace") for name, value in headers.items()}


def run(*, seed: int, many: int, read_every: int = 250) -> Found:
    """Ask so many hostile things, and read the pages in between: whatever was taken must be readable."""
    found, chance = Found(), random.Random(seed)
    with house() as at:
        _, forms = crawl(at.client)
        known = routes()
        by_route = {path: [f for f in forms if pattern.match(f.action)] for path, pattern, _ in known}
        while found.asked < many:
            path, _, method = chance.choice(known)
            form = chance.choice(by_route[path]) if by_route[path] else None
            before = len(at.told.lines)
            status = _ask(at, path, form, method, chance)
            found.asked += 1
            found.statuses[status] += 1
            if (status >= 500 and status != 503) or len(at.told.lines) > before:
                told = at.told.lines[-1] if len(at.told.lines) > before else ""
                found.broken.append(f"{status} {method} {path}: {told[-300:]}")
            if found.asked % read_every == 0 or found.asked == many:
                seen, forms = crawl(at.client, of_a_kind=4)
                by_route = {path: [f for f in forms if pattern.match(f.action)] for path, pattern, _ in known}
                found.unreadable += [f"{s} {a}" for a, s in seen.items() if s >= 500]
        found.unforeseen = len(at.told.lines)
    return found


def hostile(*, many: int = 2500, seeds: tuple[int, ...] = (1, 2)) -> list[Row]:
    """So many from each seed."""
    runs = [run(seed=seed, many=many) for seed in seeds]
    broken = [
        f"seed {seed}: {what}" for seed, r in zip(seeds, runs, strict=True) for what in r.broken + r.unreadable
    ]
    for what in broken:
        print(f"    {what}", flush=True)
    bad = len(broken)
    lines = sum(r.unforeseen for r in runs)
    return [
        Row(
            what=f"{sum(r.asked for r in runs)} hostile requests over all addresses that take one",
            measured=f"{bad} answers of 500 and above but 503, {lines} unforeseen lines in the log",
            asked="0 and 0",
            met=bad == 0 and lines == 0,
            inside="forms as they stand on the pages, spoilt; every kind of page read again after each 250",
        )
    ]
