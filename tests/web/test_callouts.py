"""The callouts page: written by school, edited, mended, kept, run; and what it refuses."""

from __future__ import annotations

import html
import io
import itertools
import json
import re
import sqlite3
import wave
import zipfile

import pytest
from sqlalchemy.exc import OperationalError
from starlette.testclient import TestClient

from tests.sheets import heron, sheet
from tests.web.test_sheets import error_at
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.callouts.conditions import Condition
from zesty_cell.core.callouts.rules import MOST_RULES, CalloutPlan, Profile, Rule, Timer
from zesty_cell.core.callouts.schools import SCHOOLS, write_plan
from zesty_cell.formats.plan_json import read_plan, write_plan_json
from zesty_cell.store import sheets as sheet_store
from zesty_cell.web.callouts.plan_form import first_texts, read_plan_form
from zesty_cell.web.drawing.ladder import ladder
from zesty_cell.words.say import say

PAGE = "/callouts/8"


def fields(html):
    """The form as a browser would send it."""
    form = html.split('<form id="callouts-form"')[1].split("</form>")[0]
    values = {}
    for tag in re.findall(r"<input[^>]*>", form):
        name = re.search(r' name="([^"]*)"', tag)
        if not name or ('type="checkbox"' in tag and " checked" not in tag):
            continue
        value = re.search(r' value="([^"]*)"', tag)
        values[name[1]] = value[1] if value else "on"
    for name, options in re.findall(r'<select[^>]* name="([^"]*)"[^>]*>(.*?)</select>', form, re.DOTALL):
        chosen = re.search(r'<option value="([^"]*)" selected', options)
        values[name] = chosen[1] if chosen else re.search(r'<option value="([^"]*)"', options)[1]
    return values


def ask(client, **changes):
    form = fields(client.get(PAGE).text)
    return client.post(PAGE, data=form | {k.replace("__", "."): v for k, v in changes.items()})


def findings(html):
    return re.findall(r'class="finding finding-(\w+)"', html)


def stored(client):
    return read_plan(client.get(f"{PAGE}/export").content)


def test_the_plan_stands_written_from_the_sheet_before_anything_is_kept(client):
    html = client.get(PAGE).text
    assert "Callouts for Heron on Pomelo 1" in html
    assert "written from the sheet" in html
    assert fields(html)["rules.land_now.conditions.0.value"] == "19.2"
    assert "3.20 V per cell, 19.2 V for the pack." in html
    assert findings(html) == []
    assert "nothing to mend" in html


def test_the_voltages_are_those_of_the_sheet(client):
    sheet_page = client.get("/sheets/8").text
    form = fields(client.get(PAGE).text)
    for key in ("pack_low", "land_now"):
        assert f"{form[f'rules.{key}.conditions.0.value']} V" in sheet_page


def test_an_unchanged_form_is_the_plan_itself(client):
    before = stored(client)
    assert ask(client, action="save").status_code == 303
    assert stored(client) == before
    assert "not saved yet" not in client.get(PAGE).text


def test_a_changed_word_is_looked_at_and_not_kept(client):
    answer = ask(client, **{"rules.land_now.conditions.0.value": "19,1", "rules.land_now.say": "come home"})
    assert answer.status_code == 200
    assert "3.18 V per cell, 19.1 V for the pack." in answer.text
    assert "The school wrote 19.2 V, saying “land now”." in answer.text
    assert stored(client).rule("land_now").conditions[0].value == 19.2


def test_saving_keeps_it_and_says_what_was_overruled(client):
    answer = ask(client, action="save", **{"rules.pack_low.hold_s": "4.0", "rules.pack_low.every_s": "20"})
    assert answer.status_code == 303
    kept = stored(client).rule("pack_low")
    assert (kept.hold_s, kept.every_s) == (4.0, 20.0)
    assert "The school wrote held 3.5 s, once." in client.get(PAGE).text


@pytest.mark.parametrize("school", [s.school for s in SCHOOLS])
def test_each_school_writes_its_plan_and_says_its_idea(client, school):
    assert ask(client, action=f"school:{school}").status_code == 303
    assert stored(client).school == school
    words = next(s for s in SCHOOLS if s.school == school)
    html = client.get(PAGE).text
    assert say(words.idea).replace("'", "&#39;") in html
    assert findings(html) in ([], ["note"])


