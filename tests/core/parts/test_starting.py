"""Starting crafts against what pilots would call usual: docs/physics.md, "Starting crafts"."""

from __future__ import annotations

import math
import re
from pathlib import Path

import pytest

from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.flying import PATTERNS
from zesty_cell.core.asked.sheet import Sheet
from zesty_cell.core.clock import clock
from zesty_cell.core.parts.craft import Assumed, MeasuredFullThrottle
from zesty_cell.core.parts.craft_load import craft_load
from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.power_doubt import FULL_THROTTLE_SIGMA, POWER_SIGMA
from zesty_cell.core.parts.starting import (
    ASSUMED_ELECTRONICS,
    ASSUMED_FULL,
    ASSUMED_SIZE,
    ASSUMED_WEIGHT,
    CARRIES,
    KINDS,
    SAID_WEIGHT,
    kind_like,
    starting_craft,
    usual_dry_kg,
    usual_pack,
    usual_ready_kg,
)

_PHYSICS = Path(__file__).parents[3] / "docs" / "physics.md"


def _rows() -> list[list[str]]:
    text = _PHYSICS.read_text().split("## Starting crafts", 1)[1].split("\n## ", 1)[0]
    rows = [[c.strip() for c in line.strip("|").split("|")] for line in text.splitlines() if line.startswith("|")]
    return rows[2:]


def _made(kind, **said):
    pack = usual_pack(kind, size_m=said.get("size_m"))
    pack_kg = pack_figures(pack).mass_kg
    return starting_craft(kind, name="first", pack_kg=pack_kg, pack=pack, **said), pack, pack_kg


def _seconds(text):
    minutes, seconds = text.split(":")
    return 60.0 * int(minutes) + int(seconds)


def test_every_kind_has_its_row():
    assert [row[0] for row in _rows()] == list(KINDS)


@pytest.mark.parametrize("row", _rows(), ids=lambda row: row[0])
def test_a_starting_craft_is_one_that_pilots_would_know(row):
    key, size, ready_g, cells, watts, steady_a, usual_a, full_a, usual_full_a, mixed, usual_s = row
    kind = KINDS[key]
    craft, pack, pack_kg = _made(kind)
    assert (kind.size_m[1], craft.avionics_w) == (float(size), float(watts))
    assert f"{1000 * (craft.dry_mass_kg + pack_kg):.0f}" == ready_g
    assert f"{pack.series}S {1000 * pack.capacity_ah:.0f}" == cells
    load = craft_load(craft=craft, mass_kg=craft.dry_mass_kg + pack_kg, density_kg_m3=1.225)
    hover_a = (load.steady_w + load.avionics_w) / (3.7 * pack.series)
    flown = forecast(Sheet(name="mixed", craft=craft, pack=pack, flying=PATTERNS[kind.patterns["mixed"]]))
    burst = forecast(Sheet(name="burst", craft=craft, pack=pack, flying=PATTERNS["bench_burst"]))
    assert (f"{hover_a:.1f}", f"{burst.at_landing.peak_a:.0f}") == (steady_a, full_a)
    assert clock(flown.flight.landing_s) == mixed
    for value, usual in ((hover_a, usual_a), (burst.at_landing.peak_a, usual_full_a)):
        low, high = (float(number) for number in usual.split(" to "))
        assert low <= value <= high
    low_s, high_s = (_seconds(text) for text in usual_s.split(" to "))
    assert low_s <= flown.flight.landing_s <= high_s
    # A wide answer: nine in ten flights within a half and a good double of it, never within a tenth.
    assert 1.6 < flown.range.high_s / flown.range.low_s < 3.2


@pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.key)
def test_harder_flying_is_shorter_and_every_size_flies(kind):
    craft, pack, _ = _made(kind)
    landed = [
        forecast(Sheet(name="s", craft=craft, pack=pack, flying=PATTERNS[kind.patterns[manner]])).flight.landing_s
        for manner in ("gentle", "mixed", "hard")
    ]
    assert landed == sorted(landed, reverse=True)
    for size_m in (kind.size_m[0], kind.size_m[2]):
        craft, pack, _ = _made(kind, size_m=size_m)
        result = forecast(Sheet(name="s", craft=craft, pack=pack, flying=PATTERNS[kind.patterns["mixed"]]))
        assert result.at_landing.flies
        assert result.flight.landing_s > 100.0


