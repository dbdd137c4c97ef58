"""Choosing pages: the comparison, the search, what buys minutes; wiring, bad addresses, opening as a sheet."""

from __future__ import annotations

import re
import time
from contextlib import suppress
from types import SimpleNamespace

import pytest

from tests.web.test_sheets import error_at, typed
from zesty_cell.core.errors import StoppedError
from zesty_cell.services.turns import MOST_WAITING, TURNS
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS
from zesty_cell.web.choose.jobs import Jobs


def numbers(client):
    return {name: n for n, name in re.findall(r'/hangar/packs/(\d+)">([^<]+)<', client.get("/hangar").text)}


def rows_of(html):
    body = html.split('<table class="compare">')[1].split("</table>")[0]
    return re.findall(r'<span class="row-name">(?:<a [^>]*>)?([^<]+)<', body)


# Compare


def test_the_first_choice_suits_the_craft_and_holds_its_own_pack(client):
    html = client.get("/choose/8").text
    names = rows_of(html)
    assert "Pomelo 1" in names
    assert "Kumquat 1" not in names
    assert len(names) == 6
    assert "6 packs in view" in html


def test_packs_asked_for_are_compared_in_that_order(client):
    n = numbers(client)
    html = client.get(
        f"/choose/8?pack={n['Lime 1']}&pack={n['Pomelo 2']}&also=liion_energy.6.1.5000.rows.good"
    ).text
    assert rows_of(html) == ["Lime 1", "Pomelo 2", "6S lithium-ion 5000 mAh"]
    assert "imagined" in html


def test_the_time_on_the_comparison_is_the_sheets_own(client):
    sheet = client.get("/sheets/8").text
    landing = re.search(r'class="big">([\d:]+)<', sheet)[1]
    low, high = re.search(r"between ([\d:]+) and\s+([\d:]+)", sheet).groups()
    assert f"{landing}, 9 flights in 10 between {low} and {high}" in client.get("/choose/8").text


def test_each_purpose_has_its_sentence(client):
    seen = set()
    for purpose in (
        "longest",
        "strongest+at+the+end",
        "lightest",
        "coolest",
        "within+the+weight+class",
        "nonsense",
    ):
        html = client.get(f"/choose/8?purpose={purpose}").text
        seen.add(re.search(r'class="verdict" aria-live="polite">([^<]+)<', html)[1])
    assert len(seen) == 5


def test_more_than_eight_or_unknown_packs_are_said(client):
    n = numbers(client)
    query = "&".join(f"pack={k}" for k in n.values())
    html = client.get(f"/choose/8?{query}").text
    assert len(rows_of(html)) == 8
    assert "8 packs stand side by side; left out:" in html
    html = client.get(
        f"/choose/8?pack={n['Lime 1']}&pack=9999&also=plutonium.6.1.5000.rows.good&also=cell.99.6.1.rows"
    )
    assert "no longer in the hangar" in html.text
    assert "cannot be built" in html.text
    assert rows_of(html.text) == ["Lime 1"]


def test_no_pack_chosen_is_no_error(client):
    html = client.get("/choose/8?shown=1")
    assert html.status_code == 200
    assert "Choose packs to compare" in html.text
    assert client.get("/choose/999").status_code == 404


def test_each_at_its_own_temperature(client):
    n = numbers(client)["Pomelo 1"]
    html = client.get(f"/choose/8?pack={n}&own=1&c.{n}=31").text
    assert "<td>31 °C</td>" in html
    assert f'name="c.{n}" value="31"' in html
    assert "<td>12 °C</td>" in client.get(f"/choose/8?pack={n}&own=1&c.{n}=hot").text


def test_a_weight_class_names_the_pill(client):
    html = client.get("/choose/3").text
    assert "under 250 g" in html


def test_the_knee_of_any_chemistry_even_one_that_does_not_fly(client):
    for key in ("lipo", "liion_energy", "nimh", "unobtainium"):
        assert client.get(f"/choose/8?knee={key}").status_code == 200
    assert "Another gram stops paying near" in client.get("/choose/6").text