@pytest.mark.parametrize(
    ("field", "text", "words"),
    [
        ("rules.land_now.conditions.0.value", "high", "is not a number"),
        ("rules.land_now.conditions.0.value", "", "This is needed"),
        ("rules.land_now.conditions.0.value", "999", "Between 0.5 and 120"),
        ("rules.land_now.hold_s", "-1", "At least 0"),
        ("rules.land_now.hold_s", "99", "At most 60"),
        ("rules.land_now.say", "x" * 61, "At most 60 characters"),
        ("rules.land_now.say", "", "else nobody notices"),
        ("rules.land_now.every_s", "0.1", "At least 0.5"),
        ("timers.timer.at_s", "4:99", "is not a time"),
        ("timers.timer.at_s", "1", "At least 5"),
        ("timers.timer.end", "", "This is needed"),
        ("stages.lamp_v", "9", "At most 4.35"),
        ("current_error", "much", "is not a number"),
    ],
)
def test_bad_words_are_said_at_their_place_and_kept(client, field, text, words):
    answer = ask(client, action="save", **{field: text})
    assert answer.status_code == 422
    place = field.replace(".", "-")
    error = re.search(rf'id="error-{place}"[^>]*>([^<]*)<', answer.text)[1]
    assert words in error
    assert fields(answer.text)[field] == text
    assert stored(client).rule("land_now").say == "land now"


def test_a_fault_is_found_and_mended_in_one_step(client):
    changed = {"rules.land_now.conditions.0.value": "12.8"}
    answer = ask(client, **changed)
    assert findings(answer.text)[0] == "stop"
    assert "would suit 4S" in answer.text
    step = re.search(r'value="(mend:not_for_this_cell_count:land_now)"', answer.text)[1]
    looked_at = ask(client, action=step, **changed)
    assert looked_at.status_code == 200
    assert "not saved yet" not in client.get(PAGE).text
    assert fields(looked_at.text)["rules.land_now.conditions.0.value"] == "19.2"
    assert findings(looked_at.text) == []
    assert "look at it, and save it" in looked_at.text
    assert ask(client, action="save", **{"rules.land_now.conditions.0.value": "19.2"}).status_code == 303
    assert stored(client).rule("land_now").conditions[0].value == 19.2


def test_a_mend_that_no_longer_fits_changes_nothing(client):
    answer = ask(client, action="mend:lowest_latches:land_now")
    assert answer.status_code == 200
    assert stored(client).rule("land_now").conditions[0].value == 19.2


def test_rules_are_added_taken_out_and_given_more_conditions(client):
    for what in ("voltage", "current", "receiver", "ask"):
        assert ask(client, action=f"add:{what}").status_code == 303
    keys = [r.key for r in stored(client).rules]
    assert keys[-4:] == ["own_1", "own_2", "own_3", "own_4"]
    ask(client, action="more:own_1")
    assert len(stored(client).rule("own_1").conditions) == 2
    ask(client, action="fewer:own_1")
    assert len(stored(client).rule("own_1").conditions) == 1
    ask(client, action="remove:own_1")
    assert stored(client).rule("own_1") is None
    assert ask(client, action="add:nonsense").status_code == 200
    assert ask(client, action="fewer:land_now").status_code == 200


def test_writing_anew_can_be_undone(client):
    ask(client, action="save", **{"rules.pack_low.hold_s": "4.0"})
    answer = client.post(f"{PAGE}/anew")
    assert answer.status_code == 303
    assert stored(client).rule("pack_low").hold_s == 3.5
    undo = re.search(r"/callouts/8/undelete/\d+", client.get(PAGE).text)[0]
    client.post(undo)
    assert stored(client).rule("pack_low").hold_s == 4.0


def test_two_tabs_do_not_overwrite_each_other(client):
    ask(client, action="save")
    old = fields(client.get(PAGE).text)
    ask(client, action="save", **{"rules.pack_low.hold_s": "4.0"})
    answer = client.post(PAGE, data=old | {"action": "save", "rules.pack_low.hold_s": "2"})
    assert answer.status_code == 409
    assert "saved from another tab" in answer.text
    assert stored(client).rule("pack_low").hold_s == 4.0
    mine = fields(answer.text)
    assert mine["rules.pack_low.hold_s"] == "2"
    assert client.post(PAGE, data=mine | {"action": "save"}).status_code == 409
    assert client.post(PAGE, data=mine | {"action": "over"}).status_code == 303
    assert stored(client).rule("pack_low").hold_s == 2.0


@pytest.mark.parametrize("action", ["school:timer first", "remove:pack_low"])
def test_what_replaces_a_kept_plan_can_be_undone(client, action):
    ask(client, action="save", **{"rules.pack_low.say": "my own words"})
    client.post(f"{PAGE}/printed")
    mine = stored(client)
    assert ask(client, action=action).status_code == 303
    assert stored(client) != mine
    html = client.get(PAGE).text
    assert "changed since last printed" in html
    client.post(re.search(r"/callouts/8/undelete/\d+", html)[0])
    assert stored(client) == mine


