"""Codes are good once, for five minutes and five tries, and no more of them than anybody could guess."""

from __future__ import annotations

import sqlite3
import stat
import threading
from contextlib import closing, suppress

import pytest

from zesty_cell.network.devices import (
    ALPHABET,
    CODE_LENGTH,
    CODE_S,
    CODE_TRIES,
    CODES_WITHIN_S,
    FORGOTTEN_S,
    MOST_CODES,
    MOST_DEVICES,
    Devices,
    PairingError,
    typed_code,
)


class Clock:
    """A clock that goes on when it is told to."""

    def __init__(self):
        self.now = 1_800_000_000.0

    def __call__(self):
        return self.now


@pytest.fixture
def clock():
    return Clock()


@pytest.fixture
def devices(tmp_path, clock):
    one = Devices(tmp_path / "devices.sqlite", clock=clock)
    yield one
    one.close()


def wrong_of(code):
    """A code that differs in one place."""
    return ("0" if code[0] != "0" else "1") + code[1:]


def test_a_code_pairs_once(devices):
    code = devices.new_code("field")
    token, device = devices.pair(code.shown, "  Ida's   phone ")
    assert (device.name, device.right) == ("Ida's phone", "field")
    assert devices.of_token(token) == device
    with pytest.raises(PairingError, match="No code is open"):
        devices.pair(code.code, "Another")
    assert [d.name for d in devices.all()] == ["Ida's phone"]


def test_a_code_is_typed_as_it_is_read():
    assert typed_code(" k7qm-2xod ") == "K7QM2X0D"
    assert typed_code("il0o") == "1100"
    assert not set("OILU") & set(ALPHABET)


def test_a_code_is_over_after_five_minutes(devices, clock):
    code = devices.new_code("field")
    clock.now += CODE_S - 1
    devices.pair(code.code, "In time")
    late = devices.new_code("field")
    clock.now += CODE_S
    with pytest.raises(PairingError, match="No code is open"):
        devices.pair(late.code, "Too late")


def test_a_code_is_over_after_five_tries_whoever_makes_them(devices):
    code = devices.new_code("everything")
    for k in range(CODE_TRIES):
        with pytest.raises(PairingError, match="Show a new one" if k == CODE_TRIES - 1 else "left"):
            devices.pair(wrong_of(code.code), "Guesser")
    with pytest.raises(PairingError, match="No code is open"):
        devices.pair(code.code, "The pilot")
    fresh = devices.new_code("everything")
    for _ in range(CODE_TRIES - 1):
        with pytest.raises(PairingError):
            devices.pair(wrong_of(fresh.code), "Guesser")
    assert devices.pair(fresh.code, "The pilot")[1].right == "everything"


def test_a_new_code_ends_the_one_before(devices):
    first = devices.new_code("everything")
    second = devices.new_code("field")
    with pytest.raises(PairingError, match="4 tries left"):
        devices.pair(first.code, "Phone")
    assert devices.pair(second.code, "Phone")[1].right == "field"


def test_a_name_that_will_not_do_costs_no_try(devices):
    code = devices.new_code("field")
    for name in ("", "  ", "x" * 41, "two\x07bells"):
        with pytest.raises(PairingError, match="name"):
            devices.pair(code.code, name)
    devices.pair(code.code, "two\nlines")  # one line of it
    assert devices.all()[0].name == "two lines"


def test_who_guesses_all_year_finds_none(devices, clock):
    for _ in range(MOST_CODES):
        devices.new_code("field")
    with pytest.raises(PairingError, match=r"in 60 min"):
        devices.new_code("field")
    clock.now += CODES_WITHIN_S - 60
    with pytest.raises(PairingError, match=r"in 1 min"):
        devices.new_code("field")
    clock.now += 61
    devices.new_code("field")
    # So many tries in a year, by what was just shown; each finds one of so many codes.
    tries = CODE_TRIES * MOST_CODES * 365.25 * 86_400 / CODES_WITHIN_S
    assert tries / len(ALPHABET) ** CODE_LENGTH < 1e-6


