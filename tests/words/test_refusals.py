"""What is refused is a fact too: said in the units of who reads it, plainly where nobody does."""

from __future__ import annotations

import subprocess
import sys

import pytest
from pydantic import ValidationError

from tests.sheets import pomelo, sheet
from zesty_cell.core.answer.forecast import forecast
from zesty_cell.core.asked.landing import LandingRule
from zesty_cell.core.errors import OutOfRangeError
from zesty_cell.words.face import Reader
from zesty_cell.words.say import say

IMPERIAL = Reader("imperial", "pack")


def test_a_headwind_is_said_in_the_readers_speed():
    with pytest.raises(OutOfRangeError) as caught:
        forecast(sheet(landing=LandingRule(charge_kept=0.2, home_s=30.0, headwind_m_s=20.0)))
    assert caught.value.field == "landing.headwind_m_s"
    assert "cruises at 50 km/h: against 72 km/h it does not get home" in str(caught.value)
    assert "cruises at 31 mph: against 45 mph it does not get home" in say(caught.value.why, IMPERIAL)


def test_a_weight_no_cell_has_is_said_in_the_readers_ounces():
    with pytest.raises(ValidationError) as caught:
        pomelo(mass_kg=0.04)
    [problem] = caught.value.errors(include_url=False, include_input=False)
    assert "in 40.0 g would be" in problem["msg"]
    assert "in 1.4 oz would be" in say(problem["ctx"]["why"], IMPERIAL)


def test_a_form_in_ounces_is_answered_in_ounces(client):
    page = client.get(
        "/hangar/packs/new", headers={"cookie": "zesty_cell_view=units-imperial.volts-cell.theme-paper"}
    )
    assert page.status_code == 200
    form = {"name": "Feather", "chemistry": "lipo", "series": "6", "parallel": "1", "capacity_ah": "4200",
            "capacity_known": "maker", "mass_kg": "1.4", "mass_known": "measured", "quality": "ordinary",
            "connector": "large_60a", "units": "imperial", "ownership.standing": "own"}  # fmt: skip
    cookie = {"cookie": "zesty_cell_view=units-imperial.volts-cell.theme-paper"}
    refused = client.post("/hangar/packs/new", data=form, headers=cookie)
    assert refused.status_code == 422
    assert "oz would be" in refused.text


@pytest.mark.parametrize(
    ("first", "said"),
    [
        ("import zesty_cell as zc; fail = lambda: zc.sweep", "A sheet has no"),
        # Even the core alone says what was wanted and found, with nobody there to make a sentence of it.
        ("from zesty_cell.core.parts.chemistries import chemistry_for", "refused.chemistry.unknown key='tin'"),
    ],
    ids=["library", "core alone"],
)
def test_an_error_can_be_read_wherever_it_is_raised(first, said):
    call = (
        "zc.sweep(zc.read_sheet(open('docs/formats.md').read().split('```json')[1].split('```')[0]),"
        " field='conditions.wind', values=[1])"
        if "zc" in first
        else "chemistry_for('tin')"
    )
    code = f"{first}\ntry:\n    {call}\nexcept Exception as error:\n    print(error)"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert said in done.stdout