def test_one_pack_over_several_crafts(client):
    html = client.get("/choose/8/crafts").text
    assert "Which craft for Pomelo 1?" in html
    assert {"Heron", "Swift"} <= set(rows_of(html))
    heron = re.search(r'name="craft" value="(\d+)" checked> Heron', html)[1]
    assert rows_of(client.get(f"/choose/8/crafts?craft={heron}").text) == ["Heron"]


# Search


def test_the_search_flies_what_it_says_and_lists_the_front(client):
    html = client.get("/choose/8/search").text
    meets, flown = (int(x) for x in re.search(r"<b>(\d+)</b> of (\d+) packs meet", html).groups())
    assert 0 < meets <= flown
    assert f"Search {flown} packs" in html
    assert "on the front" in html
    assert html.count('class="cand ') >= meets


ASK = {
    "units": "metric", "chemistry": "lipo", "arrangement": "rows", "capacity_from_ah": "1000",
    "capacity_to_ah": "3000", "capacity_steps": "5", "series_from": "6", "series_to": "6", "parallel_from": "1",
    "parallel_to": "1", "quality": "good", "within_parts": "on", "over_cutoff": "on", "most_c": "60",
}  # fmt: skip


def test_a_question_of_ones_own(client):
    html = client.get("/choose/8/search", params=ASK).text
    assert "<b>5</b> of 5 packs meet" in html
    assert "6S LiPo 3000 mAh" in html


def test_the_brush_keeps_a_part(client):
    html = client.get("/choose/8/search", params=ASK | {"brush_from_s": "600", "brush_to_s": "760"}).text
    inside = int(re.search(r"<b>(\d+)</b> of them inside the brush", html)[1])
    assert 0 < inside < 5
    assert "Clear the brush" in html
    none = client.get("/choose/8/search", params=ASK | {"brush_from_s": "9000"}).text
    assert "Nothing lies inside the brush" in none


@pytest.mark.parametrize(
    ("change", "field", "words"),
    [
        ({"series_from": "8"}, "series_to", "not be below"),
        ({"capacity_to_ah": "10"}, "capacity_to_ah", "At least 50 mAh"),
        ({"series_to": "60"}, "series_to", "At most 24"),
        ({"capacity_steps": "two"}, "capacity_steps", "not a number"),
        ({"least_time_s": "5:99"}, "least_time_s", "not a time"),
        ({"least_thrust_share": "140"}, "least_thrust_share", "At most 100 %"),
        ({"chemistry": "unobtainium"}, "chemistries", "Choose a chemistry"),
        ({"arrangement": "pile"}, "arrangements", "at least 1"),
    ],
)
def test_bad_questions_are_said_at_their_place_and_kept(client, change, field, words):
    response = client.get("/choose/8/search", params=ASK | change)
    assert response.status_code == 422
    assert words in error_at(response.text, field)
    if field in change:
        assert f'value="{change[field]}"' in response.text


def test_too_many_are_asked_about_before_they_are_flown(client):
    query = {
        **ASK, "chemistry": ["lipo", "lihv", "liion_power", "liion_energy", "lifepo4", "nimh"],
        "capacity_from_ah": "100", "capacity_to_ah": "50000", "capacity_steps": "2000", "series_from": "1",
        "series_to": "24", "parallel_to": "24", "arrangement": ["rows", "two layers", "tube"],
    }  # fmt: skip
    response = client.get("/choose/8/search", params=query)
    assert response.status_code == 422
    assert "Nothing was flown yet" in response.text
    assert re.search(r"That is \d{3}\u2009\d{3} packs", response.text)
    narrower = re.search(r'href="(\?[^"]+)">Narrow it to', response.text)[1].replace("&amp;", "&")
    html = client.get("/choose/8/search" + narrower).text
    assert "is the most" not in html
    # It is flown behind the answer, and would be while the next tests wait for their turn.
    if "found-line" not in html:  # a fast machine has flown it within the answer's patience
        client.post("/choose/8/search/cancel", data={"key": re.search(r'name="key" value="(\w+)"', html)[1]})
    with TURNS.heavy():
        pass


def test_limits_that_nothing_meets_say_which_and_what_is_nearest(client):
    html = client.get("/choose/8/search", params=ASK | {"most_all_up_kg": "700", "least_time_s": "30:00"}).text
    assert "Nothing meets all of your limits. Nearest is <b>6S LiPo" in html
    assert "The all-up weight (700 g) leaves out 5" in html
    assert "The flight time (30:00) leaves out 5; nearest is 6S LiPo 3000 mAh" in html