def test_what_is_said_is_no_longer_assumed():
    kind = KINDS["freestyle"]
    craft, _, pack_kg = _made(kind)
    assert craft.assumed == Assumed(
        weight=ASSUMED_WEIGHT, size=ASSUMED_SIZE, electronics=ASSUMED_ELECTRONICS, full_throttle=ASSUMED_FULL
    )
    said, _, _ = _made(kind, size_m=0.13, ready_kg=0.7)
    assert (said.assumed.weight, said.assumed.size) == (SAID_WEIGHT, 0.0)
    assert said.dry_mass_kg == pytest.approx(0.7 - pack_kg, rel=1e-3)
    # Lighter than its pack: the least that can be.
    assert _made(kind, ready_kg=0.1)[0].dry_mass_kg == pytest.approx(0.015)


def test_the_usual_weight_is_as_wide_as_what_is_assumed():
    low, middle, high = usual_ready_kg(KINDS["freestyle"], size_m=0.13, carries="camera", pack_kg=0.2)
    assert (low, middle, high) == pytest.approx((0.44 * 0.85 + 0.2, 0.64, 0.44 * 1.15 + 0.2))


def test_cameras_weigh_and_take_power():
    kind = KINDS["freestyle"]
    weights = [usual_dry_kg(kind, size_m=0.13, carries=carries) for carries in CARRIES]
    assert weights == pytest.approx([0.42, 0.44, 0.52])
    assert [_made(kind, carries=carries)[0].avionics_w for carries in CARRIES] == [1.5, 7.0, 9.0]
    # A small wing carries a small one, a large one the same.
    wing = KINDS["flying_wing"]
    assert _made(wing, size_m=0.45)[0].avionics_w == pytest.approx(3.0)
    assert _made(wing, size_m=1.8)[0].avionics_w == 6.0


def test_larger_ones_of_a_kind_are_heavier_with_larger_packs_and_faster():
    kind = KINDS["long_range"]
    small, small_pack, _ = _made(kind, size_m=0.152)
    large, large_pack, _ = _made(kind, size_m=0.229)
    assert small.dry_mass_kg / large.dry_mass_kg == pytest.approx((0.152 / 0.229) ** 2, rel=1e-3)
    assert small_pack.capacity_ah < large_pack.capacity_ah
    assert large.cruise_speed_m_s / small.cruise_speed_m_s == pytest.approx(math.sqrt(0.229 / 0.152), rel=0.01)
    assert [usual_pack(KINDS["helicopter"], size_m=size).series for size in (0.3, 0.5, 1.0, 1.5)] == [2, 3, 6, 12]


def test_assumed_figures_widen_power_each_by_what_it_does():
    """P of the disc goes with m^1.4 of which a part is the craft's, with 1/D, and with electronics beside it."""
    craft, _, pack_kg = _made(KINDS["freestyle"])
    mass_kg = craft.dry_mass_kg + pack_kg
    load = craft_load(craft=craft, mass_kg=mass_kg, density_kg_m3=1.225)
    parts = load.power_parts
    assert parts.weight == pytest.approx(1.4 * 0.15 * craft.dry_mass_kg / mass_kg, rel=1e-9)
    assert parts.size == 0.05
    assert parts.electronics == pytest.approx(0.40 * 7.0 / load.steady_w, rel=1e-9)
    assert parts.source == pytest.approx(POWER_SIGMA["rotor"], rel=1e-3)
    assert load.power_sigma == pytest.approx(math.hypot(*parts), rel=1e-12)
    assert load.full_throttle_sigma == pytest.approx(math.hypot(FULL_THROTTLE_SIGMA["estimated"], 0.20))
    measured = craft.model_copy(
        update={"full_throttle": MeasuredFullThrottle(current_a=80.0, voltage_v=20.0, where="flight")}
    )
    known = craft_load(craft=measured, mass_kg=mass_kg, density_kg_m3=1.225)
    assert known.full_throttle_sigma == pytest.approx(FULL_THROTTLE_SIGMA["measured"])


def test_a_craft_of_the_hangar_is_like_a_kind():
    for key in ("micro", "freestyle", "lifter", "plane", "helicopter", "jet"):
        assert kind_like(_made(KINDS[key])[0]).key == key


def test_names_of_patterns_are_patterns():
    assert {p for kind in KINDS.values() for p in kind.patterns.values()} <= set(PATTERNS)
    assert all(re.fullmatch(r"[a-z_]+", key) for key in KINDS)
