"""Start: three answers, one that grows beside them, and what is kept of it."""

from __future__ import annotations

import re

import pytest
from starlette.testclient import TestClient

from zesty_cell.core.learn.timer import next_timer
from zesty_cell.services.forecasts import flown
from zesty_cell.services.starting import Asked, first_sheet
from zesty_cell.store import sheets
from zesty_cell.store.hangar import CRAFTS, PACKS
from zesty_cell.words.units import minutes

LABEL = "6s 1300 120c 214g"


@pytest.fixture
def empty(empty_app):
    plain = {"accept-encoding": "identity"}
    with TestClient(
        empty_app, base_url="http://127.0.0.1", client=("127.0.0.1", 50000), follow_redirects=False, headers=plain
    ) as client:
        yield client


def part(html, element_id):
    """The text of a live part, from its id to the next one's."""
    inside = html.split(f'id="{element_id}"', 1)[1]
    return re.sub(r"<[^>]+>", " ", inside.split("data-live", 2)[1])


def ask(client, **form):
    response = client.post("/start", data={"units": "metric"} | form)
    assert response.status_code == 200
    return response.text


def kept(client, **form):
    response = client.post("/start", data={"units": "metric", "action": "keep"} | form)
    assert response.status_code == 303
    return int(response.headers["location"].rpartition("/")[2])


def test_an_empty_hangar_starts_here_with_an_answer_already(empty):
    assert empty.get("/").headers["location"] == "/start"
    html = empty.get("/start").text
    result = flown(first_sheet(Asked()).sheet)
    answer = part(html, "first-answer")
    assert minutes(result.flight.landing_s) in answer
    assert f"{minutes(result.range.low_s)}" in answer
    assert minutes(next_timer(flights=(), result=result).timer_s) in answer
    assert "almost all of it is assumed" in answer
    assert "Fly half of it first" in answer


def test_every_silhouette_answers(empty):
    seen = set()
    for kind in ("micro", "small_quad", "freestyle", "long_range", "lifter", "plane", "flying_wing", "helicopter"):
        html = ask(empty, kind=kind)
        assert f'value="{kind}" checked' in html
        seen.add(re.search(r'class="big">([\d:]+)<', html)[1])
    html = ask(empty, kind="flying_wing", driven="fan")
    seen.add(re.search(r'class="big">([\d:]+)<', html)[1])
    assert len(seen) == 9
    assert "ducted fan" in html


def test_what_the_label_says_stands_under_it_and_the_rest_is_assumed(empty):
    understood = part(ask(empty, label="6s 1300 120c"), "understood")
    assert "cells in series" in understood
    assert "honest about" in understood
    assert understood.count("assumed") == 3  # chemistry, weight, plug
    html = ask(empty, label="7.6V 450 qz30")
    assert 'data-fix="fix.series" id="fix-series" value="2"' in html
    assert '<option value="lihv" selected>' in html
    assert "“qz30” is left out" in part(html, "label-troubles")


def test_a_word_that_was_understood_can_be_corrected(empty):
    html = ask(empty, label=LABEL, **{"fix.series": "4", "fix.chemistry": "lihv", "fix.mass_kg": "180 g"})
    assert 'name="fix.series" data-fix="fix.series" id="fix-series" value="4"' in html
    assert "high-voltage" in html.split("selected>")[1]
    row = kept(empty, label=LABEL, **{"fix.series": "4", "fix.chemistry": "lihv", "fix.mass_kg": "180 g"})
    assert re.search(r"4S1P, LiHV", empty.get(f"/sheets/{row}").text)


@pytest.mark.parametrize(
    ("form", "place"),
    [
        ({"ready": "heavy"}, "error-ready"),
        ({"ready": "900 kg"}, "error-ready"),
        ({"ready": "100"}, "error-ready"),
        ({"size": "3 m"}, "error-size"),
        ({"fix.series": "99"}, "fix-series"),
        ({"fix.series": "4.5"}, "fix-series"),
        ({"m.hover_amps.amps": "lots"}, "error-m-hover_amps-amps"),
        ({"m.hover_charge.charge": "900", "m.hover_charge.time": "4.5"}, "error-m-hover_charge-time"),
        ({"m.charger_ohm.cells": "6 7"}, "error-m-charger_ohm-cells"),
        ({"m.hover_amps.amps": "900"}, "error-m-hover_amps-amps"),
    ],
)
def test_what_is_wrong_is_said_at_its_place_and_stays_typed(empty, form, place):
    html = ask(empty, label=LABEL, **form)
    at = html.split(f'id="{place}"', 1)[1][:420]
    assert re.search(r"not a number|Between|pack alone|no unit|two digits|cells|Left out", at), at
    for value in form.values():
        assert f'value="{value}"' in html
    assert "Be on the ground at" in html  # and the answer goes on with the rest