def test_a_full_plan_takes_no_more_rules_and_stays_readable(client):
    assert ask(client, action="add:voltage").status_code == 303
    plan = json.loads(client.get(f"{PAGE}/export").text)
    last = plan["rules"][-1]
    plan["rules"] += [last | {"key": f"more_{k}"} for k in range(MOST_RULES - 1 - len(plan["rules"]))]
    assert client.post(f"{PAGE}/import", files={"file": ("plan.json", json.dumps(plan))}).status_code == 303
    assert ask(client, action="add:voltage").status_code == 303
    assert len(stored(client).rules) == MOST_RULES
    answer = ask(client, action="add:voltage")
    assert answer.status_code == 422
    assert "at most 32" in answer.text
    assert len(stored(client).rules) == MOST_RULES


def test_a_database_that_is_full_keeps_what_was_typed(client, monkeypatch):
    form = fields(client.get(PAGE).text) | {"rules.pack_low.say": "typed", "action": "save"}

    def full(*_args, **_options):
        raise OperationalError("INSERT", {}, sqlite3.OperationalError("database or disk is full"))

    monkeypatch.setattr("zesty_cell.store.callouts.keep", full)
    answer = client.post(PAGE, data=form)
    assert answer.status_code == 503
    assert fields(answer.text)["rules.pack_low.say"] == "typed"


def test_a_plan_goes_out_and_comes_in_exactly(client):
    ask(client, action="save", **{"rules.pack_low.say": "half way & <home>"})
    text = client.get(f"{PAGE}/export").text
    assert json.loads(text)["format"] == "zesty-cell callouts"
    client.post(f"{PAGE}/anew")
    answer = client.post(f"{PAGE}/import", files={"file": ("plan.json", text)})
    assert answer.status_code == 303
    assert client.get(f"{PAGE}/export").text == text
    assert "half way &amp; &lt;home&gt;" in client.get(PAGE).text


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "Line 1"),
        ("[]", "not a Zesty Cell callout plan"),
        ('{"format": "zesty-cell sheet", "version": 1}', "not a Zesty Cell callout plan"),
        ('{"format": "zesty-cell callouts", "version": 9}', "format version 9"),
        ('{"format": "zesty-cell callouts", "version": 1, "name": "x", "series": 0}', "series"),
    ],
)
def test_what_is_no_plan_is_refused_and_changes_nothing(client, text, words):
    before = stored(client)
    answer = client.post(f"{PAGE}/import", files={"file": ("plan.json", text)})
    assert answer.status_code == 422
    assert words in answer.text
    assert stored(client) == before


def test_two_packs_of_as_many_cells_told_by_a_switch_open_on_every_page(client):
    plan = json.loads(client.get(f"{PAGE}/export").text)
    own = plan["profiles"][0] | {"switch": {"name": "A", "position": "up"}}
    other = own | {"key": "other", "name": "6S polymer", "switch": {"name": "A", "position": "down"},
                   "floor_v": 3.73, "say": "polymer"}  # fmt: skip
    for rule in plan["rules"]:
        if rule["key"] == "land_now":
            [call] = rule["conditions"]
            rule["conditions"] = [call | {"profile": own["key"]}, call | {"profile": "other", "value": 22.0}]
            rule["join"] = "any"
    plan |= {"profiles": [own, other], "choose": "switch"}
    answer = client.post(f"{PAGE}/import", files={"file": ("plan.json", json.dumps(plan))})
    assert answer.status_code == 303
    number = PAGE.rpartition("/")[2]
    for way in (PAGE, f"{PAGE}?days=yes", f"{PAGE}?run=dropout", f"{PAGE}/voices", f"/sheets/{number}/card"):
        assert client.get(way).status_code == 200
    for action in ("look", "tune:land_now", "mend:land_now_is_silent:land_now", "school:charge used"):
        assert ask(client, action=action).status_code in (200, 303)
    # What counts with the sheet's own pack is its own profile's.
    kept = CalloutPlan.model_validate({k: v for k, v in plan.items() if k not in ("format", "version")}).flown_with(
        series=6
    )
    assert [c.value for c in kept.rule("land_now").conditions] == [call["value"]]
    assert [p.key for p in kept.profiles] == [own["key"]]


def test_the_dry_run_says_what_is_heard(client):
    html = client.get(PAGE).text
    heard = re.findall(r"<li data-t=\"([\d.]+)\"><b>([\d:]+)</b>.*?“([^”]*)”", html)
    says = [say for _, _, say in heard]
    assert says[0] == "six cells"
    assert "time, land" in says
    assert "land now" in says
    player = json.loads(re.search(r'id="player-data">(.*?)</script>', html)[1])
    first = next(e for e in player["events"] if e["say"] == "land now")
    assert abs(first["t"] - 1044) < 40
    assert {r["key"] for r in player["rules"]} >= {"pack_low", "land_now", "silence"}


