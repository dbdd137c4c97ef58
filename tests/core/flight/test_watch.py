"""The watchers that read knots, against one that looks at every sample."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zesty_cell.core.flight import kernel as K
from zesty_cell.core.flight.watch import count_calls, low_for_good, score_flights, try_settings

DT_S = 0.1
EARLY = 0.08
HOLDS = (5, 10)  # samples
FRESH_A, END_A = 60.0, 40.0


@dataclass
class Sampled:
    """A flight as a transmitter sees it."""

    time_s: np.ndarray
    loaded_v: np.ndarray
    weakest_v: np.ndarray
    cruise_v: np.ndarray
    charge_left: np.ndarray
    current_a: np.ndarray


def sampled(at: np.ndarray, summary: np.ndarray, *, dt_s: float) -> Sampled:
    """Samples of a flight's knots, each with the load that begins there."""
    at = at[: int(summary[K.KNOTS])]
    time_s = np.arange(round(np.ceil(summary[K.END_S] / dt_s - 1e-6))) * dt_s
    step = np.searchsorted(at[:, K.N_AT_S], time_s + 1e-7) - 1
    part = (time_s - at[step, K.N_AT_S]) / np.diff(at[:, K.N_AT_S])[step]

    def straight(after, before):
        return at[step, after] + part * (at[step + 1, before] - at[step, after])

    return Sampled(
        time_s,
        straight(K.N_AFTER_V, K.N_BEFORE_V),
        straight(K.N_WEAKEST_AFTER_V, K.N_WEAKEST_BEFORE_V),
        straight(K.N_CRUISE_V, K.N_CRUISE_V),
        straight(K.N_CHARGE_LEFT, K.N_CHARGE_LEFT),
        straight(K.N_AFTER_A, K.N_BEFORE_A),
    )


def knots(steps, cruise_v):
    """Knots of steps of (seconds, volts at begin and end, amps), on a pack that goes from full to a fifth."""
    at = np.zeros((len(steps) + 1, K.KNOT_COLUMNS))
    at[1:, K.N_AT_S] = np.cumsum([s[0] for s in steps])
    for k, (_, begin_v, end_v, amps) in enumerate(steps):
        at[k, [K.N_AFTER_V, K.N_WEAKEST_AFTER_V, K.N_AFTER_A]] = begin_v, begin_v - 0.02, amps
        at[k + 1, [K.N_BEFORE_V, K.N_WEAKEST_BEFORE_V, K.N_BEFORE_A]] = end_v, end_v - 0.02, amps
    at[:, K.N_CRUISE_V] = cruise_v
    at[:, K.N_CHARGE_LEFT] = 1.0 - 0.8 * at[:, K.N_AT_S] / at[-1, K.N_AT_S]
    summary = np.zeros(K.SUMMARY_COUNT)
    summary[[K.KNOTS, K.END_S]] = len(at), at[-1, K.N_AT_S]
    summary[[K.FULL_FRESH_A, K.FULL_END_A, K.END_CHARGE_LEFT]] = FRESH_A, END_A, 0.2
    return at[None], summary[None]


def tried(at, summary, threshold_v, *, throttle_under=2.0, used_over=0.0, shown=1.0):
    """First call and first true one of one setting, by hold."""
    first, true = np.empty((1, 1, len(HOLDS))), np.empty((1, 1, len(HOLDS)))
    one = np.array([threshold_v]), np.array([throttle_under]), np.array([[used_over]])
    try_settings(at, summary, DT_S, *one, np.array([shown]), EARLY, 1.0, np.array(HOLDS), first, true)
    return first[0, 0].tolist(), true[0, 0].tolist()


def looked_at(flight: Sampled, threshold_v, *, throttle_under=2.0, used_over=0.0, shown=1.0):
    """The same, sample by sample."""
    over = np.flatnonzero(flight.cruise_v >= threshold_v)
    end_begins = int((over[-1] + 1 if over.size else 0) * (1.0 - EARLY))
    full_a = END_A + (FRESH_A - END_A) * (flight.charge_left - 0.2) / 0.8
    met = flight.loaded_v * shown < threshold_v
    if used_over > 0.0:
        met &= flight.charge_left <= 1.0 - used_over
    if throttle_under <= 1.0:
        met &= flight.current_a < throttle_under**2 * full_a
    first, true, under = [np.inf] * len(HOLDS), [np.inf] * len(HOLDS), 0
    for n, is_met in enumerate(met):
        for j, hold in enumerate(HOLDS):
            if is_met and under == hold:
                first[j] = min(first[j], n * DT_S)
                if n >= end_begins:
                    true[j] = min(true[j], n * DT_S)
        under = under + 1 if is_met else 0
    return first, true


