"""The rows of categories in memory are those of the table, whatever happened to it."""

import random

import pytest

from graupel.core.errors import Refused
from graupel.core.roles import SYSTEM
from graupel.features.categories import deleting, service, store
from graupel.features.categories import tree as reading
from graupel.features.categories.keeping import RowKeeper
from tests.making import roll_back_newest


def same(ctx) -> bool:
    """What is kept against what is read anew."""

    def work(tx):
        kept, anew = reading.current(ctx, tx), reading.load(tx)
        plain = [[getattr(one, name) for name in one.__slots__] for one in kept]
        return plain == [[getattr(one, name) for name in one.__slots__] for one in anew]

    return ctx.db.run(work)


def test_rows_in_memory_follow_every_change_and_every_roll_back(ctx):
    dice = random.Random(3)
    service.add(ctx, SYSTEM, "Yarn\n  Aran\n    Tweed\n  Lace\nNeedles\nKits", -1)
    assert same(ctx)
    for number in range(25):
        ids = [one.id for one in service.read_tree(ctx)]
        act = dice.choice(["add", "move", "rename", "switch", "delete", "back"])
        try:
            if act == "add":
                service.add(ctx, SYSTEM, f"New {number}\n  Below {number}", dice.choice([-1, -2, *ids]))
            elif act == "move":
                service.move(ctx, SYSTEM, [dice.choice(ids)], dice.choice([-1, -2, *ids]))
            elif act == "rename":
                service.rename(ctx, SYSTEM, dice.choice(ids), f"Name {number}")
            elif act == "switch":
                service.switch(ctx, SYSTEM, dice.choice(ids), hidden=dice.random() < 0.5)
            elif act == "delete" and len(ids) > 3:
                deleting.delete(ctx, SYSTEM, dice.choice(ids), with_branch=dice.random() < 0.5)
            else:
                roll_back_newest(ctx)
        except Refused:
            continue  # a branch into itself, a name that is there
        assert same(ctx), (number, act)


def test_what_a_transaction_saw_that_was_rolled_back_does_not_stay(ctx):
    service.add(ctx, SYSTEM, "Yarn", -1)
    service.read_tree(ctx)

    def work(tx):
        store.insert(tx, {"parent_id": None, "tree_id": 1, "position": 9, "name": "Phantom"})
        assert "Phantom" in [one.name for one in reading.current(ctx, tx)]
        raise Refused.because("no", "no")

    with pytest.raises(Refused):
        ctx.db.run(work)
    service.add(ctx, SYSTEM, "Needles", -1)
    assert [one.name for one in service.read_tree(ctx)] == ["Yarn", "Needles"]


def test_after_a_change_only_what_it_touched_is_read(ctx, monkeypatch):
    service.add(ctx, SYSTEM, "Yarn\nNeedles", -1)
    yarn = next(iter(service.read_tree(ctx))).id
    service.rename(ctx, SYSTEM, yarn, "Garn")
    monkeypatch.setattr(store, "all_rows", None)
    ctx.db.run(lambda tx: ctx.keepers.get(RowKeeper).rows(tx, store.state(tx)))
    assert [one.name for one in service.read_tree(ctx)] == ["Garn", "Needles"]
