"""Rows of a batch that mean one product: found by its code, and one of them speaks for it.

The row that speaks has no ``lead``; the others have its line there, and what they say of the product was carried to it.
So whatever compares and writes products looks at rows without a lead alone. core.grouped_rows has the rule of what a
product's rows make of its variants and facts (facts.py asks it).
"""

import json
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from graupel.core.declarations.products import INHERITED
from graupel.core.file_columns import COLUMNS, REFS
from graupel.core.imports import FileRow, plan_row
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.features.products.batch.refusing import refuse_found
from graupel.features.products.columns import VARIES

#: A row speaks of the product alone.
IS_PARENT = "(b.sku IS NULL AND b.shown_sku = '' AND b.code IS NOT NULL)"
#: The product of a row is there, and starts to vary.
STARTS = """(b.product_id IS NOT NULL AND EXISTS (SELECT 1 FROM batch_axis a
            WHERE a.batch_id = b.batch_id AND a.line = COALESCE(b.lead, b.line)))"""
#: A row makes a variant of a product that is there.
ADDS_VARIANT = "(b.action = 'new' AND b.product_id IS NOT NULL AND b.sku IS NOT NULL)"
_OPEN = "b.batch_id = %(batch)s AND b.action = 'new'"


class Firsts:
    """Says of rows that are read which line with the same code came before, as far as is remembered. Mostly rows of a
    product stand together and the first speaks for it: what was guessed so is not written into the batch once more,
    which was a seventh of the dry run. What was guessed wrongly is put right when all are there."""

    REMEMBERED = 20_000

    def __init__(self) -> None:
        self._lines: dict[str, int] = {}

    def of(self, codes: Sequence[str | None], lines: Sequence[int]) -> list[int | None]:
        """For each row the line of the first, None for that itself and for one without a code."""
        if len(self._lines) > self.REMEMBERED:
            self._lines.clear()
        first = self._lines.setdefault
        found = (first(code.lower(), line) if code else None for code, line in zip(codes, lines, strict=True))
        return [None if lead == line else lead for lead, line in zip(found, lines, strict=True)]


