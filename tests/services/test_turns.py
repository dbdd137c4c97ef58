"""Heavy work waits in one bounded line; who edits a sheet goes first."""

from __future__ import annotations

import threading
import time

import pytest

from zesty_cell.core.errors import StoppedError
from zesty_cell.services.turns import LIVE_AT_ONCE, MOST_HELD, MOST_WAITING, BusyError, Turns


def in_thread(work):
    thread = threading.Thread(target=work)
    thread.start()
    return thread


def test_heavy_work_is_done_one_at_a_time_in_the_order_of_the_line():
    turns, order, at_once, most = Turns(), [], 0, 0

    def work(ticket, k):
        nonlocal at_once, most
        with turns.turn(ticket):
            at_once += 1
            most = max(most, at_once)
            time.sleep(0.01)
            order.append(k)
            at_once -= 1

    with turns.heavy():
        tickets = [turns.draw() for _ in range(5)]
        assert [turns.place_of(t) for t in tickets] == [1, 2, 3, 4, 5]
        threads = [in_thread(lambda t=t, k=k: work(t, k)) for k, t in enumerate(tickets)]
        time.sleep(0.03)
        assert order == []
    for thread in threads:
        thread.join()
    assert (order, most) == ([0, 1, 2, 3, 4], 1)
    assert turns.place_of(tickets[0]) == 0


def test_the_line_is_bounded_and_shorter_for_what_holds_a_request():
    turns = Turns()
    with turns.heavy():
        held = [turns.draw(held=True) for _ in range(MOST_HELD)]
        with pytest.raises(BusyError, match="try again"):
            turns.draw(held=True)
        rest = [turns.draw() for _ in range(MOST_WAITING - MOST_HELD)]
        with pytest.raises(BusyError):
            turns.draw()
    for ticket in (*held, *rest):
        with turns.turn(ticket):
            pass
    turns.draw(held=True)


def test_who_leaves_the_line_is_told_and_lets_the_next_go():
    turns, ended = Turns(), []

    def wait(ticket):
        try:
            with turns.turn(ticket):
                ended.append("worked")
        except StoppedError:
            ended.append("stopped")

    with turns.heavy():
        first, second = turns.draw(), turns.draw()
        threads = [in_thread(lambda: wait(first)), in_thread(lambda: wait(second))]
        turns.stop(first)
        threads[0].join()
        assert ended == ["stopped"]
        assert turns.place_of(second) == 1
    threads[1].join()
    assert ended == ["stopped", "worked"]


def test_what_is_edited_does_not_wait_for_heavy_work_and_heavy_work_lets_it_by():
    turns, began, seen = Turns(), threading.Event(), []
    with turns.heavy(), turns.live():
        seen.append("at once")
    assert seen == ["at once"]
    release = threading.Event()

    def edit():
        with turns.live():
            began.set()
            release.wait()
            seen.append("edited")

    editing = in_thread(edit)
    began.wait()
    giving = in_thread(lambda: (turns.give_way(), seen.append("went on")))
    time.sleep(0.05)
    assert seen == ["at once"]
    release.set()
    giving.join()
    editing.join()
    assert seen == ["at once", "edited", "went on"]


def test_no_more_than_two_are_edited_at_once_and_an_error_frees_the_turn():
    turns, most, now = Turns(), 0, 0
    lock = threading.Lock()

    def edit():
        nonlocal most, now
        with turns.live():
            with lock:
                now += 1
                most = max(most, now)
            time.sleep(0.02)
            with lock:
                now -= 1

    threads = [in_thread(edit) for _ in range(6)]
    for thread in threads:
        thread.join()
    assert most == LIVE_AT_ONCE
    for work in (turns.live, turns.heavy):
        for _ in range(4):
            with pytest.raises(ZeroDivisionError), work():
                _ = 1 / 0
