"""What the rows of a dry run would make of attributes, in words, before and after."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from graupel.core.attributes import Attribute, Choice, Fact, show_fact
from graupel.core.bars import BAR
from graupel.core.declarations.products import CHOICES
from graupel.core.file_columns import OWN, STOCK_AT, Known, fact_column
from graupel.core.file_pictures import PICTURES
from graupel.core.stock import show
from graupel.db import Tx
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch.lists import Listed
from graupel.features.vocabulary.facts import facts_of


@dataclass
class Told:
    """By the names of columns what attributes say before and after; None where nothing."""

    before: dict[str, str | None] = field(default_factory=dict)
    after: dict[str, str | None] = field(default_factory=dict)


NOTHING = Told()


def new_choices(tx: Tx, batch_id: int) -> list[dict[str, Any]]:
    """The choices that written rows need and that are not there."""
    return tx.all(
        "SELECT number, attribute_id, label FROM batch_choice WHERE batch_id = %s ORDER BY attribute_id, label",
        [batch_id],
    )


def read(tx: Tx, batch_id: int, rows: Sequence[Mapping[str, Any]], known: Known) -> dict[int, Told]:
    """By line what these rows of a dry run would make of attributes."""
    lines = [
        row["line"] for row in rows if row["facts"] or row["code"] or row["own"] or row["counted"] or row["pictures"]
    ]
    if not lines:
        return {}
    asked = {"batch": batch_id, "lines": lines}
    new: dict[int, list[Choice]] = {}
    for row in new_choices(tx, batch_id):
        new.setdefault(row["attribute_id"], []).append(Choice(-row["number"], row["label"], ""))
    shared = {one.id: _with(one, new.get(one.id, ())) for one in known.facts.values()}
    products = {row["line"]: row["product_id"] for row in rows}
    found: dict[int, Told] = {}
    _tell_facts(tx, asked, found, shared, products)
    _tell_choices(tx, asked, found, shared, {row["line"]: row for row in rows})
    _tell_own(tx, asked, found)
    _tell_counts(tx, asked, found)
    _tell_pictures(tx, asked, found, products)
    return found


def _tell_pictures(
    tx: Tx, asked: Mapping[str, Any], found: dict[int, Told], products: Mapping[int, int | None]
) -> None:
    planned = tx.all(
        """SELECT s.line, s.state, COALESCE(m.file_name, s.address) AS name FROM batch_picture s
           LEFT JOIN media m ON m.id = s.media_id
           WHERE s.batch_id = %(batch)s AND s.line IN %(lines)s ORDER BY s.line, s.place""",
        asked,
    )
    ids = {product for row in planned if (product := products.get(row["line"]))}
    held: dict[int, list[str]] = {}
    for row in tx.all(
        """SELECT c.product_id, m.file_name FROM picture c JOIN media m ON m.id = c.media_id
           WHERE c.product_id IN %s ORDER BY c.product_id, c.position, c.id""",
        [sorted(ids) or [0]],
    ):
        held.setdefault(row["product_id"], []).append(row["file_name"])
    named: dict[int, list[str]] = {}
    for row in planned:
        named.setdefault(row["line"], []).extend([row["name"]] if row["name"] else [])
    for line, names in named.items():
        told = found.setdefault(line, Told())
        told.before[PICTURES] = BAR.join(held.get(products.get(line) or 0, ())) or None
        told.after[PICTURES] = BAR.join(names) or None


def _tell_counts(tx: Tx, asked: Mapping[str, Any], found: dict[int, Told]) -> None:
    rows = tx.all(
        """SELECT line, location_id, amount, held FROM batch_count
           WHERE batch_id = %(batch)s AND line IN %(lines)s AND NOT (amount <=> held) ORDER BY line, location_id""",
        asked,
    )
    for row in rows:
        told, name = found.setdefault(row["line"], Told()), f"{STOCK_AT}{row['location_id']}"
        told.before[name], told.after[name] = show(row["held"]) or None, show(row["amount"])


def _tell_own(tx: Tx, asked: Mapping[str, Any], found: dict[int, Told]) -> None:
    rows = tx.all(
        """SELECT s.line, CONCAT(s.destination, '.', s.lang, '.', s.field) AS own_key, s.value, o.value AS was
           FROM batch_own s JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
           LEFT JOIN own_value o ON o.kind = s.level AND o.destination = s.destination AND o.lang = s.lang
             AND o.field = s.field AND o.record_id = IF(s.level = 'variant', b.variant_id, b.product_id)
           WHERE s.batch_id = %(batch)s AND s.line IN %(lines)s ORDER BY s.line, s.destination, s.lang, s.field""",
        asked,
    )
    for row in rows:
        told, name = found.setdefault(row["line"], Told()), f"{OWN}{row['own_key']}"
        told.before[name], told.after[name] = row["was"], row["value"]


def _with(attribute: Attribute, new: Sequence[Choice]) -> Attribute:
    return replace(attribute, choices=(*attribute.choices, *new)) if new else attribute


def _tell_facts(
    tx: Tx,
    asked: Mapping[str, Any],
    found: dict[int, Told],
    shared: Mapping[int, Attribute],
    products: Mapping[int, int | None],
) -> None:
    planned: dict[int, list[dict[str, Any]]] = {}
    for row in tx.all(
        "SELECT * FROM batch_fact WHERE batch_id = %(batch)s AND line IN %(lines)s ORDER BY line, attribute_id, place",
        asked,
    ):
        planned.setdefault(row["line"], []).append(row)
    ids = sorted({product for line in planned if (product := products[line])})
    held: dict[int, list[dict[str, Any]]] = {}
    for row in tx.all("SELECT * FROM fact WHERE product_id IN %s ORDER BY id", [ids]) if ids else ():
        held.setdefault(row["product_id"], []).append(row)
    listed = batch_lists.load(tx, {row["attribute_id"] for said in planned.values() for row in said})
    for row in batch_lists.standing(tx, listed.values(), ids):
        held.setdefault(row["product_id"], []).append(row)
    show = _Shown(tx, shared, listed, [row for rows in (*planned.values(), *held.values()) for row in rows])
    for line, said in planned.items():
        was = facts_of(held.get(products[line] or 0, ()))
        for attribute_id, fact in facts_of(said).items():
            if attribute_id in shared:
                told, name = found.setdefault(line, Told()), fact_column(attribute_id)
                told.before[name] = show.fact(attribute_id, was.get(attribute_id, Fact())) or None
                told.after[name] = show.fact(attribute_id, fact) or None


class _Shown:
    """Values of attributes and lists in words."""

    def __init__(
        self,
        tx: Tx,
        shared: Mapping[int, Attribute],
        listed: Mapping[int, Listed],
        rows: Sequence[Mapping[str, Any]],
    ) -> None:
        self._shared = shared
        self._called: dict[int, dict[int, str]] = {}
        self._placed = {key: one.placed for key, one in listed.items()}
        for key, one in listed.items():
            ids = {row["choice_id"] for row in rows if row["attribute_id"] == key and (row["choice_id"] or 0) > 0}
            new = {choice.id: choice.label for choice in shared[key].choices if choice.id < 0} if key in shared else {}
            self._called[key] = {**one.called(tx, ids), **new}

    def fact(self, attribute_id: int, fact: Fact) -> str:
        """What a value says."""
        called = self._called.get(attribute_id)
        if called is None:
            return show_fact(self._shared[attribute_id], fact)
        words = [called[one] for one in fact.choices if one in called]
        return ", ".join(words if self._placed[attribute_id] else sorted(words))


def _tell_choices(
    tx: Tx,
    asked: Mapping[str, Any],
    found: dict[int, Told],
    shared: Mapping[int, Attribute],
    rows: Mapping[int, Mapping[str, Any]],
) -> None:
    for said in tx.all("SELECT * FROM batch_variant WHERE batch_id = %(batch)s AND line IN %(lines)s", asked):
        row = rows[said["line"]]
        told = found.setdefault(said["line"], Told())
        was = tx.one("SELECT * FROM variant WHERE id = %s", [row["variant_id"]]) if row["variant_id"] else None
        for column, attribute_id in zip(CHOICES, _axes(tx, asked["batch"], row), strict=False):
            attribute = shared.get(attribute_id)
            if attribute is None or (was and was[column] == said[column]):
                continue
            name = fact_column(attribute_id)
            told.before[name] = show_fact(attribute, Fact((was[column],))) if was and was[column] else None
            told.after[name] = show_fact(attribute, Fact((said[column],)))


def _axes(tx: Tx, batch_id: int, row: Mapping[str, Any]) -> list[int]:
    """What the product of a row differs by, or will."""
    there = "SELECT attribute_id FROM product_axis WHERE product_id = %s ORDER BY position"
    planned = "SELECT attribute_id FROM batch_axis WHERE batch_id = %s AND line = %s ORDER BY position"
    found = row["product_id"] and tx.all(there, [row["product_id"]])
    return [one["attribute_id"] for one in found or tx.all(planned, [batch_id, row["lead"] or row["line"]])]
