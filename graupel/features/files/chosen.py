"""What was chosen of how a file is brought in, where two people choose at once."""

from collections.abc import Iterable

from graupel.core import changes
from graupel.core.columns import Rule
from graupel.core.errors import Refused
from graupel.core.file_columns import Known
from graupel.core.handling import FIELDS
from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.features.files import store
from graupel.features.files.rows import ImportFileRow

#: So many columns are named where two chose otherwise.
_NAMED = 3


def mark(row: ImportFileRow) -> str:
    """A short mark of what is chosen, by which a page knows later what it showed."""
    chosen = [row["rules"], [str(row[name]) for name in FIELDS]]  # type: ignore[literal-required]
    return changes.marks({"chosen": chosen})["chosen"]


def refuse_unseen(
    tx: Tx, actor: Actor, row: ImportFileRow, mine: Iterable[Rule], known: Known, seen: str | None
) -> None:
    """Refuse choices that were made beside what somebody else chose since. ``seen``: the mark of what was shown, None
    where nobody looked. What the same person chose is theirs to choose again: a look may overtake another."""
    if seen is None or seen == mark(row) or not row["job_id"]:
        return
    other = store.asked_by(tx, row["job_id"])
    if other is None or other["user_id"] == actor.user_id:
        return
    said = _otherwise(row, {rule.column: rule.field for rule in mine}, known)
    raise Refused.because(
        "file.chosen",
        f"{other['actor']} chose otherwise for this file since you looked at it{said}. What you chose still stands "
        "here; change something or choose it once more to put it in the place of theirs.",
    )


def _otherwise(row: ImportFileRow, mine: dict[int | None, str], known: Known) -> str:
    """Where columns go to by what stands there now, those that go elsewhere by ``mine``."""
    theirs = {rule["column"]: rule["field"] for rule in row["rules"]}
    named = []
    for index, header in enumerate(row["headers"]):
        there = theirs.get(index, "")
        if there != mine.get(index, ""):
            where = known.fields[there].label if there in known.fields else ""
            named.append(f"“{header}” goes to {where}" if where else f"“{header}” is left out")
    more = f", and {len(named) - _NAMED} more" if len(named) > _NAMED else ""
    return f": {', '.join(named[:_NAMED])}{more}" if named else ""
