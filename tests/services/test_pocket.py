"""The day in the pocket says what the field page says, for every charge, and is worked out anew when it has to."""

from __future__ import annotations

import time

import pytest

from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.services import pocket as service
from zesty_cell.services.advice import advise
from zesty_cell.services.in_hand import InHand
from zesty_cell.services.plans import plan_now
from zesty_cell.services.pocket import STEPS, Pocket, Step, asked_for, work_out
from zesty_cell.store import callouts, flights, sheets
from zesty_cell.store.database import Database
from zesty_cell.store.hangar import PACKS


@pytest.fixture
def database(season_file, tmp_path):
    path = tmp_path / "club.sqlite"
    path.write_bytes(season_file.read_bytes())
    one = Database(path)
    yield one
    one.close()


def pair_named(session, craft, pack):
    return next(a for a in asked_for(session) if a.sheet.craft.name == craft and a.pack.name == pack)


@pytest.mark.parametrize(("craft", "pack"), [("Heron", "Pomelo 1"), ("Swift", "Lime 1"), ("Wren", "Kumquat 1")])
def test_each_step_is_what_the_field_page_says_of_that_charge(database, craft, pack):
    with database.session() as session:
        asked = pair_named(session, craft, pack)
        pair = work_out(session, asked)
        assert [s.charge for s in pair.steps] == [None, *STEPS]
        full = InHand(session, craft_id=asked.craft_id, pack_id=asked.pack.id)
        assert pair.steps[0].timer == full.timer
        assert list(pair.steps[0].calls) == full.calls
        shortest = full.timer.timer_s
        for step in pair.steps[1:]:
            if step.timer is None:
                with pytest.raises(OutOfRangeError) as refused:
                    advise(session, asked.sheet, pack=asked.pack, charge=step.charge)
                assert step.trouble == refused.value.why
                continue
            said = advise(session, asked.sheet, pack=asked.pack, charge=step.charge).timer
            # What is said of less charge is never longer than of more.
            shortest = min(shortest, said.timer_s)
            assert step.timer.timer_s == shortest


def test_every_craft_and_pack_of_the_field_page_is_there(database):
    with database.session() as session:
        asked = {(a.craft_id, a.pack.id) for a in asked_for(session)}
        shown = {
            (c.id, p.row.id) for c in InHand(session).crafts for p in InHand(session, craft_id=c.id).packs if p.told
        }
    assert asked == shown
    assert len(asked) > 15


def test_less_charge_never_flies_longer():
    class Timer:
        def __init__(self, timer_s):
            self.timer_s = timer_s

    def steps(*times):
        return [Step(None if k == 0 else 1 - k / 10, t and Timer(t), "") for k, t in enumerate(times)]

    def smooth(*times):
        return [s.timer and s.timer.timer_s for s in service._no_longer(steps(*times))]

    assert smooth(200, 190, 195, 150) == [200, 190, 190, 150]
    assert smooth(200, None, 210, 150) == [200, None, 200, 150]
    assert smooth(None, 180, 185) == [None, 180, 180]


def test_the_phone_says_minutes_the_end_and_that_it_is_to_be_down(database):
    with database.session() as session:
        pair = work_out(session, pair_named(session, "Heron", "Pomelo 1"))
    step = pair.steps[0]
    said = [(c.at_s, c.words) for c in step.spoken]
    assert said[:2] == [(60.0, "1 minute"), (120.0, "2 minutes")]
    assert said[-2:] == [(step.timer.timer_s, "time, land"), (step.timer.down_s, "land now")]
    # No minute is spoken into the words that matter.
    assert all(at_s < step.timer.timer_s - 5.0 for at_s, _ in said[:-2])


def ready(database, pocket, *, within_s=60.0):
    """Ask until all is there."""
    until = time.monotonic() + within_s
    while True:
        with database.session() as session:
            asked = asked_for(session)
            found, older = pocket.ready(asked, sessions=database.session)
        if len(found) == len(asked) and not older:
            return found
        assert time.monotonic() < until
        time.sleep(0.02)


@pytest.fixture
def quick(monkeypatch):
    """Answers that cost nothing, and which were worked out."""
    done = []

    def note(session, one, alike):
        done.append((one.sheet.craft.name, one.pack.name))
        return service.Pair(one.sheet.id, "", (), False, None)

    monkeypatch.setattr(service, "work_out", note)
    return done


def test_it_is_worked_out_once_and_again_where_what_it_rests_on_changes(database, quick):
    pocket = Pocket()
    ready(database, pocket)
    everything = set(quick)
    assert len(quick) == len(everything)
    quick.clear()
    ready(database, pocket)
    assert quick == []
    # A pack is read: what is flown with it.
    with database.session() as session:
        row = next(r for r in PACKS.all(session) if r.name == "Yuzu 2")
        row.rest_v_per_cell = 3.9
    ready(database, pocket)
    assert set(quick) == {p for p in everything if p[1] == "Yuzu 2"}
    quick.clear()
    # A flight is changed: everything that its craft flies, and what flies the pack.
    with database.session() as session:
        row = next(r for r in flights.newest(session, 50) if r.craft.name == "Plover")
        flight = flights.flight_of(row).model_copy(update={"note": "read again"})
        flights.change(session, row.id, row.version, flight)
    ready(database, pocket)
    assert {c for c, _ in quick} >= {"Plover"}
    assert not {c for c, _ in quick} & {"Tern", "Wren"}
    quick.clear()
    # A sheet is changed: its craft's.
    with database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.craft.name == "Tern")
        row.landing = {**row.landing}
        row.name = "Tern, again"
    ready(database, pocket)
    assert {c for c, _ in quick} == {"Tern"}


def test_a_plan_that_is_kept_counts(database, quick):
    pocket = Pocket()
    ready(database, pocket)
    quick.clear()
    with database.session() as session:
        sheet = next(r for r in sheets.all_sheets(session) if r.craft.name == "Tern")
        plan = plan_now(session, sheet, advise(session, sheet)).written
        callouts.keep(session, plan, owner=callouts.Owner(craft_id=sheet.craft_id), version=0)
    ready(database, pocket)
    assert {c for c, _ in quick} == {"Tern"}
    quick.clear()
    with database.session() as session:
        sheet = next(r for r in sheets.all_sheets(session) if r.craft.name == "Swift")
        plan = plan_now(session, sheet, advise(session, sheet)).written
        callouts.keep(session, plan, owner=callouts.Owner(sheet_id=sheet.id), version=0)
        told = sheet.pack.type_name
    ready(database, pocket)
    assert {c for c, _ in quick} == {"Swift"}
    assert any(p.startswith(told) for _, p in quick)


def test_what_is_older_stands_until_it_is_worked_out_anew(database, quick):
    pocket = Pocket()
    before = ready(database, pocket)
    with database.session() as session:
        row = next(r for r in PACKS.all(session) if r.name == "Yuzu 2")
        row.rest_v_per_cell = 3.9
    pocket.let_go()  # nothing is worked out any more
    with database.session() as session:
        found, older = pocket.ready(asked_for(session), sessions=database.session)
        assert {session.get(type(row), pack).name for _, pack in older} == {"Yuzu 2"}
    assert found == before