@pytest.mark.parametrize(
    ("oddity", "said", "unsaid"),
    [
        ("dropout", "telemetry lost", "land now"),
        ("wrong_pack", "wrong pack", None),
        ("cold_pack", "land now", None),
        ("sensor_high", "time, land", None),
        ("bench", "six cells", "land now"),
    ],
)
def test_oddities_are_run(client, oddity, said, unsaid):
    html = client.get(f"{PAGE}?run={oddity}").text
    player = json.loads(re.search(r'id="player-data">(.*?)</script>', html)[1])
    says = {e["say"] for e in player["events"]}
    assert said in says
    assert unsaid not in says


def test_an_unknown_oddity_is_the_forecast(client):
    assert "land now" in client.get(f"{PAGE}?run=nonsense").text


def test_bad_days_come_one_by_one_for_what_is_typed(client):
    form = fields(client.get(PAGE).text)
    row = client.post(f"{PAGE}/day/0", data=form).text
    assert "As on the sheet" in row
    hair = client.post(
        f"{PAGE}/day/0", data=form | {"rules.pack_low.hold_s": "0", "rules.pack_low.conditions.0.value": "20.6"}
    ).text
    assert "a flight" in hair
    assert client.post(f"{PAGE}/day/99", data=form).status_code == 404


def test_the_card_carries_the_kept_plan_and_says_when_it_is_old(client):
    ask(client, action="save", **{"rules.land_now.conditions.0.value": "19.1", "rules.land_now.say": "down & out"})
    card = client.get("/sheets/8/card").text
    assert "19.1 V" in card
    assert "down &amp; out" in card
    assert client.post(f"{PAGE}/printed").status_code == 204
    assert "changed since" not in client.get("/sheets/8/card").text
    ask(client, action="save", **{"rules.land_now.conditions.0.value": "19.3"})
    card = client.get("/sheets/8/card").text
    assert "Older than what the sheet says now" in card
    assert "The saved plan holds land now 19.3 V, now 19.2 V" in card
    assert "The printed card holds land now 19.1 V, now 19.2 V" in card
    assert "changed since last printed" in client.get(PAGE).text


def test_printing_keeps_a_plan_that_was_only_written(client):
    assert client.post(f"{PAGE}/printed").status_code == 204
    ask(client, action="save", **{"rules.pack_low.hold_s": "4.0"})
    assert "changed since last printed" in client.get(PAGE).text


def test_voices_are_a_zip_of_the_kept_plan(client):
    ask(client, action="save", **{"rules.land_now.say": "come home"})
    answer = client.get(f"{PAGE}/voices.zip?voice=deep&speed=brisk&rate=32000")
    assert answer.headers["content-type"] == "application/zip"
    with zipfile.ZipFile(io.BytesIO(answer.content)) as opened:
        assert "comehome.wav" in opened.namelist()
        assert "comehome.wav  come home" in opened.read("words.txt").decode()
        with wave.open(io.BytesIO(opened.read("comehome.wav"))) as sound:
            assert (sound.getframerate(), sound.getnchannels(), sound.getsampwidth()) == (32_000, 1, 2)
    assert client.get(f"{PAGE}/voices.zip?voice=nobody&rate=7").status_code == 200


def test_a_word_is_heard_in_the_page(client):
    answer = client.get("/callouts/say.wav?words=land%20now")
    assert answer.headers["content-type"] == "audio/wav"
    assert answer.content[:4] == b"RIFF"
    assert client.get("/callouts/say.wav?words=" + "x" * 500).status_code == 422
    assert "media-src 'self'" in client.get(PAGE).headers["content-security-policy"]


def test_tuning_shows_the_trade_and_sets_the_best(client):
    html = ask(client, action="tune:land_now").text
    assert "Tuning “Land now”" in html
    assert html.count('class="trade-now"') + html.count('class="trade-best"') >= 1
    assert "of 1800" in html
    tight = ask(client, action="tune:land_now", most_false="0", most_late="junk").text
    assert "is not a number" in tight
    assert ask(client, action="set:land_now:19.2:2.5").status_code == 303
    rule = stored(client).rule("land_now")
    assert (rule.conditions[0].value, rule.hold_s) == (19.2, 2.5)
    for nonsense in (
        "set:land_now:x:y",
        "set:silence:19:2",
        "set:nothing:19:2",
        "set:land_now:9999:2",
        "tune:silence",
    ):
        assert ask(client, action=nonsense).status_code == 200
    assert stored(client).rule("land_now") == rule


