"""What carries a tag, told by the areas whose records can."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from graupel.context import Context
from graupel.db import Tx
from graupel.features.history.records import Shown
from graupel.features.vocabulary import store

SHOWN = 200


@dataclass(frozen=True)
class Carriers:
    """Records of one kind that carry a tag, the first SHOWN of them."""

    label: str
    records: list[Shown]


Describe = Callable[[Tx, Sequence[int]], dict[int, Shown]]
_KINDS: dict[str, tuple[str, Describe]] = {}


def register(kind: str, label: str, describe: Describe) -> None:
    """Make known how records of a kind that can carry tags are named. ``label``: what they are called, plural."""
    _KINDS[kind] = (label, describe)


def of_tag(ctx: Context, tag_id: int) -> list[Carriers]:
    """All that carries a tag, by kind; kinds of which nothing does are left out."""

    def work(tx: Tx) -> list[Carriers]:
        found = []
        for kind, (label, describe) in _KINDS.items():
            ids = store.tagged(tx, tag_id, kind, SHOWN)
            if ids:
                found.append(Carriers(label, sorted(describe(tx, ids).values(), key=lambda shown: shown.title)))
        return found

    return ctx.db.run(work)