def test_a_spell_shorter_than_the_hold_stays_silent_and_one_longer_speaks_when_it_is_over():
    # Five samples span 0.4 s: not yet a hold of 0.5 s.
    short = knots([(1.0, 4.0, 4.0, 9.0), (0.5, 3.0, 3.0, 50.0), (1.0, 4.0, 4.0, 9.0)], 4.0)
    assert tried(*short, 3.5) == ([np.inf, np.inf], [np.inf, np.inf])
    longer = knots([(1.0, 4.0, 4.0, 9.0), (0.6, 3.0, 3.0, 50.0), (1.0, 4.0, 4.0, 9.0)], 4.0)
    assert tried(*longer, 3.5) == ([pytest.approx(1.5), np.inf], [np.inf, np.inf])


def test_a_pack_that_is_low_in_earnest_is_called_truly_and_where_the_line_crosses():
    # From 4.0 V at 1 s to 3.0 V at 3 s: under 3.5 V from the first sample after 2 s, for good.
    at, summary = knots([(1.0, 4.0, 4.0, 9.0), (2.0, 4.0, 3.0, 9.0), (2.0, 3.0, 3.0, 9.0)], [4.0, 4.0, 3.0, 3.0])
    first, true = tried(at, summary, 3.5)
    assert first == true == [pytest.approx(2.6), pytest.approx(3.1)]
    low = np.zeros(1, dtype=np.int64)
    low_for_good(at, summary, DT_S, 3.5, low)
    assert low[0] == 21
    low_for_good(at, summary, DT_S, 2.5, low)
    assert low[0] == 50  # never: all of them
    low_for_good(at, summary, DT_S, 4.5, low)
    assert low[0] == 0


_STEPS = st.lists(
    st.tuples(
        st.floats(0.03, 4.0),
        st.floats(3.0, 4.0),
        st.floats(3.0, 4.0),
        st.floats(1.0, 60.0),
    ),
    min_size=3,
    max_size=25,
)


@settings(max_examples=200, deadline=None)
@given(
    steps=_STEPS,
    falls=st.floats(0.0, 0.8),
    threshold_v=st.floats(3.05, 3.95),
    throttle_under=st.sampled_from([2.0, 0.9, 0.6, 0.3]),
    used_over=st.sampled_from([0.0, 0.1, 0.5]),
    shown=st.sampled_from([1.0, 0.97, 1.02]),
)
def test_reading_between_knots_is_looking_at_every_sample(
    steps, falls, threshold_v, throttle_under, used_over, shown
):
    at, summary = knots(steps, np.linspace(4.0, 4.0 - falls, len(steps) + 1))
    how = {"throttle_under": throttle_under, "used_over": used_over, "shown": shown}
    seen = sampled(at[0], summary[0], dt_s=DT_S)
    first, true = tried(at, summary, threshold_v, **how)
    wanted_first, wanted_true = looked_at(seen, threshold_v, **how)
    assert first == pytest.approx(wanted_first)
    assert true == pytest.approx(wanted_true)


def test_settings_are_tried_together_as_each_by_itself():
    rng = np.random.default_rng(7)
    low, high = [[0.1], [3.0], [3.0], [1.0]], [[3.0], [4.0], [4.0], [60.0]]
    drawn = [rng.uniform(low, high, (4, 30)).T for _ in range(6)]
    flights = [knots([tuple(step) for step in steps], np.linspace(4.0, 3.2, 31)) for steps in drawn]
    at, summary = (np.concatenate([f[k] for f in flights]) for k in range(2))
    volts, under = np.array([3.4, 3.8, 3.8, 3.1]), np.array([2.0, 0.5, 2.0, 2.0])
    used = np.array([[0.0], [0.0], [0.4], [0.0]]) * np.ones(6)
    first, true = np.empty((4, 6, 2)), np.empty((4, 6, 2))
    shown = np.linspace(0.98, 1.02, 6)
    try_settings(at, summary, DT_S, volts, under, used, shown, EARLY, 1.0, np.array(HOLDS), first, true)
    for k, flight in enumerate(flights):
        for s in range(4):
            alone = tried(*flight, volts[s], throttle_under=under[s], used_over=used[s, k], shown=shown[k])
            assert (first[s, k].tolist(), true[s, k].tolist()) == alone


