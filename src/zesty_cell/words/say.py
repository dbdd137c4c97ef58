"""Facts of the core as sentences, in the units and the voltage form of who reads them.

A template names the figures it needs.  A figure is written by the unit in its name (``{mass_kg}`` in grams or
ounces, ``{landing_s}`` as m:ss), unless the template asks for another form: ``{share:percent}``, ``{times:.2f}``.
"""

from __future__ import annotations

from collections.abc import Callable
from string import Formatter

from zesty_cell.core.errors import say_with
from zesty_cell.core.fact import Fact
from zesty_cell.words.english import ENGLISH
from zesty_cell.words.face import Face, Reader

#: How figures are written where nothing says how to read them: in files, on a command line.
PLAIN = Reader()

_Form = Callable[[Face, float], str]
#: Forms that a template may ask for by name.
FORMS: dict[str, _Form] = {
    "percent": lambda face, share: f"{100.0 * share:.0f} %",
    "about": lambda face, kg: face.mass_about(kg),
    "parts": lambda face, share: f"{f'{100.0 * share:.{1 if share < 0.0995 else 0}f}'.removesuffix('.0')}\u00a0%",
    "signed": lambda face, share: f"{100.0 * share:+.1f} %".replace("-", "−"),
    "chance": lambda face, share: (
        "over 99 %" if share > 0.99 else "under 1 %" if share < 0.01 else f"{100.0 * share:.0f} %"
    ),
    "hours": lambda face, hours: f"{hours:.{0 if hours >= 9.95 else 1}f}",
    "millivolts": lambda face, v: f"{1000.0 * v:.0f} mV",
    "hundredths": lambda face, share: f"{100.0 * share:.0f}",
    "milliohms": lambda face, ohm: f"{1000.0 * ohm:.3g} mΩ",
    "milliohms_bare": lambda face, ohm: f"{1000.0 * ohm:.3g}",
    "grouped": lambda face, count: face.number(count),
    "volts": lambda face, volts: f"{volts:.{1 if abs(round(volts, 1) - volts) < 1e-6 else 2}f} V",
    "rate": lambda face, ah: f"{1000.0 * ah:.0f}" if ah >= 0.02 else f"{1000.0 * ah:.1f}",
    "typed": lambda face, ah: f"{1000.0 * ah:.0f}",
    "watts": lambda face, w: f"{w:.1f} W",
    "whole": lambda face, value: f"{value:.0f}",
    "difference": lambda face, kelvins: face.temperature_difference(kelvins),
    "far": lambda face, metres: face.far(metres),
    "height": lambda face, metres: face.altitude(metres),
    "size": lambda face, metres: face.size(metres),
}
#: The form of a figure by the unit its name ends with.
BY_UNIT: dict[str, _Form] = {
    "_m_s": lambda face, metres_a_second: face.speed(metres_a_second),
    "_kg": lambda face, kg: face.mass(kg),
    "_c": lambda face, celsius: face.temperature(celsius),
    "_s": lambda face, seconds: face.time(seconds),
    "_ah": lambda face, ah: face.mah(ah),
    "_v": lambda face, volts: f"{volts:.2f} V",
    "_share": lambda face, share: f"{100.0 * share:.0f} %",
}


def template_of(key: str) -> str:
    """The template of a fact; another language would be another table."""
    return ENGLISH[key]


def _form(name: str, spec: str) -> _Form | None:
    if spec:
        return FORMS.get(spec)
    return next((form for unit, form in BY_UNIT.items() if name.endswith(unit)), None)


def say(what: Fact | str, reader: Reader = PLAIN) -> str:
    """A fact as a sentence; a text is itself.

    Raises
    ------
    KeyError
        For a fact that has no template, or a template whose figure is missing.
    """
    if isinstance(what, str):
        return what
    face, parts = Face(reader), []
    for text, name, spec, _ in Formatter().parse(template_of(what.key)):
        parts.append(text)
        if name is None:
            continue
        value, form = what.figures[name], _form(name, spec or "")
        if isinstance(value, Fact):
            inner = say(value, reader)
            # The same fact within a sentence, or as one of its own.
            parts.append(inner[:1].upper() + inner[1:] if spec == "sentence" else inner)
        elif form is not None and isinstance(value, int | float):
            parts.append(form(face, value))
        else:
            parts.append(format(value, spec or ""))
    return "".join(parts)


# What the core refuses is said plainly wherever nobody says it to a reader of its own.
say_with(say)
