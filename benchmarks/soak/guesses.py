"""Somebody in the same network guesses codes and tokens at full speed, while codes are open one after another."""

from __future__ import annotations

import http.client
import random
import ssl
import tempfile
import threading
import time
import urllib.parse
from collections import Counter
from pathlib import Path

from tests.e2e.lan import ADDRESS, LanServer

from benchmarks.timing import Row
from zesty_cell.beyond import open_devices
from zesty_cell.network.devices import (
    ALPHABET,
    CODE_LENGTH,
    CODE_TRIES,
    CODES_WITHIN_S,
    MOST_CODES,
    PairingError,
)
from zesty_cell.paired import COOKIE

_GUESSERS, _YEAR_S = 6, 365.25 * 86_400.0
_FORM = {"Content-Type": "application/x-www-form-urlencoded"}


def _guess(server: LanServer, until: float, chance: random.Random, found: Counter[str]) -> None:
    context = ssl.create_default_context(cafile=str(server.authority))
    line = http.client.HTTPSConnection(ADDRESS, server.lan_port, context=context, timeout=20)
    while time.monotonic() < until:
        try:
            if chance.random() < 0.8:
                code = "".join(chance.choice(ALPHABET) for _ in range(CODE_LENGTH))
                line.request("POST", "/pair", urllib.parse.urlencode({"code": code, "name": "Guesser"}), _FORM)
            else:
                token = "".join(chance.choice("abcdefghijklmnopqrstuvwxyz0123456789-_") for _ in range(43))
                line.request("GET", "/backup/file", headers={"Cookie": f"{COOKIE}={token}"})
            answer = line.getresponse()
            answer.read()
            found[str(answer.status)] += 1
        except (OSError, http.client.HTTPException):
            line.close()
            found["no answer"] += 1


def guesses(seconds: float = 60.0) -> list[Row]:
    """A minute of it, and what a year of it would find."""
    with tempfile.TemporaryDirectory() as folder:
        server = LanServer(Path(folder) / "club.sqlite")
        server.start()
        devices = open_devices(server.database)
        found: Counter[str] = Counter()
        codes = 0
        try:
            until = time.monotonic() + seconds
            threads = [
                threading.Thread(target=_guess, args=(server, until, random.Random(k), found))
                for k in range(_GUESSERS)
            ]
            for thread in threads:
                thread.start()
            while time.monotonic() < until:
                try:
                    devices.new_code("everything")
                    codes += 1
                except PairingError:
                    time.sleep(1.0)
                time.sleep(0.5)
            for thread in threads:
                thread.join()
            paired = len(devices.all())
        finally:
            devices.close()
            server.stop()
    made = sum(found.values())
    let_in = found["200"] + found["303"]
    a_year = CODE_TRIES * MOST_CODES * _YEAR_S / CODES_WITHIN_S / len(ALPHABET) ** CODE_LENGTH
    return [
        Row(
            "Codes and tokens guessed at full speed for a minute", f"{let_in} let in, {paired} paired", "0",
            let_in == 0 and paired == 0,
            f"{made} guesses over TLS, {codes} codes open one after another, as many as an hour has; "
            + ", ".join(f"{count} × {status}" for status, count in sorted(found.items())),
        ),
        Row(
            "A year of it, a code open all the time", f"{1e6 * a_year:.2f} in a million", "below 1 in a million",
            a_year < 1e-6,
            f"{CODE_TRIES} tries a code, {MOST_CODES} codes an hour, {len(ALPHABET)}^{CODE_LENGTH} codes there are",
        ),
    ]  # fmt: skip