def test_keeping_makes_craft_pack_and_sheet_that_say_the_same(empty):
    shown = ask(empty, kind="freestyle", label="Gnarly 6s 1300 120c 214g", ready="690", manner="hard")
    landing = re.search(r'class="big">([\d:]+)<', shown)[1]
    timer = re.search(r"Timer, then down by ([\d:]+).*?<b>([\d:]+)</b>", shown, re.DOTALL)[2]
    number = kept(empty, kind="freestyle", label="Gnarly 6s 1300 120c 214g", ready="690", manner="hard")
    page = empty.get(f"/sheets/{number}").text
    assert "Freestyle quad on Gnarly 6S 1300 LiPo" in page
    assert f'<p class="big">{landing}</p>' in page
    assert timer in page
    with empty.app.state.database.session() as session:
        sheet = sheets.as_sheet(sheets.fetch(session, number))
        assert [row.name for row in CRAFTS.all(session)] == ["Freestyle quad"]
        assert [row.name for row in PACKS.all(session)] == ["Gnarly 6S 1300 LiPo"]
    assert sheet.craft.assumed.weight == 0.04
    assert sheet.pack.mass_kg == 0.214
    assert sheet.flying.name == "Race laps"
    # Kept again: the same craft and pack, another sheet.
    assert kept(empty, kind="freestyle", label="Gnarly 6s 1300 120c 214g", ready="690") != number
    with empty.app.state.database.session() as session:
        assert len(CRAFTS.all(session)) == len(PACKS.all(session)) == 1


def test_other_things_of_one_name_get_a_name_of_their_own(empty):
    kept(empty, label=LABEL)
    kept(empty, label=LABEL, ready="700")
    with empty.app.state.database.session() as session:
        assert [row.name for row in CRAFTS.all(session)] == ["Freestyle quad", "Freestyle quad (2)"]


def test_what_was_assumed_stays_so_until_its_figure_changes(empty):
    number = kept(empty, label=LABEL)
    with empty.app.state.database.session() as session:
        craft_id = sheets.fetch(session, number).craft_id
    page = empty.get(f"/hangar/crafts/{craft_id}").text
    assert page.count('<i class="assumed">assumed</i>') >= 5  # each beside its figure, and what that means
    form = dict(re.findall(r'name="([^"]+)"[^>]*?value="([^"]*)"', page))
    form |= {"kind": "multirotor", "pack_cooling": "airflow", "steady.source": "rotor", "shows": ""}
    form |= {"full_throttle.source": "estimated", "dry_mass_kg": "455"}
    assert empty.post(f"/hangar/crafts/{craft_id}", data=form).status_code == 303
    with empty.app.state.database.session() as session:
        craft = CRAFTS.thing(CRAFTS.fetch(session, craft_id))
    assert (craft.dry_mass_kg, craft.assumed.weight) == (0.455, 0.0)
    assert craft.assumed.size > 0.0
    assert craft.assumed.full_throttle > 0.0


def test_a_result_typed_at_its_measurement_narrows_the_answer(empty):
    def width(html):
        low, high = re.search(r"between <b>([\d:]+)</b> and <b>([\d:]+)</b>", html).groups()
        return sum(int(v) * w for v, w in zip(high.split(":"), (60, 1), strict=True)) - sum(
            int(v) * w for v, w in zip(low.split(":"), (60, 1), strict=True)
        )

    wide = ask(empty, label=LABEL)
    told = re.search(r'id="measure-hover_charge".*?would become </span>([\d:]+) to ([\d:]+)', wide, re.DOTALL)
    assert told
    narrow = ask(empty, label=LABEL, **{"m.hover_charge.charge": "640", "m.hover_charge.time": "5:00"})
    assert width(narrow) < 0.6 * width(wide)
    assert 'id="m-hover_charge-charge" name="m.hover_charge.charge" value="640"' in narrow
    assert "what you measured narrows it" in narrow
    number = kept(empty, label=LABEL, **{"m.hover_charge.charge": "640", "m.hover_charge.time": "5:00"})
    with empty.app.state.database.session() as session:
        steady = sheets.as_sheet(sheets.fetch(session, number)).craft.steady
    assert (steady.source, steady.charge_ah, steady.duration_s) == ("charge", 0.64, 300.0)


