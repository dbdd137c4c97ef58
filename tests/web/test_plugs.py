"""Plugs and leads of one's own, and what a decided test puts into pack and craft."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest

from zesty_cell.core.parts.pack_figures import pack_figures
from zesty_cell.core.parts.propellers import set_on
from zesty_cell.core.trials.question import Question, Run, Trial, TrialPlan
from zesty_cell.core.trials.schedule import slots
from zesty_cell.demo.trials import load_trials
from zesty_cell.services.trials import trial_now
from zesty_cell.store import trials
from zesty_cell.store.hangar import CRAFTS, PACKS

ADDRESS = "/tests/plugs"


def pack(app, name="Tangelo 1"):
    with app.state.database.session() as session:
        row = next(r for r in PACKS.all(session) if r.name == name)
        return row.id, PACKS.thing(row)


def readings(app, **other):
    pack_id, _ = pack(app)
    return {"pack": str(pack_id), "part": "plug", "v_1": "4", "a_1": "5", "v_2": "16", "a_2": "20"} | other


def test_a_plug_is_worked_out_as_one_types_and_put_on_its_pack(client, app):
    looked = client.post(ADDRESS, data=readings(app)).text
    assert "0.80 mΩ" in looked
    assert "nine times in ten" in looked
    assert pack(app)[1].plug is None
    assert client.post(ADDRESS, data=readings(app, action="put")).status_code == 303
    pack_id, one = pack(app)
    assert one.plug.ohm == pytest.approx(0.0008)
    assert pack_figures(one).connector_ohm == pytest.approx(0.0008)
    page = client.get(ADDRESS).text
    assert "from millivolts at amps" in page
    assert client.post(f"{ADDRESS}/{pack_id}/plug/remove").status_code == 303
    assert pack(app)[1].plug is None
    assert client.post(ADDRESS, data=readings(app, action="put", part="lead")).status_code == 303
    assert pack(app)[1].lead.ohm == pytest.approx(0.0008)
    assert client.post(f"{ADDRESS}/4711/plug/remove").status_code == 404


@pytest.mark.parametrize(
    ("other", "words"),
    [
        ({"v_1": "much"}, "much"),
        ({"a_1": ""}, "Both, please."),
        ({"v_1": "5 V", "v_2": ""}, "Both, please."),
        ({"v_1": "4000", "v_2": "16000"}, "no plug or lead"),
        ({"pack": ""}, "Onto which pack?"),
        ({"v_1": "", "a_1": "", "v_2": "", "a_2": ""}, "A reading, please."),
    ],
)
def test_what_is_wrong_is_said_and_what_was_typed_stays(client, app, other, words):
    answer = client.post(ADDRESS, data=readings(app, action="put", **other))
    assert answer.status_code == 422
    assert words in answer.text
    for value in other.values():
        assert not value or f'value="{value}"' in answer.text
    assert pack(app)[1].plug is None


def flown(app, *, craft="Swift", packs=("Tangelo 1", "Tangelo 2"), looked=True, gain=0.004):
    """A decided test of a plug, flown and looked at: its number."""
    question = Question(
        a="plug as it came", b="low-loss plug", differs="plug", measure="loaded_v", at=30.0, matters=0.002
    )
    plan = TrialPlan(pairs=8, scatter=0.002, scatter_counts=20, packs=packs)
    began = datetime(2026, 10, 1, 9, 0, tzinfo=UTC)
    runs = []
    for slot in slots(plan.packs, pairs=plan.pairs):
        k = slot.number
        value = 3.700 + (gain if slot.side == "B" else 0.0) + 0.0001 * ((7 * k) % 5 - 2)
        at = began + timedelta(hours=k)
        runs.append(Run(slot=k, side=slot.side, value=value, at=at, pack=slot.pack, source="hand"))
    one = Trial(name="Low loss", craft=craft, question=question, plan=plan, runs=tuple(runs))
    with app.state.database.session() as session:
        craft_id = next(c.id for c in CRAFTS.all(session) if c.name == craft)
        row = trials.add(session, one.model_copy(update={"looked": len(runs) if looked else 0}), craft_id=craft_id)
        return row.id


def test_a_decided_plug_goes_into_its_packs_once(client, app):
    trial_id = flown(app)
    was = pack_figures(pack(app)[1]).connector_ohm
    page = client.get(f"/tests/{trial_id}").text
    assert "It is on them now" in page
    assert client.post(f"/tests/{trial_id}/teach").status_code == 303
    one = pack(app)[1].plug
    # 4 mV a cell, four cells, at 30 A.
    assert one.ohm == pytest.approx(was - 4 * 0.004 / 30, abs=2e-5)
    assert one.source == "test “Low loss”"
    assert pack(app, "Tangelo 2")[1].plug is not None
    client.post(f"/tests/{trial_id}/teach")
    assert pack(app)[1].plug == one


@pytest.mark.parametrize("by", ["page", "api"])
def test_called_otherwise_what_it_taught_says_so_and_is_taught_once(client, app, by):
    trial_id = flown(app)
    client.post(f"/tests/{trial_id}/teach")
    before, one = pack(app)[1].plug, client.get(f"/api/tests/{trial_id}").json()
    if by == "page":
        form = {"version": str(one["version"]), "name": " Gold plugs "}
        assert client.post(f"/tests/{trial_id}/name", data=form).status_code == 303
    else:
        body = {"version": one["version"], "test": one["test"] | {"name": "Gold plugs"}}
        assert client.put(f"/api/tests/{trial_id}", json=body).status_code == 200
    assert "<h1>Gold plugs</h1>" in client.get(f"/tests/{trial_id}").text
    now = pack(app)[1].plug
    assert (now.source, now.ohm) == ("test “Gold plugs”", before.ohm)
    client.post(f"/tests/{trial_id}/teach")
    assert pack(app)[1].plug == now


@pytest.mark.parametrize(
    ("name", "version", "status", "words"),
    [("", None, 422, "needed"), ("x" * 81, None, 422, "80"), ("Other", "99", 409, "saved from another tab")],
)
def test_a_name_that_cannot_be_is_told_at_its_place_and_stays_typed(client, app, name, version, status, words):
    trial_id = flown(app)
    at = version or str(client.get(f"/api/tests/{trial_id}").json()["version"])
    answer = client.post(f"/tests/{trial_id}/name", data={"version": at, "name": name})
    assert answer.status_code == status
    assert words in answer.text.split('id="error-name"')[1][:300]
    assert f'name="name" maxlength="80" autocomplete="off" value="{name}"' in answer.text
    assert "<h1>Low loss</h1>" in answer.text
    assert client.post("/tests/4711/name", data={"name": "x"}).status_code == 404


def test_a_propeller_set_goes_by_its_tests_new_name_on_the_craft_and_off(client, app):
    trial_id = flown(app)
    with app.state.database.session() as session:
        row = trials.fetch(session, trial_id)
        craft_row = CRAFTS.fetch(session, row.craft_id)
        craft = CRAFTS.thing(craft_row)
        learned = set_on(craft).model_copy(update={"name": "two", "source": "test “Low loss”"})
        other = set_on(craft).model_copy(update={"name": "three", "source": "test “Another”"})
        so = craft.model_copy(update={"propellers_source": "test “Low loss”", "other_sets": (learned, other)})
        CRAFTS.change(session, craft_row.id, craft_row.version, so)
        version = row.version
    client.post(f"/tests/{trial_id}/name", data={"version": str(version), "name": "New"})
    with app.state.database.session() as session:
        after = CRAFTS.thing(CRAFTS.fetch(session, trials.fetch(session, trial_id).craft_id))
    assert after.propellers_source == "test “New”"
    assert [s.source for s in after.other_sets] == ["test “New”", "test “Another”"]


def test_nothing_is_taught_before_the_verdict_was_looked_at_or_without_a_difference(client, app):
    for trial_id in (flown(app, looked=False), flown(app, gain=0.0)):
        assert "It is on them now" not in client.get(f"/tests/{trial_id}").text
        assert client.post(f"/tests/{trial_id}/teach").status_code == 303
        assert pack(app)[1].plug is None
    assert client.post("/tests/4711/teach").status_code == 404


def test_the_clubs_clear_test_becomes_a_propeller_set(client, app):
    with app.state.database.session() as session:
        load_trials(session)
        row = next(r for r in trials.all_trials(session) if r.name == "Two blades or three")
        trial_id, craft_id = row.id, row.craft_id
        before = CRAFTS.thing(CRAFTS.fetch(session, craft_id))
    page = client.get(f"/tests/{trial_id}").text
    if "Look at the verdict" in page:
        version = re.search(r'name="version" value="(\d+)"', page)[1]
        client.post(f"/tests/{trial_id}/look", data={"version": version})
    with app.state.database.session() as session:
        found = trial_now(session, trials.fetch(session, trial_id)).verdict.difference
    answer = client.post(f"/tests/{trial_id}/teach")
    assert answer.status_code == 303, answer.text
    with app.state.database.session() as session:
        after = CRAFTS.thing(CRAFTS.fetch(session, craft_id))
    [two] = [s for s in after.other_sets if s.name == "two blades"]
    assert two.source == "test “Two blades or three”"
    assert two.steady.current_a == pytest.approx((1.0 + found) * before.steady.current_a)
    assert -0.2 < found < -0.04
    assert "test “Two blades or three”" in client.get(f"/hangar/crafts/{craft_id}/propellers").text
    client.post(f"/tests/{trial_id}/teach")
    with app.state.database.session() as session:
        again = CRAFTS.thing(CRAFTS.fetch(session, craft_id))
    assert len(again.other_sets) == len(after.other_sets)


def test_the_heads_search_finds_tests_and_runs(client, app):
    with app.state.database.session() as session:
        load_trials(session)
    page = client.get("/find", params={"q": "warm pocket"}).text
    assert re.search(r'href="/tests/\d+">Warm pocket', page)
