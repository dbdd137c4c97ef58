"""Whatever any form, file, entry or call takes can be read back by every page: a short run of `make soak`."""

from __future__ import annotations

import pytest
from benchmarks.soak.hostile import run


@pytest.mark.fuzz
def test_hostile_requests_end_in_a_word_and_every_page_answers_afterwards():
    found = run(seed=17, many=500, read_every=250)
    assert found.broken == []
    assert found.unreadable == []
    assert found.unforeseen == 0
    assert found.statuses[303] > 30  # some of it was taken
    assert found.statuses[422] > 50
