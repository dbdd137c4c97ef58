"""What is remembered by identity is of these very things, and of no other that looks the same."""

from __future__ import annotations

from tests.sheets import heron, satsuma, sheet
from zesty_cell.core import remember
from zesty_cell.core.flight.setup import set_up
from zesty_cell.core.remember import by_identity


def test_an_answer_is_for_these_very_things(monkeypatch):
    monkeypatch.setattr(remember, "_MOST", 3)
    asked = []

    @by_identity
    def joined(*things: list[int]) -> int:
        asked.append(things)
        return sum(map(sum, things))

    one, same, other = [1, 2], [1, 2], [3]
    assert [joined(one), joined(one), joined(same), joined(one, other), joined(other, one)] == [3, 3, 3, 6, 6]
    assert len(asked) == 4  # the fourth began anew
    assert joined(one) == 3
    assert len(asked) == 5


def test_a_craft_that_is_changed_is_another_one():
    """Copies of a frozen entity share nothing that was remembered of the first."""
    craft = heron()
    before = set_up(sheet(craft=craft, pack=satsuma()))
    heavier = craft.model_copy(update={"avionics_w": craft.avionics_w + 20.0})
    after = set_up(sheet(craft=heavier, pack=satsuma()))
    again = set_up(sheet(craft=heron(avionics_w=heavier.avionics_w), pack=satsuma()))
    assert before.steady_w != after.steady_w == again.steady_w