def test_the_same_question_is_flown_once(client, app, monkeypatch):
    from zesty_cell.web.choose import search_view as page

    flown = []
    real = page.search
    monkeypatch.setattr(page, "search", lambda *a, **k: flown.append(1) or real(*a, **k))
    for _ in range(3):
        client.get("/choose/8/search", params=ASK)
    client.get("/choose/8/search", params=ASK | {"brush_from_s": "600"})
    assert len(flown) == 1
    client.get("/choose/8/search", params=ASK | {"capacity_steps": "6"})
    assert len(flown) == 2


def test_a_long_search_shows_progress_and_can_be_stopped(client, app, monkeypatch):
    from zesty_cell.web.choose import jobs
    from zesty_cell.web.choose import search_view as page

    monkeypatch.setattr(jobs, "PATIENCE_S", 0.05)
    stopped = []

    def slow(sheet, *, packs, limits, progress, cancelled):
        progress(1, len(packs))
        while not cancelled():
            time.sleep(0.01)
        stopped.append(True)
        raise RuntimeError("stopped")

    monkeypatch.setattr(page, "search", slow)
    html = client.get("/choose/8/search", params=ASK).text
    assert "Flying 5 packs" in html
    assert 'value="1">1</progress>' in html
    key = re.search(r'name="key" value="(\w+)"', html)[1]
    assert client.post("/choose/8/search/cancel", data={"key": key}).status_code == 303
    for _ in range(200):
        if stopped:
            break
        time.sleep(0.01)
    assert stopped


def test_a_search_in_line_says_so_and_is_stopped_before_its_turn(client, monkeypatch):
    from zesty_cell.web.choose import search_view as page

    flown = []
    monkeypatch.setattr(page, "search", lambda *a, **k: flown.append(1))
    with TURNS.heavy():
        html = client.get("/choose/8/search", params=ASK).text
        assert "One piece of work goes before it." in html
        key = re.search(r'name="key" value="(\w+)"', html)[1]
        assert client.post("/choose/8/search/cancel", data={"key": key}).status_code == 303
    time.sleep(0.1)
    assert flown == []


def test_where_the_line_is_full_what_was_asked_stays_and_who_holds_a_request_is_told_to_come_again(client):
    with TURNS.heavy():
        tickets = [TURNS.draw() for _ in range(MOST_WAITING)]
        try:
            answer = client.get("/choose/8/search", params=ASK)
            assert answer.status_code == 503
            assert "try again in a few seconds" in answer.text
            assert f'value="{ASK["capacity_to_ah"]}"' in answer.text
            voices = client.get("/callouts/8/voices.zip")
            assert voices.status_code == 503
            assert voices.headers["retry-after"] == "3"
            body = {
                "sheet": client.get("/api/sheets/8").json()["sheet"],
                "vary": "conditions.air_c",
                "values": [1, 2],
            }
            assert client.post("/api/sweep", json=body).status_code in (422, 503)
        finally:
            for ticket in tickets:
                TURNS.stop(ticket)
                with suppress(StoppedError), TURNS.turn(ticket):
                    pass
    assert client.get("/callouts/8/voices.zip").status_code == 200


def test_finished_searches_are_let_go_of():
    jobs = Jobs()
    for k in range(30):
        jobs.start(str(k), lambda job: None)
    assert len(jobs._jobs) <= 14
    for k in range(6):
        jobs.start(f"large {k}", lambda job: SimpleNamespace(packs=range(12_000)))
    kept = [k for k in jobs._jobs if k.startswith("large")]
    assert "large 5" in kept
    assert len(kept) <= 3


# What buys minutes


def test_every_change_stands_with_its_cost_and_can_be_tried(client):
    html = client.get("/choose/4/buys").text
    assert "costs the price of a pack" in html
    for key in ("lighter", "more_capacity", "warm_pack"):
        assert f"/sheets/4?try={key}" in html
    assert "A little more power?" in html
    assert "One more cell: 5S" in html
    assert "above the 17 V its parts take" in html


