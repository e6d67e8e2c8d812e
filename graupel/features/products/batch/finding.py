"""By what the rows of a batch mean variants where that is no SKU: each is given the SKU of the variant it means."""

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.core.declarations.products import CHOICES
from graupel.core.file_columns import FACT
from graupel.core.handling import Handling, Key, Way
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.db.loading import load_rows
from graupel.features.products.batch import part_numbers
from graupel.features.products.batch.groups import IS_PARENT
from graupel.features.products.batch.refusing import refuse_all, refuse_found

_OPEN = "b.batch_id = %(batch)s AND b.action = 'new'"
_AT_ONCE = 10_000
#: SQL: how texts are compared, in any case of letters.
_COMPARED = "COLLATE utf8mb4_unicode_ci"


@dataclass(frozen=True)
class _Means:
    """``said``: SQL of what a row says by which it is found; ``there``: SQL of the variants ``v``, each with its
    ``sku``, that are joined where ``on``; ``word``: what it is called, ``field``: its column."""

    said: str
    there: str
    on: str
    word: str
    field: str


def find(tx: Tx, params: Mapping[str, Any], handling: Handling, names: Mapping[int, str]) -> None:
    """Give each row the SKU of the variant that its key means; core.handling.Key says which there are. ``names``: of
    attributes by id."""
    if handling.key_by == Key.CHOICES:
        _by_choices(tx, params)
    elif handling.key_by != Key.SKU:
        _by_value(tx, params, _means(handling.key_by, names), handling.way)


def _means(key: str, names: Mapping[int, str]) -> _Means:
    if key == Key.GTIN:
        return _Means("b.gtin", "variant v", "v.gtin = x.said AND NOT v.archived", "GTIN", "gtin")
    if key == Key.MPN:
        held = f"""(SELECT {part_numbers.HELD} {_COMPARED} AS said, v.sku FROM variant v
                    STRAIGHT_JOIN product p ON p.id = v.product_id WHERE NOT v.archived) v"""
        return _Means(f"(NULLIF(b.mpn, '') {_COMPARED})", held, "v.said = x.said", "part number", "mpn")
    if key == Key.ELSEWHERE:
        on = "v.elsewhere = x.said AND NOT v.archived"
        return _Means("b.elsewhere", "variant v", on, "id elsewhere", "elsewhere")
    attribute_id = int(key.removeprefix(FACT))
    texts = f"""(SELECT f.text {_COMPARED} AS said, v.sku FROM fact f
                 STRAIGHT_JOIN variant v ON v.product_id = f.product_id
                 WHERE f.attribute_id = {attribute_id} AND NOT v.archived) v"""
    said = f"""(NULLIF(JSON_VALUE(b.facts, '$."{attribute_id}"[2]'), '') {_COMPARED})"""
    return _Means(said, texts, "v.said = x.said", names.get(attribute_id, "a value"), key)