def gather(tx: Tx, params: Mapping[str, Any], shared: Sequence[str]) -> None:
    """Find the products that codes mean, refuse rows that mean two, and let one row of each speak for it.

    ``shared``: the columns in which the rows say something of products, as in planning.Spoken.
    """
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_group (
             code VARCHAR(64) CHARACTER SET ascii COLLATE ascii_general_ci NOT NULL PRIMARY KEY,
             product_id INT UNSIGNED NULL, by_code BOOL NOT NULL DEFAULT FALSE, products INT UNSIGNED NOT NULL,
             number INT UNSIGNED NOT NULL, lead INT UNSIGNED NOT NULL DEFAULT 0)"""
    )
    tx.run(
        f"""INSERT INTO batch_group (code, product_id, products, number)
            SELECT b.code, MIN(b.product_id), COUNT(DISTINCT b.product_id), COUNT(*) FROM batch_row b
            WHERE {_OPEN} AND b.code IS NOT NULL GROUP BY b.code""",
        params,
    )
    tx.run("UPDATE batch_group g JOIN product p ON p.code = g.code SET g.product_id = p.id, g.by_code = TRUE")
    if tx.value("SELECT 1 FROM batch_group WHERE product_id IS NOT NULL LIMIT 1"):
        _refuse_two_products(tx, params)
        tx.run(
            f"""UPDATE batch_row b JOIN batch_group g ON g.code = b.code STRAIGHT_JOIN product p ON p.id = g.product_id
                SET b.product_id = p.id, b.product_version = p.version WHERE {_OPEN} AND b.product_id IS NULL""",
            params,
        )
    said = [name for name in shared if name != "code"]
    led = "SELECT 1 FROM batch_row b WHERE b.batch_id = %(batch)s AND b.lead IS NOT NULL LIMIT 1"
    if tx.value("SELECT 1 FROM batch_group WHERE number > 1 LIMIT 1") or tx.value(led, params):
        _let_one_speak(tx, params)
        if said:
            if _lacks_any(tx, params, said):
                _carry(tx, params, said)
            _refuse_apart(tx, params, said)
    tx.run("DROP TEMPORARY TABLE batch_group")


def _let_one_speak(tx: Tx, params: Mapping[str, Any]) -> None:
    """Of the rows of a product the first without a SKU does, else one whose variant is there, else the first."""
    tx.run(
        f"""UPDATE batch_group g JOIN (
              SELECT b.code, MIN(IF({IS_PARENT}, 0, IF(b.variant_id IS NULL, 2, 1)) * 4294967296 + b.line) AS first
              FROM batch_row b WHERE {_OPEN} AND b.code IS NOT NULL GROUP BY b.code) x ON x.code = g.code
            SET g.lead = x.first & 4294967295""",
        params,
    )
    tx.run(
        f"""UPDATE batch_row b JOIN batch_group g ON g.code = b.code SET b.lead = NULLIF(g.lead, b.line)
            WHERE {_OPEN} AND NOT (b.lead <=> NULLIF(g.lead, b.line))""",
        params,
    )
    refused = "batch_id = %(batch)s AND action <> 'new' AND lead IS NOT NULL"
    tx.run(f"UPDATE batch_row SET lead = NULL WHERE {refused}", params)


def _refuse_two_products(tx: Tx, params: Mapping[str, Any]) -> None:
    """Rows whose SKU and code mean different products: a file moves no variant to another product."""
    refuse_found(
        tx,
        params,
        f"""SELECT b.line, b.shown_sku, b.code, g.products, g.by_code, p.code AS theirs FROM batch_row b
            JOIN batch_group g ON g.code = b.code LEFT JOIN product p ON p.id = b.product_id
            WHERE {_OPEN} AND ((g.by_code AND b.product_id <> g.product_id)
              OR (NOT g.by_code AND g.products > 1)
              OR (NOT g.by_code
                  AND EXISTS (SELECT 1 FROM product o WHERE o.id = g.product_id AND o.code <> g.code)))""",
        _two_products,
    )


def _two_products(row: Mapping[str, Any]) -> Problem:
    if row["products"] > 1 and not row["by_code"]:
        said = f"SKUs of {row['products']} products have the code {row['code']} here. A file joins no products."
    else:
        theirs = f"the product {row['theirs']}" if row["theirs"] else "another product"
        said = (
            f"“{row['shown_sku'] or row['code']}” belongs to {theirs}, and this row says {row['code']}. "
            "A file moves no variant to another product; change the code at the product."
        )
    return Problem("product.other", said, "code")


def _said_in(name: str) -> str:
    """The column that tells whether a row says it: of what names a record the name, whether or not it is there."""
    return name.removesuffix("_id") if name.removesuffix("_id") in REFS else name


def _lacks_any(tx: Tx, params: Mapping[str, Any], names: Sequence[str]) -> bool:
    """Whether a row that speaks for a product lacks something that another row might say."""
    lacks = " OR ".join(f"b.{_said_in(name)} IS NULL" for name in names)
    grouped = f"{_OPEN} AND b.code IS NOT NULL AND b.lead IS NULL"
    return bool(tx.value(f"SELECT 1 FROM batch_row b WHERE {grouped} AND ({lacks}) LIMIT 1", params))


def _carry(tx: Tx, params: Mapping[str, Any], names: Sequence[str]) -> None:
    """Carry what the other rows of a product say of it to the one that speaks for it, where that says nothing."""
    # An id before its name, by which is told whether it is carried.
    columns = list(dict.fromkeys(column for name in names for column in (name, _said_in(name))))
    tx.run(
        f"""UPDATE batch_row l JOIN (
              SELECT b.lead, {", ".join(f"MAX(b.{name}) AS {name}" for name in columns)} FROM batch_row b
              WHERE {_OPEN} AND b.lead IS NOT NULL GROUP BY b.lead) x ON x.lead = l.line
            SET {", ".join(f"l.{name} = IF(l.{_said_in(name)} IS NULL, x.{name}, l.{name})" for name in columns)}
            WHERE l.batch_id = %(batch)s AND l.action = 'new'""",
        params,
    )


def _is_apart(name: str) -> str:
    """SQL: a row says something else of its product than the one that speaks for it."""
    kind = name.removesuffix("_id")
    if kind in REFS:
        return (
            f"(b.{kind} IS NOT NULL AND NOT (b.{name} <=> l.{name} AND (b.{name} IS NOT NULL OR b.{kind} = l.{kind})))"
        )
    return f"(b.{name} IS NOT NULL AND NOT (BINARY b.{name} <=> BINARY l.{name}))"


def _refuse_apart(tx: Tx, params: Mapping[str, Any], names: Sequence[str]) -> None:
    apart = {name: _is_apart(name) for name in names}

    def problem(row: Mapping[str, Any]) -> Problem:
        name = next(one for one in names if row[one]).removesuffix("_id")
        label = COLUMNS[name].label
        said = f"The rows of {row['code']} say different things of its {label}. Say the same in all, or in one alone."
        return Problem("product.apart", said, name)

    refuse_found(
        tx,
        params,
        f"""SELECT b.line, b.code, {", ".join(f"{sql} AS {name}" for name, sql in apart.items())}
            FROM batch_row b STRAIGHT_JOIN batch_row l ON l.batch_id = b.batch_id AND l.line = b.lead
            WHERE {_OPEN} AND ({" OR ".join(apart.values())})""",
        problem,
    )


def inherited(names: Iterable[str]) -> list[str]:
    """Those of a variant's fields that a row without a SKU says of the product, for its variants to inherit."""
    return [name for name in names if name in INHERITED]


