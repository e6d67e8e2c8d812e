"""What the rows of a batch say of attributes: planned product by product with core's rule, written by sets.

Some thousand rows at a time are read with what is there of their products.
"""

import json
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from itertools import groupby
from typing import Any

from graupel.core.attributes import EMPTY, Attribute, Fact
from graupel.core.declarations.products import CHOICES
from graupel.core.file_columns import Known
from graupel.core.file_facts import NewChoices
from graupel.core.grouped_rows import GroupedRow, GroupPlan, Standing, plan_group
from graupel.core.imports import NOTHING
from graupel.core.problems import Problem
from graupel.core.variants import Combination
from graupel.db import Tx
from graupel.db.loading import as_line, load_lines, load_rows
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch import ordered
from graupel.features.products.batch.lists import Beside, Listed
from graupel.features.products.batch.refusing import refuse, refuse_all
from graupel.features.vocabulary.facts import facts_of, rows_of

#: SQL of the rows that belong to others or say something of attributes, and of what is looked at of them.
_SAYING = "b.action = 'new' AND (b.code IS NOT NULL OR b.facts IS NOT NULL)"
_COLUMNS = "b.shown_sku, b.code, b.variant_id, b.facts"
#: What is planned beside the rows themselves.
TABLES = ("batch_fact", "batch_variant", "batch_axis", "batch_choice")
#: So many texts of what rows say are kept read: in most files they repeat.
_KEPT_TEXTS = 10_000
_FACT = ("batch_id", "line", "attribute_id", "place", "choice_id", "number", "unit", "text")


@dataclass
class _Planned:
    """Rows of TABLES as they are planned, those of facts as lines that are loaded, and rows that are refused."""

    facts: list[str] = field(default_factory=list)
    variants: list[Sequence[Any]] = field(default_factory=list)
    axes: list[Sequence[Any]] = field(default_factory=list)
    problems: list[tuple[int, Problem]] = field(default_factory=list)
    used: set[int] = field(default_factory=set)


def kept(values: Mapping[str, Any], known: Known) -> str | None:
    """What a row says of attributes, as it is kept with it."""
    said = {
        str(attribute.id): None if values[name] is None else _plain(values[name], in_order=name in known.lists)
        for name, attribute in known.facts.items()
        if name in values
    }
    return json.dumps(said, ensure_ascii=False) if said else None


def kept_by_columns(said: Mapping[str, Sequence[Any]], known: Known, number: int) -> list[str | None]:
    """What each of ``number`` rows says of attributes; ``said``: by column, NOTHING where that is nothing.

    ``kept`` says the same of one row; a value that repeats is written once.
    """
    parts: list[list[str]] = [[] for _ in range(number)]
    for name, attribute in known.facts.items():
        written: dict[int, str] = {}
        for place, value in enumerate(said.get(name, ())):
            if value is NOTHING:
                continue
            part = written.get(id(value))
            if part is None:
                plain = None if value is None else _plain(value, in_order=name in known.lists)
                part = written[id(value)] = f'"{attribute.id}": {json.dumps(plain, ensure_ascii=False)}'
            parts[place].append(part)
    return [f"{{{', '.join(some)}}}" if some else None for some in parts]


def _plain(fact: Fact, *, in_order: bool) -> list[Any]:
    """As plain data; what a list names stays in its order."""
    return [list(fact.choices), None, ""] if in_order else fact.plain()


def plan(tx: Tx, params: Mapping[str, Any], known: Known, new: NewChoices, fields: Collection[str]) -> None:
    """Plan what the rows say of attributes and lists, and what the variants of their products differ by; ``fields``:
    the names of the columns of which they speak."""
    batch_id = params["batch"]
    shared = {one.id: one for one in known.facts.values()}
    listed = batch_lists.load(tx, [one.id for name, one in known.facts.items() if name in fields])
    beside = Beside(listed, batch_lists.named(tx, params, listed, new))
    for table in TABLES:
        tx.run(f"DELETE FROM {table} WHERE batch_id = %s", [batch_id])
    read = lru_cache(_KEPT_TEXTS)(lambda text: _facts(text, shared))
    used: set[int] = set()
    for rows in ordered.chunks(tx, params, _SAYING, _COLUMNS):
        planned = _Planned()
        standing = _standing(tx, sorted({row["product_id"] for row in rows if row["product_id"]}), shared, listed)
        for _, group in groupby(rows, key=ordered.group_of):
            _plan(planned, batch_id, list(group), standing, shared, read, beside)
        load_lines(tx, "batch_fact", _FACT, planned.facts)
        load_rows(tx, "batch_variant", ("batch_id", "line", *CHOICES), planned.variants)
        load_rows(tx, "batch_axis", ("batch_id", "line", "position", "attribute_id"), planned.axes)
        refuse_all(tx, batch_id, planned.problems)
        used |= planned.used
    refuse_all(tx, batch_id, beside.apart())
    choices = [(batch_id, -number, *new.labels[-number - 1]) for number in sorted(used, reverse=True)]
    load_rows(tx, "batch_choice", ("batch_id", "number", "attribute_id", "label"), choices)


