"""Words of the field, said in plain ones where they stand."""

from __future__ import annotations

import re
from pathlib import Path

import zesty_cell
from zesty_cell.words.english.glossary import GLOSSARY

_TEMPLATES = Path(zesty_cell.__file__).parent / "web" / "templates"


def test_every_word_that_is_explained_is_in_the_glossary_and_short():
    used = {
        key for file in _TEMPLATES.glob("*.html") for key in re.findall(r'marks\.term\("(\w+)"', file.read_text())
    }
    assert used == set(GLOSSARY) >= {"held", "school", "honest_current", "knee"}
    assert all(30 < len(text) < 220 and text.endswith(".") for text in GLOSSARY.values())


def test_a_sheet_explains_once_what_held_means(client):
    html = client.get("/sheets/8").text
    assert html.count('popovertarget="term-held"') == 1
    assert GLOSSARY["held"] in html
