"""Facts as rows of a table: of products, and of categories."""

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

from graupel.core.attributes import Fact
from graupel.core.units import Quantity

#: What of a row may change; a fact with choices has a row for each.
FIELDS = ("number", "unit", "text")


def facts_of(rows: Sequence[Mapping[str, Any]]) -> dict[int, Fact]:
    """Facts by attribute id from the rows of one record."""
    found: dict[int, Fact] = {}
    for row in rows:
        if row["choice_id"] is not None:
            before = found.get(row["attribute_id"])
            found[row["attribute_id"]] = _chosen((*before.choices, row["choice_id"]) if before else (row["choice_id"],))
        elif row["number"] is not None:
            found[row["attribute_id"]] = Fact(quantity=Quantity(row["number"].normalize(), row["unit"] or ""))
        else:
            found[row["attribute_id"]] = Fact(text=row["text"] or "")
    return found


@lru_cache(20_000)
def _chosen(choices: tuple[int, ...]) -> Fact:
    """The same for the same: products by the thousand have it."""
    return Fact(choices=choices)


def rows_of(owner: Mapping[str, int], facts: Mapping[int, Fact]) -> dict[tuple[int, int | None], dict[str, Any]]:
    """The rows of facts by attribute and choice; ``owner``: the column and id of the record that they are of."""
    rows = {}
    for attribute_id, fact in facts.items():
        for choice_id in fact.choices or (None,):
            rows[attribute_id, choice_id] = {
                **owner,
                "attribute_id": attribute_id,
                "choice_id": choice_id,
                "number": f"{fact.quantity.number:.6f}" if fact.quantity else None,
                "unit": fact.quantity.unit if fact.quantity else None,
                "text": fact.text or None,
            }
    return rows


def as_kept(row: Mapping[str, Any]) -> dict[str, Any]:
    """A row with its number as text, to be compared with what is wanted."""
    return {**row, "number": None if row["number"] is None else f"{row['number']:.6f}"}