def test_without_scripts_all_days_are_worked_out_at_once(client):
    html = client.get(f"{PAGE}?days=yes").text
    assert html.count('<tr id="day-') == 9
    assert "waiting" not in html


def test_the_address_alone_leads_to_a_sheets_callouts(client):
    assert client.get("/callouts").headers["location"].startswith("/callouts/")
    assert client.get("/callouts/999").status_code == 404


def test_an_empty_place_leads_to_the_sheets(empty_app):
    with TestClient(
        empty_app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000), follow_redirects=False
    ) as client:
        assert client.get("/callouts").headers["location"] == "/sheets"


def test_a_sheet_that_cannot_be_flown_has_no_callouts(client, app):
    with app.state.database.session() as session:
        row = sheet_store.fetch(session, 8)
        row.landing = row.landing | {"loaded_v": 4.3}
    answer = client.get(PAGE)
    assert answer.status_code == 422
    assert "is at once" in answer.text
    assert "Change the sheet" in answer.text
    assert client.post(PAGE, data={"action": "save"}).status_code == 422


# The form and the ladder by themselves


def test_any_plan_survives_its_own_form():
    result = forecast(sheet(craft=heron()))
    for school in SCHOOLS:
        plan = write_plan(result, school=school.school, current_error=0.021).plan
        read = read_plan_form(first_texts(plan, version=3), plan)
        assert (read.plan, read.version, read.state.errors) == (plan, 3, {})
    rich = CalloutPlan(
        name="rich",
        series=6,
        rules=(
            Rule(
                key="both",
                name="Both",
                join="any",
                conditions=(
                    Condition(value=3.4, per="cell", profile="six"),
                    Condition(sensor="used_ah", comparison="above", value=1.234),
                    Condition(sensor="armed_s", comparison="above", value=75.0),
                    Condition(sensor="telemetry", comparison="present"),
                ),
                say="both",
                vibrate="medium",
                read="used_ah",
                quiet_s=2.5,
                on=False,
            ),
        ),
        timers=(Timer(key="t", at_s=95.0, counts="down", runs="always", last_s=10, end_every_s=4.0, kept=True),),
        profiles=(
            Profile(key="six", name="6S", series=6, say="six"),
            Profile(key="four", name="4S", series=4, say="f"),
        ),
        choose="automatic",
    )
    assert read_plan_form(first_texts(rich, version=1), rich).plan == rich
    assert read_plan(write_plan_json(rich)) == rich


def test_a_changed_sensor_takes_its_own_comparison():
    plan = write_plan(forecast(sheet()), school="loaded voltage").plan
    texts = first_texts(plan, version=1) | {"rules.pack_low.conditions.0.sensor": "telemetry"}
    assert read_plan_form(texts, plan).plan.rule("pack_low").conditions[0].comparison == "missing"


@pytest.mark.parametrize("as_pack", [False, True])
def test_the_ladder_has_its_rungs_in_order_and_its_words_apart(as_pack):
    result = forecast(sheet())
    plan = write_plan(result, school="two stages").plan
    drawn = ladder(plan, result, as_pack=as_pack)
    names = [r.name for r in drawn.rungs]
    order = ["Charged", "Pack low", "Land now", "Craft's lamp", "ESC cutoff", "Cell floor, never"]
    assert [n for n in names if n in order] == order
    ys = [r.text_y for r in drawn.rungs]
    assert all(b - a > 15.0 for a, b in itertools.pairwise(ys))
    for rung in drawn.rungs:
        assert drawn.top - 1 <= rung.loaded_y <= drawn.bottom + 1
        if rung.rest_y is not None:
            assert rung.rest_y <= rung.loaded_y + 1e-9  # sag only takes away
    land = next(r for r in drawn.rungs if r.name == "Land now")
    assert land.loaded_text == ("19.2" if as_pack else "3.20") or land.loaded_text in ("19.3", "3.22")
    assert land.input == "rules-land_now-conditions-0-value"


def test_a_rung_is_dragged_in_the_volts_of_its_sentence():
    result = forecast(sheet())
    plan = write_plan(result, school="loaded voltage").plan
    drawn = ladder(plan, result, as_pack=False)
    land = next(r for r in drawn.rungs if r.name == "Land now")
    share = (drawn.bottom - land.loaded_y) / (drawn.bottom - drawn.top)
    assert land.low + share * (land.high - land.low) == pytest.approx(land.value, abs=0.01)
    assert land.step == 0.1