def _arrays():
    at, summary = knots([(1.0, 4.0, 3.0, 9.0)], 4.0)
    return {
        "at": at, "summary": summary, "dt_s": DT_S, "threshold_v": np.array([3.5]),
        "throttle_under": np.array([2.0]), "used_over": np.zeros((1, 1)), "volts_shown": np.ones(1),
        "early": EARLY, "start": 1.0,
        "holds": np.array(HOLDS), "first_s": np.empty((1, 1, 2)), "true_s": np.empty((1, 1, 2)),
    }  # fmt: skip


@pytest.mark.parametrize(
    "broken",
    [
        {"summary": np.zeros((2, K.SUMMARY_COUNT))},
        {"summary": np.zeros((1, K.SUMMARY_COUNT - 1))},
        {"at": np.zeros((1, 1, K.KNOT_COLUMNS))},
        {"at": np.zeros((1, 9, K.KNOT_COLUMNS - 1))},
        {"throttle_under": np.zeros(2)},
        {"used_over": np.zeros((1, 2))},
        {"volts_shown": np.ones(2)},
        {"first_s": np.empty((1, 1, 3))},
        {"true_s": np.empty((2, 1, 2))},
    ],
)
def test_arrays_that_do_not_belong_together_are_refused_at_the_door(broken):
    try_settings(*_arrays().values())
    with pytest.raises(ValueError, match=r"[a-z]\."):
        try_settings(*(_arrays() | broken).values())


def test_calls_are_counted_as_false_and_as_late_by_hold():
    """Two settings on three flights, one hold: false before the voltage is low or too early, late or never."""
    first = np.array([[[50.0], [90.0], [100.0]], [[10.0], [np.inf], [80.0]]])
    true = np.array([[[90.0], [90.0], [100.0]], [[10.0], [np.inf], [80.0]]])
    not_before, not_after = np.full((2, 3), 80.0), np.full((2, 3), 99.0)
    counts = np.full((2, 2, 1), 7, dtype=np.int64)
    count_calls(first, true, not_before, not_after, counts)
    # The first: false on the first flight (40 s before it is low), late on the last.  The other: far too early on
    # the first, never on the second; on the last neither a moment too early nor late.
    assert counts[:, :, 0].tolist() == [[1, 1], [1, 1]]
    count_calls(first, true, not_before, np.full((2, 3), 100.0), counts)
    assert counts[1, :, 0].tolist() == [0, 1]
    for broken in (
        (first, true[:1], not_before, not_after, counts),
        (first, true, not_before[:1], not_after, counts),
        (first, true, not_before, not_after[:, :2], counts),
        (first, true, not_before, not_after, counts[:1]),
    ):
        with pytest.raises(ValueError, match=r"row"):
            count_calls(*broken)


def test_rules_have_a_row_for_every_flight():
    at, summary = knots([(1.0, 4.0, 3.0, 9.0)], 4.0)
    conditions = np.zeros(1, dtype=np.int64), np.zeros(1, dtype=np.int64), np.full((1, 1), 3.5)
    rules, first = np.zeros((1, 12)), np.array([0, 1])

    def score(capacity_ah, events, counts):
        shown = np.ones(1)
        score_flights(
            at, summary, DT_S, 6.0, 1.0, 1.0, capacity_ah, shown, rules, first, *conditions, -1, events, counts
        )

    score(np.ones(1), np.empty((1, 1, 4)), np.zeros((1, 1), dtype=np.int64))
    for wrong in (
        (np.ones(2), np.empty((1, 1, 4)), np.zeros((1, 1), dtype=np.int64)),
        (np.ones(1), np.empty((2, 1, 4)), np.zeros((1, 1), dtype=np.int64)),
        (np.ones(1), np.empty((1, 1, 4)), np.zeros((1, 2), dtype=np.int64)),
    ):
        with pytest.raises(ValueError, match=r"row"):
            score(*wrong)


def test_a_flight_without_knots_says_nothing():
    at, summary = np.zeros((1, 4, K.KNOT_COLUMNS)), np.zeros((1, K.SUMMARY_COUNT))
    assert tried(at, summary, 3.5) == ([np.inf, np.inf], [np.inf, np.inf])