def test_trying_shows_on_the_sheet_and_is_saved_with_it(client):
    before = re.search(r'class="big">([\d:]+)<', client.get("/sheets/8").text)[1]
    html = client.get("/sheets/8?try=lighter").text
    assert "not saved yet" in html
    assert 'name="trying.lighter" checked' in html
    assert re.search(r'class="big">([\d:]+)<', html)[1] > before
    form = typed(client, "/sheets/8") | {"trying.lighter": "on"}
    assert client.post("/sheets/8", data=form | {"action": "save"}).status_code == 303
    assert 'name="trying.lighter" checked' in client.get("/sheets/8").text
    assert "Trying:" in client.get("/choose/8").text
    assert 'name="trying' not in client.get("/sheets/7?try=teleport").text


def test_the_cell_count_of_a_style_and_its_reason(client):
    assert '<b class="cells">3S.</b>' in client.get("/choose/7/buys?style=hover").text
    assert "slow or gliding" in client.get("/choose/4/buys").text
    assert "slow or gliding" not in client.get("/choose/7/buys?style=slow").text


def test_out_and_back_with_the_reserve_untouched_or_a_word(client):
    html = client.get("/choose/4/buys").text
    assert "Farthest turn" in html
    assert "keep the craft in sight" in html
    assert "cruise speed in the hangar" in client.get("/choose/2/buys").text
    client.post("/view", data={"name": "units", "value": "imperial"})
    assert "mi</dd>" in client.get("/choose/4/buys").text


def test_the_chain_marks_its_weakest(client):
    html = client.get("/choose/4/buys").text
    weakest = re.search(r'weakest">\s*<span class="chain-name">([^<]+)<em>weakest', html)[1]
    assert "rating" in weakest


def test_a_sheet_that_cannot_be_flown_is_said(client):
    form = typed(client, "/sheets/4") | {"landing.headwind_m_s": "-60", "action": "save"}
    assert client.post("/sheets/4", data=form).status_code == 303
    assert "does not get out" in client.get("/choose/4/buys").text


# Opening as a sheet


def test_an_imagined_pack_becomes_a_sheet_and_a_wanted_pack(client):
    response = client.post("/choose/8/open", data={"also": "lipo.6.1.2200.rows.good"})
    html = client.get(response.headers["location"]).text
    assert "6S LiPo 2200 mAh" in html
    assert "is in the hangar as wanted" in html
    assert '<em class="standing">wanted</em>' in client.get("/hangar?q=2200").text
    again = client.post("/choose/8/open", data={"also": "lipo.6.1.2200.rows.good"})
    assert again.headers["location"] != response.headers["location"]
    assert "1 pack of 1 type found" in client.get("/hangar?q=2200").text


def test_a_pack_of_cells_from_the_search_keeps_its_cell(client):
    number = re.search(r'/hangar/cells/(\d+)">Rind 21-70<', client.get("/hangar").text)[1]
    client.post("/choose/8/open", data={"also": f"cell.{number}.6.1.rows"})
    assert "in 1 pack" in client.get("/hangar").text.split("Rind 21-70</a>")[-1].split("</li>")[0]


def test_a_pack_of_the_hangar_opens_as_a_sheet_of_the_same_flight(client):
    n = numbers(client)["Lime 1"]
    where = client.post("/choose/8/open", data={"pack": n}).headers["location"]
    html = client.get(where).text
    assert "Heron on Lime 1" in html
    assert "Shoreline cruise" in html


def test_nonsense_is_refused_and_stores_nothing(client):
    assert client.post("/choose/8/open", data={"also": "x" * 60}).headers["location"] == "/choose/8"
    assert "cannot be built" in client.get("/choose/8").text
    assert client.post("/choose/8/open", data={"pack": "99999"}).status_code == 404
    assert client.post("/choose/8/open", data={"pack": "many"}).status_code == 422