def at_arming(client, number=8):
    page = client.get(f"/callouts/{number}").text
    return re.findall(r'name="profiles\.(\w+)\.say"', page)


def test_one_plan_serves_all_packs_of_a_craft(client):
    # A second sheet with the same kind of pack; Heron's polymer pack has as many cells and another chemistry.
    other = int(client.post("/sheets/8/copy").headers["location"].rpartition("/")[2])
    assert client.post(f"{PAGE}/all-packs").status_code == 303
    first, second = client.get(PAGE).text, client.get(f"/callouts/{other}").text
    polymer = client.get("/callouts/6").text
    for page in (first, second, polymer):
        assert "For all packs of Heron" in page
        assert "told apart by a switch" in page
    plan = read_plan(client.get("/callouts/6/export").content)
    assert plan.choose == "switch"
    assert plan.profiles[0].floor_v == 3.73  # its own pack stands first there
    assert stored(client).profiles[0].floor_v == 3.42
    cards = [client.get(f"/sheets/{n}/card").text for n in (8, 6)]
    lands = [re.search(r"Land now.*?[\d.]{4} V.*?([\d.]{4}) V", card, re.DOTALL)[1] for card in cards]
    assert lands[0] == "19.2"
    assert float(lands[1]) > 21.0
    # Seen from the other pack the same plan is not another one.
    assert client.post(f"{PAGE}/printed").status_code == 204
    polymer = client.get("/callouts/6").text
    assert client.post("/callouts/6", data=fields(polymer) | {"action": "save"}).status_code == 303
    assert "changed since last printed" not in client.get(PAGE).text
    # A word changed with one is heard with the other.
    second = client.get(f"/callouts/{other}").text
    [key] = [r.key for r in stored(client).rules if r.role == "land_now"]  # by volts with one pack alone
    client.post(f"/callouts/{other}", data=fields(second) | {f"rules.{key}.say": "come home", "action": "save"})
    assert stored(client).rule(key).say == "come home"
    # A plan of its own for one sheet leaves the other with the craft's; its undo goes back.
    client.post(f"{PAGE}/own")
    page = client.get(PAGE).text
    assert "For all packs" not in page
    assert stored(client).rule("land_now").say == "land now"
    assert "come home" in client.get(f"/callouts/{other}").text
    client.post(re.search(r"/callouts/8/drop/\d+", page)[0])
    assert stored(client).rule(key).say == "come home"


def test_a_pack_of_another_chemistry_is_told_by_a_switch(client):
    before = client.get(PAGE).text
    lime = re.search(r'<option value="(\d+)">Lime 1, 6S', before)[1]
    ask(client, action="pack", another_pack=lime)
    page = client.get(PAGE).text
    assert "Lime 1 is in it too. A switch tells the packs apart now." in page
    rungs = [text.split('id="ladder"')[1].split("</svg>")[0].count("Land now") for text in (before, page)]
    assert rungs[0] == rungs[1] > 0
    plan = stored(client)
    assert [p.name for p in plan.profiles] == ["6S", "6S LiPo"]
    assert plan.choose == "switch"
    # One position for both, or the voltage, is refused at its place with what was chosen still there.
    first = plan.profiles[0].switch
    text = ask(client, action="save", **{"profiles.s6_2.switch": f"{first.name}.{first.position}"}).text
    assert "6S has this position" in error_at(text, "profiles.s6_2.switch")
    assert f'<option value="{first.name}.{first.position}" selected' in text.split('name="profiles.s6_2.switch"')[1]
    text = ask(client, action="save", choose="automatic").text
    assert "Two packs have 6 cells" in error_at(text, "choose")
    assert stored(client) == plan
    document = json.loads(client.get(f"{PAGE}/export").text)
    for profile in document["profiles"]:
        profile["switch"] = {"name": "A", "position": "up"}
    answer = client.post(f"{PAGE}/import", files={"file": ("plan.json", json.dumps(document))})
    assert answer.status_code == 422
    assert "profiles.1.switch: 6S has this position" in answer.text
    assert stored(client) == plan


def test_a_plan_with_a_further_pack_is_brought_up_to_date_with_both(client):
    lime = re.search(r'<option value="(\d+)">Lime 1, 6S', client.get(PAGE).text)[1]
    ask(client, action="pack", another_pack=lime)
    ask(client, action="save", **{"timers.timer.at_s": "9:59"})
    assert "timer 9:59, now" in client.get("/sheets/8").text
    assert client.post(f"{PAGE}/up-to-date").status_code == 303
    plan = stored(client)
    assert [p.name for p in plan.profiles] == ["6S", "6S LiPo"]
    assert plan.choose == "switch"
    assert plan.timers[0].at_s != 599.0
    assert "timer 9:59" not in client.get("/sheets/8").text