def fold(tx: Tx, params: Mapping[str, Any], names: Sequence[str]) -> None:
    """Where a product does not vary, what its row without a SKU says for variants is said of its only variant."""
    if not names:
        return
    will_vary = "EXISTS (SELECT 1 FROM batch_axis a WHERE a.batch_id = {row}.batch_id AND a.line = {row}.line)"
    varies = f"({will_vary.format(row='p')} OR {VARIES.format(product='p.product_id')})"
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN batch_row p ON p.batch_id = b.batch_id AND p.line = b.lead
            SET {", ".join(f"b.{name} = COALESCE(b.{name}, p.{name})" for name in names)}
            WHERE {_OPEN} AND b.sku IS NOT NULL AND p.sku IS NULL AND NOT {varies}""",
        params,
    )
    alone = f"{IS_PARENT} AND led.lead IS NULL AND NOT {VARIES.format(product='b.product_id')}"
    led = "SELECT DISTINCT o.lead FROM batch_row o WHERE o.batch_id = %(batch)s AND o.lead IS NOT NULL"
    tx.run(
        f"""UPDATE batch_row b LEFT JOIN ({led}) led ON led.lead = b.line
            JOIN variant v ON v.product_id = b.product_id
            SET b.variant_id = v.id, b.variant_version = v.version WHERE {_OPEN} AND {alone}""",
        params,
    )
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN product q ON q.id = b.product_id
            SET {", ".join(f"b.{name} = NULL" for name in names)}
            WHERE {_OPEN} AND {IS_PARENT} AND b.variant_id IS NULL AND NOT {VARIES.format(product="q.id")}
              AND NOT {will_vary.format(row="b")}""",
        params,
    )


def parent_differs(names: Iterable[str]) -> str:
    """SQL: what a row without a SKU says for variants to inherit is not what its product holds."""
    differs = [f"(b.{name} IS NOT NULL AND NOT (b.{name} <=> p.{name}))" for name in inherited(names)]
    return f"({' OR '.join(differs) or 'FALSE'})"


def compare(
    tx: Tx, params: Mapping[str, Any], product_differs: str, variant_differs: str, names: Sequence[str]
) -> None:
    """Say of rows that name a product that is there, and no SKU that is, what they would do.

    ``product_differs``, ``variant_differs``: SQL as planning.Spoken has it, of variants with the fields ``names``.
    """
    joined = """batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
                STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s"""
    alone = f"{_OPEN} AND {IS_PARENT}"
    tx.run(
        f"""UPDATE {joined} LEFT JOIN variant v ON v.id = b.variant_id
            SET b.only_stock = FALSE, b.action = IF({product_differs}
              OR IF(b.variant_id IS NULL, {parent_differs(names)}, {variant_differs}),
              'changed', 'unchanged')
            WHERE {alone}""",
        params,
    )

    def problem(row: Mapping[str, Any]) -> Problem:
        said = (
            f"{row['code']} is there, and this row, which adds a variant, says something else of it. "
            "Leave these cells empty, or say it in a row without a SKU."
        )
        return Problem("product.adds", said, "code")

    adding = f"SELECT b.line, b.code FROM {joined} WHERE {_OPEN} AND {ADDS_VARIANT} AND {product_differs}"
    refuse_found(tx, params, adding, problem)


