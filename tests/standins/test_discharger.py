"""The stand-in discharger as a process of its own, over loopback."""

from __future__ import annotations

import pytest
from starlette.testclient import TestClient

from tests.core.discharge.test_discharge import a_pack
from zesty_cell.formats.csv_table import read_table
from zesty_cell.formats.discharge_csv import guess_discharge, read_discharge
from zesty_cell.standins.discharger_server import create_discharger


@pytest.fixture
def discharger():
    with TestClient(create_discharger()) as client:
        yield client


def order(**other):
    return {
        "pack": a_pack().model_dump(mode="json"),
        "seed": 4,
        "amps": 3.0,
        "cutoff_v": 13.2,
        "every_s": 2,
    } | other


def run_of(answer):
    assert answer.status_code == 200, answer.text
    assert answer.headers["content-type"].startswith("text/csv")
    table = read_table(answer.content)
    return read_discharge(table, guess_discharge(table, series=4)).run


def test_it_holds_a_current_a_power_or_a_pattern(discharger):
    held = run_of(discharger.post("/runs", json=order()))
    assert held.steady == "current"
    assert held.mean_a == pytest.approx(3.0, rel=0.02)
    power = run_of(discharger.post("/runs", json=order(mode="power", watts=45.0)))
    assert power.steady == "power"
    assert power.mean_v * power.mean_a == pytest.approx(45.0, rel=0.02)
    flown = run_of(discharger.post("/runs", json=order(mode="pattern", pattern=[[8, 90], [20, 25]], every_s=1)))
    assert flown.steady == "pattern"


def test_the_same_pack_gives_the_same_and_another_one_something_else(discharger):
    one, again = (discharger.post("/runs", json=order()).text for _ in range(2))
    assert one == again
    assert discharger.post("/runs", json=order(seed=5)).text != one


def test_an_endless_order_ends(discharger):
    answer = discharger.post("/runs", json=order(amps=0.001, every_s=30))
    assert answer.status_code == 200
    assert answer.text.count("\n") < 2000


@pytest.mark.parametrize("other", [{"amps": -1}, {"cutoff_v": 0}, {"mode": "ac"}, {"every_s": 0.001}, {"pack": {}}])
def test_what_it_cannot_do_is_refused(discharger, other):
    assert discharger.post("/runs", json=order(**other)).status_code == 422


def test_it_answers_this_machine_alone(discharger):
    assert discharger.post("/runs", json=order(), headers={"host": "elsewhere.example"}).status_code == 421