def refuse_beside_refused(tx: Tx, params: Mapping[str, Any], known: Known, fields: Collection[str]) -> bool:
    """Refuse rows that name goods which only refused rows of this file would make; returns whether there were any."""
    ids = [one.id for name, one in known.facts.items() if name in fields]
    labels = {key: one.column.label for key, one in batch_lists.load(tx, ids).items() if one.column.by_code}
    naming = labels and tx.all(
        """SELECT b.line, c.attribute_id, c.label FROM batch_choice c
           STRAIGHT_JOIN batch_fact f ON f.batch_id = c.batch_id AND f.choice_id = -CAST(c.number AS SIGNED)
           STRAIGHT_JOIN batch_row b ON b.batch_id = f.batch_id AND b.line = f.line
           WHERE c.batch_id = %(batch)s AND c.attribute_id IN %(lists)s AND b.action <> 'refused'
           ORDER BY b.line""",
        {**params, "lists": list(labels)},
    )
    if not naming:
        return False
    refused = batch_lists.only_refused(tx, params)
    for row in naming:
        if (line := refused.get(row["label"])) is not None:
            said = f"{labels[row['attribute_id']]}: line {line:,}, in which {row['label']} stands, is refused."
            refuse(tx, params["batch"], row["line"], Problem("list.refused", said))
    return any(row["label"] in refused for row in naming)


def mark_changed(tx: Tx, params: Mapping[str, Any]) -> None:
    """Rows that differ by what they say of attributes change something, whatever else they say."""
    there = "SELECT 1 FROM batch_row WHERE batch_id = %(batch)s AND action IN ('unchanged', 'changed') LIMIT 1"
    for table in ("batch_fact", "batch_variant", "batch_axis") if tx.value(there, params) else ():
        tx.run(
            f"""UPDATE {table} s STRAIGHT_JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
                SET b.action = 'changed', b.only_stock = FALSE
                WHERE s.batch_id = %(batch)s AND b.action IN ('unchanged', 'changed')""",
            params,
        )


def _standing(
    tx: Tx, ids: Sequence[int], shared: Mapping[int, Attribute], listed: Mapping[int, Listed]
) -> dict[int, Standing]:
    """What is there of products, as far as attributes and lists go."""
    if not ids:
        return {}
    asked = {"ids": list(ids), "attributes": list(shared) or [0]}
    axes: dict[int, list[int]] = {}
    for row in tx.all(
        "SELECT product_id, attribute_id FROM product_axis WHERE product_id IN %(ids)s ORDER BY product_id, position",
        asked,
    ):
        axes.setdefault(row["product_id"], []).append(row["attribute_id"])
    combinations: dict[int, dict[int, Combination]] = {}
    for row in tx.all(f"SELECT id, product_id, {', '.join(CHOICES)} FROM variant WHERE product_id IN %(ids)s", asked):
        width = len(axes.get(row["product_id"], ()))
        found = tuple(row[name] or 0 for name in CHOICES[:width])
        combinations.setdefault(row["product_id"], {})[row["id"]] = found
    facts: dict[int, list[dict[str, Any]]] = {}
    for row in tx.all(
        """SELECT product_id, attribute_id, choice_id, number, unit, text FROM fact
           WHERE product_id IN %(ids)s AND attribute_id IN %(attributes)s ORDER BY product_id, id""",
        asked,
    ):
        facts.setdefault(row["product_id"], []).append(row)
    for row in batch_lists.standing(tx, listed.values(), ids):
        facts.setdefault(row["product_id"], []).append(row)
    return {
        one: Standing(tuple(axes.get(one, ())), combinations.get(one, {}), facts_of(facts.get(one, ()))) for one in ids
    }


def _plan(
    planned: _Planned,
    batch_id: int,
    rows: Sequence[Mapping[str, Any]],
    standing: Mapping[int, Standing],
    shared: Mapping[int, Attribute],
    read: Callable[[str | None], Mapping[int, Fact | None]],
    beside: Beside,
) -> None:
    there = standing.get(rows[0]["product_id"] or 0)
    lead = rows[0]["lead"] or rows[0]["line"]
    said = [
        GroupedRow(row["line"], row["shown_sku"], row["variant_id"], read(row["facts"]), row["code"] is not None)
        for row in rows
    ]
    of = rows[0]["product_id"] or -lead
    said = [replace(row, facts=beside.meant(of, row.line, row.facts)) for row in said] if beside.codes else said
    found = plan_group(said, there, shared, rows[0]["code"] or rows[0]["shown_sku"])
    planned.problems += [*found.problems.items(), *beside.taken()]
    if not (there is None and found.problems):
        _keep(planned, batch_id, found, lead)


def _facts(text: str | None, shared: Mapping[int, Attribute]) -> Mapping[int, Fact | None]:
    """What a row says, as it was kept."""
    said = {int(key): plain for key, plain in json.loads(text or "{}").items()}
    return {key: None if plain is None else Fact.of_plain(plain) for key, plain in said.items() if key in shared}


@lru_cache(_KEPT_TEXTS)
def _written(attribute_id: int, fact: Fact | None) -> Sequence[str]:
    """The rows of batch_fact that a value makes, as they are loaded, without batch and line."""
    rows = rows_of({}, {attribute_id: fact or EMPTY}).values()
    columns = ("choice_id", "number", "unit", "text")
    return [as_line((attribute_id, place, *map(row.get, columns))) for place, row in enumerate(rows)]


def _keep(planned: _Planned, batch_id: int, found: GroupPlan, lead: int) -> None:
    for position, attribute_id in enumerate(found.axes, start=1):
        planned.axes.append((batch_id, lead, position, attribute_id))
    for line, combination in found.combinations.items():
        padded = (*combination, *[None] * len(CHOICES))[: len(CHOICES)]
        planned.variants.append((batch_id, line, *padded))
        planned.used |= {choice for choice in combination if choice < 0}
    for line, facts in found.facts.items():
        for attribute_id, fact in facts.items():
            planned.facts += [f"{batch_id}\t{line}\t{written}" for written in _written(attribute_id, fact)]
            if fact and fact.choices:
                planned.used |= {choice for choice in fact.choices if choice < 0}