def refuse_lacking(tx: Tx, params: Mapping[str, Any], *, live: bool, read: Callable[[dict[str, Any]], FileRow]) -> None:
    """Refuse rows of new products that lack something; ``read``: a row of the batch as it was read."""
    begins = "live" if live else "draft"
    lacks = f"""(b.lead IS NULL AND b.name IS NULL) OR (COALESCE(l.status, b.status, '{begins}') = 'live'
                 AND ((b.lead IS NULL AND b.category IS NULL)
                     OR (b.sku IS NOT NULL AND b.price IS NULL AND (l.price IS NULL OR l.sku IS NOT NULL))))"""

    def lacking(row: dict[str, Any]) -> Sequence[Problem]:
        lead = {name: row[f"lead_{name}"] for name in ("name", "price", "category", "status") if row[name] is None}
        said = read(row | lead | ({} if row["shown_sku"] else {"shown_sku": row["code"]}))
        problems = plan_row(said, None, live=live).problems
        return [one for one in problems if row["shown_sku"] or one.field != "price"]

    refuse_found(
        tx,
        params,
        f"""SELECT b.*, l.name AS lead_name, l.price AS lead_price, l.category AS lead_category,
                   l.status AS lead_status FROM batch_row b
            LEFT JOIN batch_row l ON l.batch_id = b.batch_id AND l.line = b.lead
            WHERE {_OPEN} AND b.product_id IS NULL AND ({lacks})""",
        lacking,
    )


def spread(tx: Tx, params: Mapping[str, Any], *, to: str = "refused") -> None:
    """A new product, and one that starts to vary, comes in whole: where one of its rows is refused, or "moved", all
    are."""
    said = "Another row of this product is refused; what is new, or starts to vary, comes in whole."
    because = [Problem("product.whole", said, "code")]
    tx.run(
        f"""UPDATE batch_row b JOIN (
              SELECT o.code FROM batch_row o WHERE o.batch_id = %(batch)s AND o.action = %(to)s AND o.code IS NOT NULL
              GROUP BY o.code) x ON x.code = b.code
            SET b.action = %(to)s, b.problems = IF(%(to)s = 'refused', %(because)s, b.problems)
            WHERE b.batch_id = %(batch)s AND ((b.action = 'new' AND b.product_id IS NULL)
              OR (b.action IN ('new', 'changed', 'unchanged') AND {STARTS}))""",
        {**params, "to": to, "because": json.dumps([one.as_dict() for one in because])},
    )


def leave_out_moved(tx: Tx, params: Mapping[str, Any]) -> None:
    """Rows of products that are there but mean no variant that is: they are left out where their product changed, and
    those of a new one where its code was given meanwhile. Locks the products."""
    there = "batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id"
    meant = "b.batch_id = %(batch)s AND b.action IN ('new', 'changed') AND b.product_id IS NOT NULL"
    tx.all(f"SELECT p.id FROM {there} WHERE {meant} AND b.variant_id IS NULL ORDER BY p.id FOR UPDATE", params)
    tx.run(
        f"""UPDATE batch_row b LEFT JOIN product p ON p.id = b.product_id SET b.action = 'moved'
            WHERE {meant} AND b.variant_id IS NULL AND NOT (p.version <=> b.product_version)""",
        params,
    )
    tx.run(
        f"""UPDATE batch_row b JOIN product p ON p.code = b.code SET b.action = 'moved'
            WHERE {_OPEN} AND b.product_id IS NULL""",
        params,
    )
    spread(tx, params, to="moved")