def test_guesses_at_once_count_each(devices):
    code = devices.new_code("field")
    told = []

    def guess():
        try:
            devices.pair(wrong_of(code.code), "Guesser")
        except PairingError as error:
            told.append(str(error))

    threads = [threading.Thread(target=guess) for _ in range(20)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sum(words.startswith("That is not the code") for words in told) == CODE_TRIES
    assert sum(words.startswith("No code is open") for words in told) == 20 - CODE_TRIES


def test_codes_at_once_pair_one(devices):
    code = devices.new_code("field")
    paired = []

    def pair():
        with suppress(PairingError):
            paired.append(devices.pair(code.code, "Phone"))

    threads = [threading.Thread(target=pair) for _ in range(10)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(paired) == 1


def test_only_hashes_are_kept_and_for_the_owner_alone(devices, tmp_path):
    code = devices.new_code("field")
    token, _ = devices.pair(code.code, "Phone")
    path = tmp_path / "devices.sqlite"
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert len(token) >= 43  # 256 bits
    content = path.read_bytes()
    assert token.encode() not in content
    assert code.code.encode() not in content


def test_a_device_is_forgotten_half_a_year_after_its_last_use(devices, clock):
    token, _ = devices.pair(devices.new_code("field").code, "Phone")
    clock.now += FORGOTTEN_S - 60
    assert devices.of_token(token) is not None  # which is a use
    clock.now += FORGOTTEN_S - 60
    assert devices.of_token(token) is not None
    clock.now += FORGOTTEN_S + 61
    assert devices.of_token(token) is None
    assert devices.all() == []


def test_cut_off_it_is_out_at_once(devices):
    token, device = devices.pair(devices.new_code("field").code, "Phone")
    devices.cut_off(device.id)
    assert devices.of_token(token) is None
    devices.cut_off(device.id)  # twice is no trouble
    with pytest.raises(PairingError, match="not paired any more"):
        devices.rename(device.id, "Other")


def test_renamed(devices):
    _, device = devices.pair(devices.new_code("field").code, "Phone")
    devices.rename(device.id, "Ida's")
    with pytest.raises(PairingError, match="Give it a name"):
        devices.rename(device.id, " ")
    assert devices.all()[0].name == "Ida's"


@pytest.mark.parametrize("token", ["", "x", "x" * 101, "ünïcode", "'; DROP TABLE device; --"])
def test_what_is_no_token_is_nobody(devices, token):
    devices.pair(devices.new_code("field").code, "Phone")
    assert devices.of_token(token) is None


def test_there_is_an_end_to_devices(devices, clock):
    for k in range(MOST_DEVICES):
        devices.pair(devices.new_code("field").code, f"Phone {k}")
        clock.now += CODES_WITHIN_S
    code = devices.new_code("field")
    with pytest.raises(PairingError, match="Cut one off first"):
        devices.pair(code.code, "One more")
    devices.cut_off(devices.all()[-1].id)
    devices.pair(code.code, "One more")


def test_a_right_that_nobody_knows_is_the_smaller_one(devices, tmp_path):
    token, _ = devices.pair(devices.new_code("everything").code, "Phone")
    with closing(sqlite3.connect(tmp_path / "devices.sqlite")) as connection:
        connection.execute('UPDATE device SET "right" = ?', ("root",))
        connection.commit()
    assert devices.of_token(token).right == "field"


def test_a_code_that_is_shown_is_one_that_can_be_typed(devices, clock):
    used = devices.new_code("field")
    assert devices.still_open(used)
    devices.pair(used.code, "Phone")
    assert not devices.still_open(used)
    first = devices.new_code("field")
    second = devices.new_code("field")
    assert (devices.still_open(first), devices.still_open(second)) == (False, True)
    for _ in range(CODE_TRIES):
        with pytest.raises(PairingError):
            devices.pair(wrong_of(second.code), "Guesser")
    assert not devices.still_open(second)
    third = devices.new_code("field")
    clock.now += CODE_S - 0.01
    assert devices.still_open(third)
    clock.now += 0.01
    assert not devices.still_open(third)
    # A clock that is turned back opens nothing.
    fourth = devices.new_code("field")
    clock.now -= 3600.0
    assert not devices.still_open(fourth)