def test_where_the_width_comes_from_adds_up(empty):
    causes = empty.get("/start").text.split("Where the width comes from", 1)[1].split("</dl>", 1)[0]
    shares = [int(share) for share in re.findall(r"<dd>(\d+) %</dd>", causes)]
    assert shares == sorted(shares, reverse=True)
    assert 92 <= sum(shares) <= 101  # those under two in a hundred are not shown


def test_units_change_what_is_shown_and_not_what_was_said(empty):
    empty.cookies.set("zesty_cell_view", "units-imperial.volts-cell.theme-paper")
    html = ask(empty, ready="690", size="12.7", label=LABEL, **{"m.weigh.ready": "700"})
    assert 'name="ready" value="24.339' in html
    assert 'name="size" value="5"' in html
    assert 'name="m.weigh.ready" value="24.69' in html
    assert 'name="units" value="imperial"' in html
    typed = {"units": "imperial", "ready": "24.339", "size": '5"', "label": LABEL, "action": "keep"}
    number = int(empty.post("/start", data=typed).headers["location"].rpartition("/")[2])
    with empty.app.state.database.session() as session:
        craft = sheets.as_sheet(sheets.fetch(session, number)).craft
    assert craft.steady.rotor_diameter_m == pytest.approx(0.127)
    assert craft.dry_mass_kg == pytest.approx(0.690 - 0.214, rel=1e-3)


def test_a_craft_and_a_pack_of_the_hangar_are_taken_as_they_are(client, fly_season):
    fly_season()
    with client.app.state.database.session() as session:
        row = sheets.fetch(session, 8)
        craft_id, pack_id, pattern = row.craft_id, row.pack_id, sheets.as_sheet(row).flying.name
        before = len(CRAFTS.all(session))
    key = next(k for k in ("cruise", "freestyle", "long_range") if pattern in client.get("/start").text and k)
    html = ask(client, craft_id=str(craft_id), pack_id=str(pack_id), pattern=key)
    assert "corrected by" in html
    assert "of this craft" in html
    assert "Log a flight" not in html
    number = kept(client, craft_id=str(craft_id), pack_id=str(pack_id), pattern=key)
    page = client.get(f"/sheets/{number}").text
    assert f'<p class="big">{re.search(r"""class="big">([0-9:]+)<""", html)[1]}</p>' in page
    with client.app.state.database.session() as session:
        assert len(CRAFTS.all(session)) == before
        assert (sheets.fetch(session, number).craft_id, sheets.fetch(session, number).pack_id) == (
            craft_id,
            pack_id,
        )
    # A pack that is not there yet, on a craft that has flown: the craft is known.
    html = ask(client, craft_id=str(craft_id), label="6s 2200 75c", pattern=key)
    number = kept(client, craft_id=str(craft_id), label="6s 2200 75c", pattern=key)
    landing = re.search(r'class="big">([\d:]+)<', html)[1]
    assert f'<p class="big">{landing}</p>' in client.get(f"/sheets/{number}").text


def test_the_picture_says_what_is_left_where_it_lands(empty):
    assert "land, 20 % left" in ask(empty, label=LABEL)
    # Small cells of an energy type are at their floor in the first burst of such a quad, all but full.
    result = flown(first_sheet(Asked(line="4s 18650 2500 5A")).sheet)
    left = result.reserve_ah / result.setup.figures.capacity_ah
    assert left > 0.9
    html = ask(empty, label="4s 18650 2500 5A")
    assert f"land, {100 * left:.0f} % left" in html
    assert "There the cells are at their floor." in html


def test_what_cannot_fly_says_so(empty):
    html = ask(empty, kind="lifter", ready="60 kg", label="1s 20mAh")
    assert "This does not fly" in html
    assert kept(empty, kind="lifter", ready="60 kg", label="1s 20mAh")


@pytest.mark.parametrize(
    "form",
    [
        {"kind": "zeppelin", "manner": "wild", "carries": "9", "pattern": "??", "pack_id": "999", "craft_id": "x"},
        {"label": "🍋" * 400},
        {"ready": "9" * 500, "size": "-5", "units": "klingon"},
        {"fix.series": "1e9", "fix.chemistry": "gold", "m.charger_ohm.cells": "1 " * 90},
    ],
)
def test_nonsense_is_answered_with_what_is_usual(empty, form):
    assert "So far" in ask(empty, **form)


def test_nothing_is_stored_by_looking(empty):
    ask(empty, label=LABEL)
    with empty.app.state.database.session() as session:
        assert sheets.is_empty(session)
        assert not CRAFTS.all(session)