def test_a_plan_of_its_own_comes_back_by_undo(client):
    ask(client, action="save", **{"rules.land_now.hold_s": "4.5"})
    kept = stored(client)
    client.post(f"{PAGE}/all-packs")
    assert stored(client) != kept
    client.post(re.search(r"/callouts/8/undelete/\d+", client.get(PAGE).text)[0])
    assert stored(client).rule("land_now").hold_s == 4.5


def test_letting_go_of_the_plan_for_all_packs_can_be_undone(client):
    client.post(f"{PAGE}/all-packs")
    client.post(f"{PAGE}/anew")
    page = client.get(PAGE).text
    assert "For all packs" not in page
    client.post(re.search(r"/callouts/8/undelete/\d+", page)[0])
    assert "For all packs of Heron" in client.get(PAGE).text


def test_a_pack_with_other_cells_is_added_told_apart_and_taken_out(client):
    tangelo = re.search(r'<option value="(\d+)">Tangelo 1, 4S', client.get(PAGE).text)[1]
    assert ask(client, action="pack", another_pack=tangelo).status_code == 303
    plan = stored(client)
    assert ([p.key for p in plan.profiles], plan.choose) == (["s6", "s4"], "automatic")
    page = client.get(PAGE).text
    assert "note" not in findings(page)
    assert "The school wrote 20.0 V" not in page
    assert "with" in page.split('id="rule-land_now"')[1].split("</article>")[0]
    # By a switch: each gets a free position to begin with.
    assert "A.up" in re.findall(r'value="([A-H]\.\w+)" selected', ask(client, action="look", choose="switch").text)
    assert ask(client, action="save", choose="switch").status_code == 303
    given = [p.switch for p in stored(client).profiles]
    assert None not in given
    assert given[0] != given[1]
    assert "switch_reads_all_flight" not in client.get(PAGE).text
    kept = ask(
        client,
        action="save",
        choose="switch",
        wrong_profile="not that pack",
        **{
            "profiles.s6.switch": "C.up",
            "profiles.s4.switch": "C.down",
            "profiles.s4.say": "small pack",
            "profiles.s4.floor_v": "3.6",
        },
    )
    assert kept.status_code == 303
    plan = stored(client)
    small = plan.profile("s4")
    assert (small.say, small.floor_v, small.switch.name, small.switch.position) == ("small pack", 3.6, "C", "down")
    assert plan.wrong_profile == "not that pack"
    assert "six cells" in client.get(PAGE).text
    wrong = ask(client, action="save", **{"profiles.s4.full_v": "3.5"})
    assert "The empty voltage lies under the full one." in wrong.text
    ask(client, action="unpack:s4")
    assert [p.key for p in stored(client).profiles] == ["s6"]
    client.post(re.search(r"/callouts/8/undelete/\d+", client.get(PAGE).text)[0])
    assert at_arming(client) == ["s6", "s4"]


def test_what_is_overruled_says_what_it_changes(client):
    page = ask(client, **{"rules.land_now.conditions.0.value": "19.0", "timers.timer.at_s": "14:00"}).text
    about = page.split('id="about-land_now"')[1].split("</p>")[0]
    assert re.search(r"The school wrote 19\.2 V\. That would speak at 17:\d\d with 2\d % left; yours will", about)
    about = page.split('id="about-timer"')[1].split("</p>")[0]
    assert re.search(r"The school wrote 7:10\. That would speak at 7:10 .* yours will speak at 14:00", about)


def test_a_copied_sheet_takes_its_callouts_along(client):
    ask(client, action="save", **{"rules.land_now.say": "come home"})
    answer = client.post("/sheets/8/copy")
    number = int(answer.headers["location"].rpartition("/")[2])
    copied = read_plan(client.get(f"/callouts/{number}/export").content)
    assert copied.rule("land_now").say == "come home"
    client.post(f"/callouts/{number}/anew")
    assert stored(client).rule("land_now").say == "come home"


def test_a_plain_radio_is_told_what_it_can_and_cannot(client):
    page = html.unescape(client.get(PAGE).text.split('id="plain-radio"')[1].split("</div>")[0])
    assert "Buzz, or say “land now”, below 19.2 V" in page
    assert "Count 7:10 and beep" in page
    assert re.search(r"On the flight expected it sounds at \d+:\d\d, and \d+ times before it is true", page)
    assert "it does not notice that nothing comes any more" in page


