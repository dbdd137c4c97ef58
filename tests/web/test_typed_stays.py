"""What was typed stays, whatever keeps it from being stored: gone meanwhile, saved elsewhere, locked, full."""

from __future__ import annotations

import threading
from datetime import UTC, datetime, timedelta

import pytest
from benchmarks.soak.house import forms_of

from tests.web.test_faults import count, locked
from tests.web.test_field import ENTRIES, JSON, at, land
from zesty_cell.store import flights as store
from zesty_cell.store.hangar import PACKS

FORMS = {
    "craft": ("/hangar/crafts/1", {"name": "Heron in red"}, "/hangar/crafts/new"),
    "pack": ("/hangar/packs/1", {"name": "Pomelo 91", "action": "keep"}, "/hangar/packs/new"),
    "cell": ("/hangar/cells/1", {"name": "A cell of mine"}, "/hangar/cells/new"),
}


def form_at(client, address):
    """The form of a page that is posted to its own address, without its buttons."""
    form = max(
        (f for f in forms_of(client.get(address).text) if f.action in (address, "")), key=lambda f: len(f.fields)
    )
    return {name: value for name, value in form.fields if name not in ("action", "sure", "become")}


def kept_in(answer, address):
    """What is typed in the form that comes back."""
    form = max((f for f in forms_of(answer.text) if f.action in (address, "")), key=lambda f: len(f.fields))
    return {name: value for name, value in form.fields if name not in ("action", "sure", "become")}


@pytest.mark.parametrize("what", FORMS)
def test_a_form_of_something_that_was_deleted_is_kept_as_a_new_one(client, what):
    address, change, anew = FORMS[what]
    form = form_at(client, address) | change
    # What needs it goes first.
    for sheet in range(1, 9):
        client.post(f"/sheets/{sheet}/delete")
    for pack in range(1, 40) if what == "cell" else ():
        client.post(f"/hangar/packs/{pack}/delete")
    client.post(f"{address}/delete")
    answer = client.post(address, data=form)
    assert answer.status_code == 404
    assert change["name"] in answer.text
    assert f'formaction="{anew}"' in answer.text
    kept = kept_in(answer, address)
    assert kept == {k: v for k, v in form.items() if k != "action"}
    assert client.post(anew, data=kept | {"action": "keep"}).status_code == 303
    assert change["name"] in client.get("/hangar").text


@pytest.mark.parametrize("address", [f[0] for f in FORMS.values()] + ["/sheets/8", "/callouts/8/voices"])
def test_while_the_database_is_locked_it_is_kept_and_sent_again(client, app, address):
    form = form_at(client, address)
    form |= {k: "said otherwise" for k in form if k.startswith("spoken.")} | {
        "action": "save" if "sheets" in address else "keep"
    }
    if "name" in form:
        form["name"] = "Another name"
    with locked(app):
        answer = client.post(address, data=form)
        assert answer.status_code == 503, answer.text
        kept = kept_in(answer, address)
        assert kept == {k: v for k, v in form.items() if k != "action"}
    again = client.post(address, data=kept | {"action": form["action"]})
    assert again.status_code == 303


def test_a_field_form_without_scripts_keeps_what_was_typed(client, app):
    form = at(client)[1] | {"duration_s": "7:31", "kind": "landed", "entry": "plain"}
    with locked(app):
        answer = client.post(ENTRIES, data=form)
        assert answer.status_code == 503, answer.text
        assert "7:31" in answer.text
        kept = kept_in(answer, ENTRIES)
    assert client.post(ENTRIES, data=kept).status_code == 303
    assert count(app) == 1


def test_json_asked_json_answered(client, app):
    with locked(app):
        answer = land(client, entry="one")
        assert answer.status_code == 503
        assert "Nothing was stored" in answer.json()["detail"]
    assert (
        client.get("/sheets/999", headers={"accept": "application/json"}).json()["detail"].startswith("There is no")
    )
    assert client.get("/nowhere", headers={"accept": "application/json"}).json()["detail"] == "Not Found"
    assert "<h1>" in client.get("/nowhere", headers={"accept": "text/html,application/json"}).text


def test_landings_at_the_same_moment_are_all_in_the_log_once(client, app):
    form, statuses = at(client)[1], []
    with app.state.database.session() as session:
        before = PACKS.fetch(session, int(form["pack"])).flights

    def send(k):
        landed = (datetime.now(UTC) - timedelta(hours=2 * (k // 2 + 1))).isoformat()
        entry = {"entry": f"at-once-{k // 2}", "landed_at": landed, "duration_s": "3:00"}
        answer = client.post(ENTRIES, data=form | entry, headers=JSON)
        statuses.append((k // 2, answer.status_code))

    threads = [threading.Thread(target=send, args=(k,)) for k in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    with app.state.database.session() as session:
        found = sorted(row.entry for row in store.newest(session, 100))
        assert found == [f"at-once-{k}" for k in sorted({k for k, status in statuses if status == 200})]
        assert {status for _, status in statuses} <= {200, 409, 503}  # who is told to come again, does
        assert PACKS.fetch(session, int(form["pack"])).flights == before + len(found)


@pytest.mark.parametrize(("address", "anew"), [(f[0], f[2]) for f in FORMS.values()])
def test_a_new_one_is_kept_in_its_own_form_while_the_database_is_locked(client, app, address, anew):
    form = form_at(client, address) | {"name": "One more of them", "action": "keep"}
    with locked(app):
        answer = client.post(anew, data=form)
        assert answer.status_code == 503
        assert "still here" in answer.text
        assert 'value="One more of them"' in answer.text
    assert client.post(anew, data=kept_in(answer, anew) | {"action": "keep"}).status_code == 303
