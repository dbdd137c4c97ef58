"""Files of thrust stands: a line a step, or a recording whose throttle stands still at each."""

from __future__ import annotations

import numpy as np
import pytest

from zesty_cell.formats.errors import FileFormatError
from zesty_cell.formats.thrust_csv import steps_of_file
from zesty_cell.formats.thrust_text import read_thrust

STEPS = ((0.25, 180.0, 2.1, 16.4, 9_800.0), (0.5, 520.0, 7.9, 16.1, 15_900.0), (1.0, 1320.0, 33.0, 15.4, 24_500.0))


def rows(separator=","):
    return "\n".join(separator.join(f"{v:g}" for v in (100 * s[0], *s[1:])) for s in STEPS)


def steps(data):
    told = read_thrust(steps_of_file(data).text)
    return [(s.throttle, s.thrust_kg, s.current_a, s.voltage_v, s.rpm or 0.0) for s in told]


WANTED = [pytest.approx((t, g / 1000, a, v, r)) for t, g, a, v, r in STEPS]


@pytest.mark.parametrize(
    "header",
    ["Throttle (%),Thrust (g),Current (A),Voltage (V),RPM", "ESC throttle,Thrust,Current,Voltage,Motor speed (rpm)",
     "Gas,Schub,Strom,Spannung,Drehzahl"],
)  # fmt: skip
def test_a_line_a_step(header):
    found = steps_of_file(f"{header}\n{rows()}\n".encode())
    assert found.lines == 3
    assert steps(f"{header}\n{rows()}\n".encode()) == WANTED


def test_columns_in_any_order_units_by_name_and_what_is_derived_is_left_alone():
    lines = ["Voltage (mV);Electrical power (W);Thrust (N);Current (mA);Thrust/power (g/W);Throttle (µs)"]
    lines += [
        f"{1000 * v:.0f};{a * v:.1f};{g * 9.80665e-3:.5f};{1000 * a:.0f};{g / a / v:.2f};{1000 + 1000 * t:.0f}"
        for t, g, a, v, _ in STEPS
    ]
    found = steps("\n".join(lines).encode())
    assert found == [pytest.approx((t, g / 1000, a, v, 0.0), rel=2e-3) for t, g, a, v, _ in STEPS]


def recorded(*, rate_hz=20, hold_s=4.0, noise=1.0, seed=3):
    """Throttle up by steps; the scale swings and the current settles after each."""
    rng = np.random.default_rng(seed)
    lines, k = ["Time (s),Throttle (%),Thrust (g),Current (A),Voltage (V)"], 0
    for t, g, a, v, _ in ((0.0, 0.0, 0.0, 16.8, 0), *STEPS, (0.0, 0.0, 0.0, 16.6, 0)):
        for n in range(int(hold_s * rate_hz)):
            swing = 1.0 + 0.3 * np.exp(-n / rate_hz / 0.4)
            lines.append(
                f"{k / rate_hz:.2f},{100 * t + 0.3 * rng.normal():.1f},{g * swing + noise * rng.normal():.1f},"
                f"{a * swing + 0.02 * rng.normal():.2f},{v + 0.01 * rng.normal():.2f}"
            )
            k += 1
    return "\n".join(lines).encode()


def test_a_recording_gives_the_settled_end_of_each_step():
    found = steps_of_file(recorded())
    assert found.lines == 400
    # At rest, before and after, the scale shows a gram or two: that is no step.
    wanted = [pytest.approx((t, g / 1000, a, v, 0.0), rel=0.03, abs=0.012) for t, g, a, v, _ in STEPS]
    assert steps(recorded()) == wanted


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"Throttle,Current,Voltage\n50,7,16\n60,8,16\n", "No column is named like thrust"),
        (b"Thrust,Voltage\n50,16\n60,16\n", "No column is named like current"),
        (b"Thrust,Current\n50,16\n60,16\n", "No column is named like voltage"),
        (b"Thrust,Current,Voltage\n" + b"500,8,16\n" * 61, "no column named like throttle"),
        (b"Throttle,Thrust,Current,Voltage\n" + b"5,500,8,16\n9,500,8,16\n" * 45, "never stands"),
        (b"Thrust,Current,Voltage\n0,0,16\n0,0,16\n", "Nothing in it lifts"),
        (b"Thrust,Current,Voltage\n500,x,16\n500,8,16\n", "not a number"),
        (b"", "empty"),
        (bytes(range(256)), "not text"),
        (b"\xff\xfe\x00", "not text|empty|NUL|only one"),
    ],
)  # fmt: skip
def test_what_is_no_run_is_refused_with_its_reason(data, words):
    with pytest.raises(FileFormatError, match=words):
        steps_of_file(data)


def test_more_steps_than_a_bench_has_are_refused():
    lines = ["Throttle,Thrust,Current,Voltage"]
    lines += [f"{k % 2 * 10 + k},500,8,16" for k in range(80) for _ in range(6)]
    with pytest.raises(FileFormatError, match="up to 60 are read"):
        steps_of_file("\n".join(lines).encode())
