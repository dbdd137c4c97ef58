"""The hangar's shelves."""

from __future__ import annotations

from tests.sheets import heron, pomelo, satsuma
from zesty_cell.core.parts.ownership import Ownership
from zesty_cell.store.hangar import CELLS, CRAFTS, PACKS


def test_things_are_listed_by_name_without_what_was_deleted(database):
    with database.session() as session:
        first = PACKS.add(session, satsuma(name="satsuma"))
        PACKS.add(session, pomelo(name="Pomelo"), ownership=Ownership(standing="wanted"))
        gone = PACKS.add(session, pomelo(name="Gone"))
        PACKS.delete(session, gone.id)
        CRAFTS.add(session, heron())
        assert [tuple(one)[1:] for one in PACKS.named(session)] == [("Pomelo", "wanted"), ("satsuma", "own")]
        assert PACKS.named(session)[1].id == first.id
        assert [one.name for one in CRAFTS.named(session)] == [heron().name]
        assert CELLS.named(session) == ()


def test_what_is_listed_follows_each_change(database):
    with database.session() as session:
        number = CRAFTS.add(session, heron()).id
    for name in ("Heron", "Egret"):
        with database.session() as session:
            if name != "Heron":
                row = CRAFTS.fetch(session, number)
                CRAFTS.change(session, number, row.version, heron(name=name))
                assert [one.name for one in CRAFTS.named(session)] == [name]
        with database.session() as session:
            assert [one.name for one in CRAFTS.named(session)] == [name]
            assert [one.name for one in CRAFTS.named(session)] == [name]
    with database.session() as session:
        CRAFTS.delete(session, number)
        assert CRAFTS.named(session) == ()
