"""Two people on one page: what only one of them changed is taken, what both changed is said to the later one."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from graupel.core import changes
from graupel.core.errors import Outdated
from graupel.db import Tx
from graupel.features.history import store

#: What a page showed, as core.changes.marks gives it; None where nobody looked at a page.
Marks = Mapping[str, str] | None
_SHOWN = 60


def bring_together(
    tx: Tx,
    keys: Mapping[str, Sequence[int]],
    marks: Marks,
    mine: Mapping[str, Any],
    theirs: Mapping[str, Any],
    label: Callable[[str], str],
) -> dict[str, Any]:
    """``mine``, with what only others changed since the page with these ``marks`` was made.

    ``theirs``: the record as it is, locked. ``keys``: kind -> ids of the records that stand on the page.
    Raises Outdated where both changed a field.
    """
    if marks is None:
        return dict(mine)
    merge = changes.meet(marks, mine, theirs)
    if not merge.conflicts:
        return merge.values
    sets = store.record_history(tx, keys, 1)
    who = str(sets[0]["actor"]) if sets else "Someone"
    said = "; ".join(f"{label(one.field)} is now {_in_words(one.theirs)}" for one in merge.conflicts)
    fresh = changes.marks({one.field: one.theirs for one in merge.conflicts})
    raise Outdated(
        f"{who} changed this while you were working on it: {said}. What you typed is still here; "
        "save again to put it in the place of theirs.",
        {},
        {**marks, **fresh},
    )


def _in_words(value: Any) -> str:
    if value in (None, "", [], ()):
        return "empty"
    text = ", ".join(map(str, value)) if isinstance(value, (list, tuple)) else str(value)
    return f"“{text if len(text) <= _SHOWN else text[:_SHOWN] + '…'}”"