def test_the_card_of_a_sheet_shows_its_own_pack_of_several(client):
    tangelo = re.search(r'<option value="(\d+)">Tangelo 1, 4S', client.get(PAGE).text)[1]
    before = re.findall(r"\d+\.\d V", client.get("/sheets/8/card?sides=1").text)
    ask(client, action="pack", another_pack=tangelo)
    card = client.get("/sheets/8/card").text
    assert re.findall(r"\d+\.\d V", client.get("/sheets/8/card?sides=1").text) == before
    assert "four cells" in card


def test_a_voltage_written_the_other_way_stays_the_same_voltage(client):
    kept = ask(client, action="save", **{"rules.land_now.conditions.0.per": "cell"})
    assert kept.status_code == 303
    condition = stored(client).rule("land_now").conditions[0]
    assert (condition.per, condition.value) == ("cell", 3.2)
    ask(client, action="save", **{"rules.land_now.conditions.0.per": "pack"})
    assert stored(client).rule("land_now").conditions[0].value == 19.2


def test_a_stage_of_the_craft_is_off_at_nought(client):
    assert ask(client, action="save", **{"stages.lamp_v": "0", "stages.landing_v": "0,0"}).status_code == 303
    assert (stored(client).stages.lamp_v, stored(client).stages.landing_v) == (None, None)


def test_once_is_each_time_it_becomes_true(client):
    assert "once each time" in client.get(PAGE).text


def test_what_the_transmitter_shows_is_asked_once_and_decides_what_leads(client):
    asked = client.get("/callouts/7").text
    assert "Your transmitter shows" in asked or "What does your transmitter show" in asked
    assert client.post(f"{PAGE}/shows", data={"shows.charge": "on"}).status_code == 303
    page = client.get(PAGE).text
    assert "Your transmitter shows charge used of Heron" in page
    assert "Your transmitter shows no voltage of Heron: timer leads." in page
    assert "rules.land_now" not in page
    sheet = client.get("/sheets/8").text
    assert "Land now, held" not in sheet
    assert "Your transmitter shows no voltage, so none can call" in sheet


def test_another_school_keeps_the_other_packs_of_a_plan(client):
    tangelo = re.search(r'<option value="(\d+)">Tangelo 1, 4S', client.get(PAGE).text)[1]
    ask(client, action="pack", another_pack=tangelo)
    assert ask(client, action="school:timer first").status_code == 303
    assert at_arming(client) == ["s6", "s4"]


def test_a_rule_listens_to_two_positions_of_a_switch(client):
    assert ask(client, action="save", **{"rules.land_now.guards.switch": "B.up.middle"}).status_code == 303
    guards = stored(client).rule("land_now").guards
    assert (guards.switch.name, guards.switch.position, guards.or_position) == ("B", "up", "middle")
    page = client.get(PAGE).text
    assert 'value="B.up.middle" selected' in page
    assert "switch B is up or middle" in client.get("/sheets/8/card").text
    assert "land now" in page.split('class="heard"')[-1]  # the dry run has the switch where the rule listens
    for bad in ("B.up.up", "B.up.middle.down", "B", "Z.up.down"):
        answer = ask(client, action="save", **{"rules.land_now.guards.switch": bad})
        assert answer.status_code == 422
        assert stored(client).rule("land_now").guards == guards


def test_the_receivers_own_pack_has_cells_and_a_chemistry(client):
    assert "Receiver&#39;s own pack" not in client.get(PAGE).text
    ask(client, action="add:receiver")
    assert stored(client).rule("own_1").conditions[0].value == 4.8  # a regulated supply
    form = {k: v for k, v in fields(client.get(PAGE).text).items() if k != "receiver.series"}
    client.post(PAGE, data=form | {"action": "save", "receiver.chemistry": "lifepo4"})
    plan = stored(client)
    assert (plan.receiver.series, plan.receiver.chemistry) == (2, "lifepo4")
    page = client.get(PAGE).text
    assert "At 4.8 V 2 cells of LiFePO4 are all but empty." in page
    ask(client, action="mend:not_the_receivers_pack:own_1")
    ask(client, action="save", **{"rules.own_1.conditions.0.value": "6.1"})
    assert "all but empty" not in client.get(PAGE).text
    ask(client, action="save", **{"rules.own_1.conditions.0.value": "7.0"})
    assert "far from empty" in client.get(PAGE).text
    for bad, words in (("0", "At least 1"), ("2.5", "whole number"), ("", "needed"), ("x", "not a number")):
        answer = ask(client, action="save", **{"receiver.series": bad})
        assert answer.status_code == 422
        assert words in error_at(answer.text, "receiver.series")
    assert ask(client, action="save", **{"receiver.chemistry": "coal"}).status_code == 422
    ask(client, action="save", **{"receiver.chemistry": ""})
    assert stored(client).receiver is None