def _by_value(tx: Tx, params: Mapping[str, Any], means: _Means, way: Way) -> None:
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_key (
             said VARCHAR(255) CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci NOT NULL PRIMARY KEY,
             line INT UNSIGNED NOT NULL, number INT UNSIGNED NOT NULL, sku VARCHAR(64) CHARACTER SET ascii NULL)"""
    )
    tx.run(
        f"""INSERT INTO batch_key (said, line, number, sku)
            SELECT x.said, MIN(x.line), COUNT(DISTINCT v.sku), MIN(v.sku) FROM (
              SELECT {means.said} AS said, MIN(b.line) AS line FROM batch_row b
              WHERE {_OPEN} AND {means.said} IS NOT NULL GROUP BY {means.said}) x
            LEFT JOIN {means.there} ON {means.on} GROUP BY x.said""",
        params,
    )
    if way is Way.CHANGE:
        not_there = f"UPDATE batch_row b JOIN batch_key k ON k.said = {means.said} SET b.action = 'skipped'"
        tx.run(f"{not_there} WHERE {_OPEN} AND k.number = 0", params)
    refuse_found(
        tx,
        params,
        f"""SELECT b.line, {means.said} AS said, b.shown_sku, k.line AS first, k.number, k.sku AS theirs
            FROM batch_row b LEFT JOIN batch_key k ON k.said = {means.said} LEFT JOIN variant v ON v.sku = b.sku
            WHERE {_OPEN} AND NOT ({means.said} IS NULL AND {IS_PARENT}) AND ({means.said} IS NULL OR k.line <> b.line
              OR k.number > 1 OR (k.number = 1 AND b.sku IS NOT NULL AND b.sku <> k.sku)
              OR (k.number = 0 AND (b.sku IS NULL OR v.id IS NOT NULL)))""",
        lambda row: _no_key(row, means),
    )
    found = f"batch_row b JOIN batch_key k ON k.said = {means.said} AND k.number = 1"
    _give(tx, params, found)
    tx.run("DROP TEMPORARY TABLE batch_key")


def _give(tx: Tx, params: Mapping[str, Any], found: str) -> None:
    """Give the rows ``b`` the SKUs of ``k``, and what these mean."""
    tx.run(
        f"""UPDATE {found} STRAIGHT_JOIN variant v ON v.sku = k.sku STRAIGHT_JOIN product p ON p.id = v.product_id
            SET b.sku = k.sku, b.shown_sku = k.sku, b.variant_id = v.id, b.variant_version = v.version,
                b.product_id = p.id, b.product_version = p.version WHERE {_OPEN}""",
        params,
    )


def _no_key(row: Mapping[str, Any], means: _Means) -> Problem:
    value, sku, word = row["said"], row["shown_sku"], means.word
    if value is None:
        said = f"This row says no {word}, by which goods are found."
    elif row["first"] != row["line"]:
        said = f"The {word} {value} stands in line {row['first']:,} already. Keep one of the two."
    elif row["number"] > 1:
        said = f"{row['number']} variants have the {word} {value}. Find goods by their SKU, or mend these first."
    elif row["number"] == 1:
        said = f"The {word} {value} is that of {row['theirs']}, and this row says {sku}. A file gives no other SKU."
    elif sku:
        said = f"No variant has the {word} {value}, and {sku} is there. To give it this one, find goods by their SKU."
    else:
        said = f"No variant has the {word} {value}. A new one needs a SKU."
    return Problem("key.none", said, means.field)


# --- by product code and what variants differ by -------------------------------------------------------------


def _by_choices(tx: Tx, params: Mapping[str, Any]) -> None:
    """Rows without a SKU that say a product code, and a choice of all that its variants differ by."""
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_key (line INT UNSIGNED NOT NULL PRIMARY KEY,
             sku VARCHAR(64) CHARACTER SET ascii NOT NULL)"""
    )
    taken: dict[str, int] = {}
    for rows in _coded(tx, params):
        there = _variants(tx, sorted({row["product_id"] for row in rows}))
        found, refused = [], []
        for row in rows:
            sku, problem = _meant(row, there[row["product_id"]])
            if sku and (first := taken.setdefault(sku, row["line"])) != row["line"]:
                sku, problem = "", f"Line {first:,} means the same variant, {sku}. Keep one of the two."
            if problem:
                refused.append((row["line"], Problem("key.none", problem, "code")))
            elif sku:
                found.append((row["line"], sku))
        refuse_all(tx, params["batch"], refused)
        load_rows(tx, "batch_key", ("line", "sku"), found)
    _give(tx, params, "batch_row b JOIN batch_key k ON b.batch_id = %(batch)s AND k.line = b.line")
    tx.run("DROP TEMPORARY TABLE batch_key")


def _coded(tx: Tx, params: Mapping[str, Any]) -> Iterator[Sequence[Mapping[str, Any]]]:
    """Rows of products that are there and of which a SKU is not said, some thousand at a time."""
    last = 0
    while True:
        rows = tx.all(
            f"""SELECT b.line, b.code, b.facts, p.id AS product_id FROM batch_row b
                STRAIGHT_JOIN product p ON p.code = b.code
                WHERE {_OPEN} AND {IS_PARENT} AND b.facts IS NOT NULL AND b.line > %(last)s
                ORDER BY b.line LIMIT {_AT_ONCE}""",
            {**params, "last": last},
        )
        if rows:
            yield rows
        if len(rows) < _AT_ONCE:
            return
        last = rows[-1]["line"]


@dataclass
class _Variants:
    """What the variants of a product differ by, and their SKUs by what they chose of it."""

    axes: list[int]
    skus: dict[tuple[int, ...], str]


def _variants(tx: Tx, ids: Sequence[int]) -> dict[int, _Variants]:
    found = {one: _Variants([], {}) for one in ids}
    axes = "SELECT product_id, attribute_id FROM product_axis WHERE product_id IN %s ORDER BY product_id, position"
    for row in tx.all(axes, [list(ids)]):
        found[row["product_id"]].axes.append(row["attribute_id"])
    columns = ", ".join(CHOICES)
    for row in tx.all(f"SELECT product_id, sku, {columns} FROM variant WHERE product_id IN %s", [list(ids)]):
        of = found[row["product_id"]]
        of.skus[tuple(row[name] or 0 for name in CHOICES[: len(of.axes)])] = row["sku"]
    return found


def _meant(row: Mapping[str, Any], there: _Variants) -> tuple[str, str]:
    """The SKU of the variant that a row means, or why there is none; neither where it speaks of the product alone."""
    facts = json.loads(row["facts"])
    said = [facts.get(str(axis)) for axis in there.axes]
    chosen = [one[0][0] if one and one[0] else None for one in said]
    if not any(chosen):
        return "", ""
    if not all(chosen):
        return "", f"Not all is said that the variants of {row['code']} differ by, so it is not clear which is meant."
    sku = there.skus.get(tuple(one or 0 for one in chosen))
    return sku or "", "" if sku else f"No variant of {row['code']} has these choices. A new one needs a SKU."
