"""Zesty Cell: pack choice, flight time and transmitter callouts for hobby pilots.

As a library::

    import zesty_cell as zc

    sheet = zc.read_sheet(Path("heron.json").read_bytes())
    print(zc.forecast(sheet))

See docs/library.md.  Names are imported when they are first asked for; the web application never is.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

__version__ = "0.1.0"

if TYPE_CHECKING:
    from zesty_cell.core.answer.forecast import Forecast as Forecast
    from zesty_cell.core.answer.forecast import forecast as forecast
    from zesty_cell.core.asked.flying import PATTERNS as PATTERNS
    from zesty_cell.core.asked.flying import Activity as Activity
    from zesty_cell.core.asked.flying import FlyingPattern as FlyingPattern
    from zesty_cell.core.asked.landing import LandingRule as LandingRule
    from zesty_cell.core.asked.sheet import Conditions as Conditions
    from zesty_cell.core.asked.sheet import Sheet as Sheet
    from zesty_cell.core.callouts.rules import CalloutPlan as CalloutPlan
    from zesty_cell.core.callouts.schools import write_plan as write_plan
    from zesty_cell.core.choose.candidates import SearchSpace as SearchSpace
    from zesty_cell.core.choose.search import SearchLimits as SearchLimits
    from zesty_cell.core.choose.sweep import Sweep as Sweep
    from zesty_cell.core.choose.sweep import sweep as sweep
    from zesty_cell.core.errors import OutOfRangeError as OutOfRangeError
    from zesty_cell.core.errors import ZestyCellError as ZestyCellError
    from zesty_cell.core.learn.log_fit import fit_log as fit_log
    from zesty_cell.core.learn.log_told import LogFit as LogFit
    from zesty_cell.core.parts.cell import CellModel as Cell
    from zesty_cell.core.parts.chemistries import CHEMISTRIES as CHEMISTRIES
    from zesty_cell.core.parts.craft import Craft as Craft
    from zesty_cell.core.parts.craft import MeasuredFullThrottle as MeasuredFullThrottle
    from zesty_cell.core.parts.craft import MeasuredPoint as MeasuredPoint
    from zesty_cell.core.parts.craft import RotorGeometry as RotorGeometry
    from zesty_cell.core.parts.craft import WingGeometry as WingGeometry
    from zesty_cell.core.parts.pack import Pack as Pack
    from zesty_cell.core.parts.pack_figures import pack_figures as pack_figures
    from zesty_cell.formats.errors import FileFormatError as FileFormatError
    from zesty_cell.formats.sheet_json import read_sheet as read_sheet
    from zesty_cell.formats.sheet_json import write_sheet as write_sheet
    from zesty_cell.library import compare as compare
    from zesty_cell.library import read_log as read_log
    from zesty_cell.library import search as search

_WHERE = {
    "core.answer.forecast": ("Forecast", "forecast"),
    "core.asked.flying": ("PATTERNS", "Activity", "FlyingPattern"),
    "core.asked.landing": ("LandingRule",),
    "core.asked.sheet": ("Conditions", "Sheet"),
    "core.callouts.rules": ("CalloutPlan",),
    "core.callouts.schools": ("write_plan",),
    "core.choose.candidates": ("SearchSpace",),
    "core.choose.search": ("SearchLimits",),
    "core.choose.sweep": ("Sweep", "sweep"),
    "core.errors": ("OutOfRangeError", "ZestyCellError"),
    "core.learn.log_fit": ("fit_log",),
    "core.learn.log_told": ("LogFit",),
    "core.parts.cell": ("CellModel:Cell",),
    "core.parts.chemistries": ("CHEMISTRIES",),
    "core.parts.craft": ("Craft", "MeasuredFullThrottle", "MeasuredPoint", "RotorGeometry", "WingGeometry"),
    "core.parts.pack": ("Pack",),
    "core.parts.pack_figures": ("pack_figures",),
    "formats.errors": ("FileFormatError",),
    "formats.sheet_json": ("read_sheet", "write_sheet"),
    "library": ("compare", "read_log", "search"),
}
_NAMES = {
    (name.partition(":")[2] or name): (module, name.partition(":")[0])
    for module, names in _WHERE.items()
    for name in names
}

__all__ = [
    "CHEMISTRIES", "PATTERNS", "Activity", "CalloutPlan", "Cell", "Conditions", "Craft", "FileFormatError",
    "FlyingPattern", "Forecast", "LandingRule", "LogFit", "MeasuredFullThrottle", "MeasuredPoint",
    "OutOfRangeError", "Pack", "RotorGeometry", "SearchLimits", "SearchSpace", "Sheet", "Sweep", "WingGeometry",
    "ZestyCellError", "__version__", "compare", "fit_log", "forecast", "pack_figures", "read_log", "read_sheet",
    "search", "sweep", "write_plan", "write_sheet",
]  # fmt: skip


def __getattr__(name: str) -> Any:
    """A name of the library, imported when it is first asked for."""
    if name not in _NAMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    import_module(f"{__name__}.words.say")  # errors are sentences, whatever is asked for first
    module, own = _NAMES[name]
    found = globals()[name] = getattr(import_module(f"{__name__}.{module}"), own)
    return found


def __dir__() -> list[str]:
    """What there is to guess from."""
    return sorted(__all__)
