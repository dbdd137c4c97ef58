"""The stylesheet: what is said of a class for every page stands together, so that no page restyles another's."""

from __future__ import annotations

import re
from collections import defaultdict
from pathlib import Path

STYLES = Path(__file__).parents[1] / "frontend" / "app.css"
#: A class is told of within so many lines; what another page wants of it names that page, or the element.
TOGETHER = 25
_COMMENT = re.compile(r"/\*.*?\*/", re.DOTALL)


def rules(text: str) -> list[tuple[int, str]]:
    """Line and selector of each rule that holds at every width."""
    text = _COMMENT.sub(lambda found: "\n" * found[0].count("\n"), text)
    found, depth, begin = [], 0, 0
    for place, sign in enumerate(text):
        if sign == "{":
            if depth == 0:
                selector = text[begin:place].strip()
                if not selector.startswith("@"):
                    line = text.count("\n", 0, place) + 1
                    found += [(line, one.strip()) for one in selector.split(",")]
            depth += 1
        elif sign == "}":
            depth -= 1
            begin = place + 1
        elif sign == ";" and depth == 0:
            begin = place + 1
    return found


def apart(text: str) -> list[str]:
    """Classes that are told of by themselves in places far apart."""
    lines = defaultdict(list)
    for line, selector in rules(text):
        if re.fullmatch(r"\.[\w-]+", selector):
            lines[selector].append(line)
    return [f"{name}: lines {at}" for name, at in lines.items() if max(at) - min(at) > TOGETHER]


def test_no_page_restyles_what_another_one_calls_by_the_same_name():
    assert apart(STYLES.read_text()) == []


def test_what_lies_apart_is_found():
    far = "\n" * (TOGETHER + 1)
    assert apart(f".pill {{ color: red }}{far}.pill {{ border: 0 }}") == [f".pill: lines [1, {TOGETHER + 2}]"]
    assert apart(f".pill, .x {{ color: red }} /* {far} */ .start .x {{ border: 0 }}") == []
    assert apart(f"@media (max-width: 9px) {{ .pill {{ color: red }} }}{far}.pill {{ border: 0 }}") == []
    assert apart(f'@import "x";\n.pill {{ color: red }}{far}.x, .pill {{ border: 0 }}') != []
