"""Records that rows of a batch name: categories by their paths, all others by their names."""

from collections.abc import Callable, Mapping
from functools import lru_cache, partial

from graupel.core import doubles
from graupel.core.errors import Refused
from graupel.core.file_columns import COLUMNS, MADE
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.terms import store as terms_store
from graupel.features.vocabulary import service as vocabulary

#: The id of the record that a name means, None where it is to be made; or why it means none.
Find = Callable[[str], tuple[int | None, tuple[Problem, ...]]]


def names(tx: Tx, kind: str) -> dict[int, str]:
    """All records of a kind by id."""
    if kind == "tax_class":
        return {row["id"]: row["name"] for row in terms_store.tax_classes(tx)}
    return vocabulary.names_of(tx, kind)


def finder(tx: Tx, kind: str) -> Find:
    """What finds the records of a kind, in any case of letters."""
    if kind == "category":
        return lru_cache(None)(partial(_category, categories.load(tx)))
    there = names(tx, kind)
    exact = {name: record_id for record_id, name in there.items()}  # two may differ by nothing but case
    folded = {name.casefold(): record_id for record_id, name in there.items()}
    if kind in MADE:
        return lambda name: (exact.get(name) or folded.get(name.casefold()), ())

    @lru_cache(None)
    def find(name: str) -> tuple[int | None, tuple[Problem, ...]]:
        found = exact.get(name) or folded.get(name.casefold())
        return found, () if found else (_unknown(kind, name, list(there.values())),)

    return find


def _unknown(kind: str, name: str, names: list[str]) -> Problem:
    label = COLUMNS[kind].label.lower()
    near = [double.other for double in doubles.near(name, names)][:3] or names[:5]
    known = f" There is {', '.join(near)}." if near else ""
    return Problem(
        f"{kind}.unknown", f"There is no {label} “{name[:60]}”.{known} Make it first, or mend the row.", kind
    )


def _category(tree: categories.Tree, path: str) -> tuple[int | None, tuple[Problem, ...]]:
    try:
        return tree.find(path), ()
    except Refused as refusal:
        return None, tuple(refusal.problems)


def called(tx: Tx) -> Mapping[str, Callable[[int], str | None]]:
    """By kind what a record is called in a row."""
    found: dict[str, Callable[[int], str | None]] = {"category": categories.load(tx).path}
    return found | {kind: names(tx, kind).get for kind in ("brand", "type", "tax_class")}
