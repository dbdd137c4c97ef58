"""The package as a library: what a person would guess, and the code of docs/library.md as it stands there."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

import zesty_cell as zc
from tests.core.learn.test_log_fit import SHEET
from tests.sheets import sheet
from zesty_cell.formats.sheet_json import write_sheet
from zesty_cell.standins.craft import SimulatedCraft

DOCUMENT = Path(__file__).parents[1] / "docs" / "library.md"
_ALONE = """
import sys, zesty_cell as zc
assert not any(name.startswith("zesty_cell.") for name in sys.modules), "nothing is imported before it is asked for"
for name in zc.__all__:
    getattr(zc, name)
web = ("fastapi", "starlette", "sqlalchemy", "jinja2", "uvicorn")
assert [n for n in sys.modules if n.partition(".")[0] in web] == []
"""


def test_the_documents_code_runs_as_it_stands(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "sheet.json").write_text(write_sheet(sheet()))
    craft = SimulatedCraft(SHEET, seed=3)
    (tmp_path / "flight.csv").write_bytes(craft.log_csv(craft.fly(600.0)))
    scope: dict[str, object] = {}
    for block in re.findall(r"```python\n(.*?)```", DOCUMENT.read_text(), re.S):
        exec(compile(block, str(DOCUMENT), "exec"), scope)
    out = capsys.readouterr().out
    assert "<Forecast of “Lighthouse run”: lands at" in out
    assert re.search(r"<LogFit of 6\d\d s: resistance 0\.0", out)
    assert out.count("°C") == 9


def test_importing_it_imports_no_web_and_every_name_is_there():
    subprocess.run([sys.executable, "-c", _ALONE], check=True)
    assert set(zc.__all__) <= set(dir(zc))
    with pytest.raises(AttributeError, match="no attribute 'nothing'"):
        _ = zc.nothing


def test_what_is_shown_of_a_value_is_short():
    result = zc.forecast(sheet())
    shown = [result, result.flight, result.range, result.setup, sheet(), sheet().craft, sheet().pack]
    assert [len(repr(one)) < 240 for one in shown] == [True] * len(shown)
    assert repr(result) == (
        "<Forecast of “Heron on Pomelo”: lands at 17:48 by charge used, 15:38 to 20:00; set the timer to 14:00; "
        "checks: look>"
    )


def test_a_sweep_gives_what_each_sheet_gives_by_itself():
    one = sheet()
    swept = zc.sweep(one, field="conditions.air_c", values=[0.0, 20.0])
    alone = [
        zc.forecast(one.model_copy(update={"conditions": one.conditions.model_copy(update={"air_c": c})}))
        for c in (0.0, 20.0)
    ]
    assert swept.landing_s.tolist() == [r.flight.landing_s for r in alone]
    assert swept.low_s.tolist() == [r.range.low_s for r in alone]
    assert swept.timer_s.tolist() == [r.callouts.timers.timer_s for r in alone]
    assert swept.landing_s[0] < swept.landing_s[1]


def test_a_value_that_cannot_be_flown_has_its_reason():
    swept = zc.sweep(sheet(), field="landing.charge_kept", values=[0.2, 7.0, 1.0])
    assert np.isnan(swept.landing_s).tolist() == [False, True, True]
    assert [bool(reason) for reason in swept.reasons] == [False, True, True]
    assert "less than or equal" in swept.reasons[1]


@pytest.mark.parametrize("field", ["conditions.wind", "craft", "flying.activities.99.share", "", "name.x"])
def test_an_input_that_is_not_there_is_named(field):
    if field == "craft":
        swept = zc.sweep(sheet(), field=field, values=[3.0])
        assert swept.reasons[0]
        return
    with pytest.raises(zc.ZestyCellError, match="has no"):
        zc.sweep(sheet(), field=field, values=[1.0])


def test_too_many_values_are_refused():
    with pytest.raises(zc.OutOfRangeError, match="200 at a time"):
        zc.sweep(sheet(), field="conditions.air_c", values=[1.0] * 201)