def test_a_contradiction_on_the_sheet_is_said_before_anything_is_flown(client):
    form = typed(client, "/sheets/4") | {"landing.home_s": "60", "landing.headwind_m_s": "10", "action": "save"}
    assert client.post("/sheets/4", data=form).status_code == 303
    craft = re.search(r'/hangar/crafts/(\d+)">Plover<', client.get("/hangar").text)[1]
    html = client.get(f"/hangar/crafts/{craft}").text
    fields = dict(re.findall(r'name="([\w.]+)" [^>]*value="([^"]*)"', html.split('class="thing"')[1]))
    choices = {
        "kind": "wing", "pack_cooling": "enclosed", "steady.source": "measured",
        "full_throttle.source": "measured", "version": re.search(r'name="version" value="(\d+)"', html)[1],
    }  # fmt: skip
    slow = fields | choices | {"cruise_speed_m_s": "9"}
    assert client.post(f"/hangar/crafts/{craft}", data=slow).status_code == 303
    for page in ("/search", "/buys"):
        response = client.get(f"/choose/4{page}")
        assert response.status_code == 422
        assert "does not get home" in response.text
    assert "is left out: This craft cruises at" in client.get("/choose/4").text


def test_cells_are_found_too(client):
    assert "/hangar/cells/" in client.get("/find?q=pip").text


def test_each_chemistry_lands_at_its_own_voltage_shown_and_editable(client):
    assert "Landing voltage of each chemistry" not in client.get("/choose/8").text
    form = {k: v for k, v in typed(client).items() if not k.startswith("school.")}
    form |= {"school.loaded": "on", "landing.loaded_v": "2.90", "action": "save"}
    assert client.post("/sheets/8", data=form).status_code == 303
    page = client.get("/choose/8").text
    assert "land at 2.90 V a cell under load" in page
    assert "land at 3.50 V a cell under load" in page
    assert 'name="land.lipo.loaded_v" value="" placeholder="3.50"' in page
    assert "other chemistries at their own" in client.get("/choose/8/search").text
    before = dict(re.findall(r'row-name"><a[^>]*>([^<]+)</a>.*?class="clock"[^>]*>([\d:]+)<', page, re.S))
    lower = client.get("/choose/8?land.lipo.loaded_v=3,3").text
    assert "land at 3.30 V a cell under load" in lower
    assert 'value="3,3"' in lower
    after = dict(re.findall(r'row-name"><a[^>]*>([^<]+)</a>.*?class="clock"[^>]*>([\d:]+)<', lower, re.S))
    longer = {name for name in before if after[name] != before[name]}
    assert longer
    assert "Pomelo 1" not in longer
    for wrong, words in (("1.9", "LiPo is spoilt"), ("tea", "not a number"), ("nan", "not a number")):
        refused = client.get(f"/choose/8?land.lipo.loaded_v={wrong}")
        assert refused.status_code == 200
        assert words in error_at(refused.text, "land-lipo-loaded_v")
        assert f'value="{wrong}"' in refused.text
        assert "land at 3.50 V a cell under load" in refused.text


def test_a_search_begins_with_the_crafts_own_limits(client, app):
    with app.state.database.session() as session:
        row = next(r for r in sheets.all_sheets(session) if r.craft.name == "Tern")
        number, craft = row.id, CRAFTS.thing(row.craft)
        limits = craft.limits.model_copy(update={"bay_length_m": 0.075, "bay_width_m": 0.035})
        CRAFTS.change(session, row.craft_id, row.craft.version, craft.model_copy(update={"limits": limits}))
        session.commit()
    html = client.get(f"/choose/{number}/search").text
    typed = {name: re.search(rf'name="{name}"[^>]*value="([^"]*)"', html)[1] for name in (
        "most_all_up_kg", "most_length_m", "most_width_m", "most_height_m",
    )}  # fmt: skip
    assert typed == {"most_all_up_kg": "250", "most_length_m": "75", "most_width_m": "35", "most_height_m": ""}


def test_a_comparison_says_watts_throttle_and_what_a_flight_costs(client, app):
    with app.state.database.session() as session:
        number = next(r.id for r in sheets.all_sheets(session) if r.craft.name == "Heron" and "Pomelo" in r.name)
    html = client.get(f"/choose/{number}").text
    assert re.search(r"\d+ W, \d\.\d g/W", html)
    assert "0.28 over 300 flights" in html  # 84 over 300
    assert re.search(r"Hover is at \d\d % of the throttle on ", html)
    assert "the same work for all" in html
    assert "up to" in html
