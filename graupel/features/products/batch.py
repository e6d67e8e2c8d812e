"""Sets of rows on their way into the catalogue: planned and applied by sets in SQL.

core.imports.plan_row says what one row would do; the SQL here does the same for all rows at once, and a
test holds the two against each other. The joins are STRAIGHT_JOINs: a table that was filled in the same
transaction looks empty to the optimizer, and the plans it would choose take minutes.
"""

import json
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache, partial
from typing import Any

from graupel.core.declarations.products import PRODUCT, VARIANT
from graupel.core.errors import Refused
from graupel.core.imports import (
    ROW_FIELDS,
    Action,
    FileRow,
    RowPlan,
    plan_row,
    shared_field_problem,
    used_sku_problem,
)
from graupel.core.problems import Problem
from graupel.core.products import Status
from graupel.db import Tx
from graupel.db.loading import load_rows
from graupel.features.categories import service as categories
from graupel.features.history import journal, packs, records
from graupel.features.history.service import Recorder
from graupel.features.products import summary
from graupel.features.products.columns import VARIES, inherited_sql

CHUNK = 10_000
LOADED = ("batch_id", "line", "sku", "shown_sku", *ROW_FIELDS, "category_id", "problems", "action")
#: What a row of a batch may say of a product, of that in its text, and of a variant.
_OF_PRODUCT = PRODUCT.in_files
_TEXTS = tuple(name for name in _OF_PRODUCT if PRODUCT.field(name).beside)
_OF_VARIANT = tuple(name for name in VARIANT.in_files if name != "sku")

Progress = Callable[[str, int, int], None]


def load(tx: Tx, batch_id: int, rows: Iterable[FileRow]) -> int:
    """Put read rows into the batch, instead of what was there. A SKU that stands twice is refused the second time."""
    tx.run("DELETE FROM batch_row WHERE batch_id = %s", [batch_id])
    find = lru_cache(None)(partial(_category, categories.load(tx)))  # a file says the same few paths many times
    return load_rows(tx, "batch_row", LOADED, (_cells(batch_id, row, find) for row in _once_each(rows)))


def _category(tree: categories.Tree, path: str) -> tuple[int | None, tuple[Problem, ...]]:
    """The category that a path means, None where it is to be made; or why that can't be told."""
    try:
        return tree.find(path), ()
    except Refused as refusal:
        return None, tuple(refusal.problems)


def _once_each(rows: Iterable[FileRow]) -> Iterator[FileRow]:
    seen: dict[str, int] = {}
    for row in rows:
        first = seen.setdefault(row.sku.lower(), row.line) if row.sku else row.line
        if first == row.line:
            yield row
        else:
            twice = Problem(
                "sku.twice", f"“{row.sku}” stands in line {first} already. Keep one of the two.", "sku", row.line
            )
            yield replace(row, problems=(*row.problems, twice))


_Find = Callable[[str], tuple[int | None, tuple[Problem, ...]]]


def _cells(batch_id: int, row: FileRow, find: _Find) -> tuple[Any, ...]:
    path = row.values.get("category")
    category_id, unclear = find(path) if path else (None, ())
    if unclear:
        row = replace(row, problems=(*row.problems, *(problem.at(row=row.line) for problem in unclear)))
    problems = json.dumps([p.as_dict() for p in row.problems], ensure_ascii=False) if row.problems else None
    readable = row.sku if row.sku.isascii() and not row.problems else None
    said = (row.values.get(name) for name in ROW_FIELDS)
    return (batch_id, row.line, readable, row.sku[:64], *said, category_id, problems, "refused" if problems else "new")


# --- planning ------------------------------------------------------------------------------------------------


def _product_differs(name: str) -> str:
    """SQL: the batch says something of the product, and it is not what the catalogue holds, to the letter."""
    if name == "category_id":
        return "(b.category IS NOT NULL AND NOT (b.category_id <=> p.category_id AND b.category_id IS NOT NULL))"
    return f"(b.{name} IS NOT NULL AND BINARY b.{name} <> BINARY {PRODUCT.column(name)})"


def _variant_differs(name: str) -> str:
    """The same of a variant; what one of a product that varies shows is its own value or its product's."""
    return f"(b.{name} IS NOT NULL AND NOT (b.{name} <=> {inherited_sql(name)}))"


_DIFFERS = {name: _product_differs(name) for name in _OF_PRODUCT} | {
    name: _variant_differs(name) for name in _OF_VARIANT
}
_PRODUCT_DIFFERS = f"({' OR '.join(_DIFFERS[name] for name in _OF_PRODUCT)})"
_VARIANT_DIFFERS = f"({' OR '.join(_DIFFERS[name] for name in _OF_VARIANT)})"
_JOINED = """batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
             STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
             STRAIGHT_JOIN variant v ON v.id = b.variant_id"""


def plan(tx: Tx, batch_id: int, lang: str, *, live: bool) -> None:
    """Find the products that the rows mean, and say of each row what it would do."""
    params = {"batch": batch_id, "lang": lang}
    # Every row is loaded as new, so that only those that mean a product that is there are touched again.
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN variant v ON v.sku = b.sku STRAIGHT_JOIN product p ON p.id = v.product_id
            STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
            SET b.product_id = p.id, b.product_version = p.version, b.variant_id = v.id, b.variant_version = v.version,
                b.action = IF({_PRODUCT_DIFFERS} OR {_VARIANT_DIFFERS}, 'changed', 'unchanged')
            WHERE b.batch_id = %(batch)s AND b.action = 'new'""",
        params,
    )
    _refuse_shared_fields(tx, params)
    # The few that lack something are judged by the rule itself, so that its words stand in one place.
    lacking = "b.name IS NULL" + (" OR b.price IS NULL OR b.category IS NULL" if live else "")
    for row in tx.all(
        f"SELECT * FROM batch_row b WHERE b.batch_id = %(batch)s AND b.action = 'new' AND ({lacking})", params
    ):
        problems = [p.as_dict() for p in plan_row(_file_row(row, row["category"]), None, live=live).problems]
        tx.run(
            "UPDATE batch_row SET action = 'refused', problems = %s WHERE batch_id = %s AND line = %s",
            [json.dumps(problems, ensure_ascii=False), batch_id, row["line"]],
        )


def _refuse_shared_fields(tx: Tx, params: dict[str, Any]) -> None:
    """Rows that mean one variant of several can't say what all of them share, and used SKUs are not given again."""
    shared = tx.all(
        f"""SELECT b.line FROM {_JOINED} WHERE b.batch_id = %(batch)s AND b.action = 'changed'
            AND {_PRODUCT_DIFFERS} AND {VARIES.format(product="p.id")}""",
        params,
    )
    used = tx.all(
        """SELECT b.line, b.shown_sku FROM batch_row b JOIN given_sku g ON g.sku = b.sku
           WHERE b.batch_id = %(batch)s AND b.action = 'new'""",
        params,
    )
    refused = [(row["line"], shared_field_problem(row["line"])) for row in shared]
    refused += [(row["line"], used_sku_problem(row["shown_sku"], row["line"])) for row in used]
    for line, problem in refused:
        tx.run(
            "UPDATE batch_row SET action = 'refused', problems = %s WHERE batch_id = %s AND line = %s",
            [json.dumps([problem.as_dict()], ensure_ascii=False), params["batch"], line],
        )


def _file_row(row: dict[str, Any], category: str | None) -> FileRow:
    said = {name: row[name] for name in ROW_FIELDS} | {"category": category}
    problems = tuple(Problem(**p) for p in json.loads(row["problems"] or "[]"))
    return FileRow(row["line"], row["shown_sku"], said, problems)


def counts(tx: Tx, batch_id: int) -> dict[str, int]:
    """Rows by action, and under "categories" the number of categories that would be made."""
    rows = tx.all("SELECT action, COUNT(*) AS count FROM batch_row WHERE batch_id = %s GROUP BY action", [batch_id])
    return (
        {str(action): 0 for action in Action}
        | {row["action"]: row["count"] for row in rows}
        | {"categories": len(_new_paths(tx, batch_id))}
    )


def _new_paths(tx: Tx, batch_id: int) -> list[str]:
    return [
        row["category"]
        for row in tx.all(
            """SELECT DISTINCT category FROM batch_row
               WHERE batch_id = %s AND category IS NOT NULL AND category_id IS NULL
           AND action IN ('new', 'changed') ORDER BY category""",
            [batch_id],
        )
    ]


@dataclass(frozen=True)
class Sample:
    """One row with what it would do. ``name``: what the product is called, now or then."""

    line: int
    sku: str
    name: str
    product_id: int | None
    plan: RowPlan


def samples(tx: Tx, batch_id: int, action: Action, lang: str, limit: int, offset: int = 0) -> list[Sample]:
    """Rows of one action in the order of the file."""
    tree = categories.load(tx)
    now = [f"{PRODUCT.column(name)} AS {name}_now" for name in _OF_PRODUCT]
    now += [f"{inherited_sql(name)} AS {name}_now" for name in _OF_VARIANT]
    rows = tx.all(
        f"""SELECT b.*, {", ".join(now)}
           FROM batch_row b LEFT JOIN product p ON p.id = b.product_id
           LEFT JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
           LEFT JOIN variant v ON v.id = b.variant_id
           WHERE b.batch_id = %(batch)s AND b.action = %(action)s ORDER BY b.line LIMIT %(limit)s OFFSET %(offset)s""",
        {"batch": batch_id, "action": str(action), "lang": lang, "limit": limit, "offset": offset},
    )
    return [_sample(row, tree) for row in rows]


def _sample(row: dict[str, Any], tree: categories.Tree) -> Sample:
    current = None
    if row["name_now"] is not None:
        current = {name: row[f"{name}_now"] for name in ROW_FIELDS if name != "category"}
        current["category"] = tree.path(row["category_id_now"]) or None
    said = _file_row(row, tree.path(row["category_id"]) or row["category"])
    refused = RowPlan(Action.REFUSED, {}, {}, said.problems)  # judged already; the reasons stand in the row
    planned = refused if row["action"] == "refused" else plan_row(said, current, live=False)
    name = row["name_now"] or row["name"] or ""
    return Sample(row["line"], row["shown_sku"], name, row["product_id"], planned)


# --- applying ------------------------------------------------------------------------------------------------


def apply(tx: Tx, recorder: Recorder, batch_id: int, lang: str, *, status: Status, progress: Progress) -> None:
    """Write every new and changed row, in the caller's transaction. Raises Refused where the plan is out of date."""
    params = {"batch": batch_id, "lang": lang, "set": recorder.change_set_id, "status": str(status)}
    _refuse_outdated(tx, params)
    _make_categories(tx, recorder, batch_id)
    recorder.hand_on(
        summary.ProductsAtHand(
            made="SELECT p.id FROM product p WHERE p.batch_id = %(batch)s",
            changed="""SELECT DISTINCT b.product_id AS id FROM batch_row b
                       WHERE b.batch_id = %(batch)s AND b.action = 'changed'""",
            given="""SELECT v.sku, v.id AS variant_id FROM product p STRAIGHT_JOIN variant v ON v.product_id = p.id
                     WHERE p.batch_id = %(batch)s""",
            params=params,
        )
    )
    last = int(tx.value("SELECT COALESCE(MAX(line), 0) FROM batch_row WHERE batch_id = %(batch)s", params))
    for first in range(0, last + 1, CHUNK):
        progress("Writing", first, last)
        chunk = params | {"first": first, "beyond": first + CHUNK}
        _change(tx, chunk)
        _make(tx, chunk)
    tx.run("DROP TEMPORARY TABLE made_category")
    progress("Closing", last, last)


def outdated(number: int) -> Refused:
    """What is said where the catalogue moved on since the dry run."""
    what = "One product was" if number == 1 else f"{number:,} products were"
    return Refused.because(
        "plan.outdated",
        f"{what} changed since the dry run, so nothing was written. "
        "Make the dry run again and look at what it says now.",
    )


def _refuse_outdated(tx: Tx, params: dict[str, Any]) -> None:
    """Locks what will be changed, so that nobody can change it between this look and the writing."""
    moved = tx.value(
        """SELECT SUM(p.version <> b.product_version OR v.version <> b.variant_version OR v.sku <> b.sku)
           FROM batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
           STRAIGHT_JOIN variant v ON v.id = b.variant_id
           WHERE b.batch_id = %(batch)s AND b.action = 'changed' FOR UPDATE""",
        params,
    )
    there = tx.value(
        """SELECT COUNT(*) FROM batch_row b STRAIGHT_JOIN variant v ON v.sku = b.sku
           WHERE b.batch_id = %(batch)s AND b.action = 'new'""",
        params,
    )
    gone = tx.value(
        """SELECT COUNT(*) FROM batch_row b LEFT JOIN product p ON p.id = b.product_id
           WHERE b.batch_id = %(batch)s AND b.action = 'changed' AND p.id IS NULL""",
        params,
    )
    if moved or there or gone:
        raise outdated(int(moved or 0) + int(there) + int(gone))


def _make_categories(tx: Tx, recorder: Recorder, batch_id: int) -> None:
    """Make the categories that are not there; made_category has them by path for the writing that follows.

    The rows of the batch are not told: joining some hundred paths costs less than writing every row again.
    """
    paths = _new_paths(tx, batch_id)
    made = categories.make_paths(tx, recorder, paths) if paths else {}
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE made_category (path VARCHAR(1000), category_id INT UNSIGNED,
             KEY (path(150))) CHARSET utf8mb4"""
    )
    tx.many("INSERT INTO made_category VALUES (%s, %s)", list(made.items()))


_CATEGORY_ID = "COALESCE(b.category_id, (SELECT m.category_id FROM made_category m WHERE m.path = b.category LIMIT 1))"
_MADE = "batch_row b STRAIGHT_JOIN product p ON p.batch_id = b.batch_id AND p.batch_line = b.line"


def _said(name: str) -> str:
    """SQL: what the batch says of a field, NULL where it says nothing."""
    return _CATEGORY_ID if name == "category_id" else f"b.{name}"


_RANGE = "b.batch_id = %(batch)s AND b.line >= %(first)s AND b.line < %(beyond)s"


def _change(tx: Tx, params: dict[str, Any]) -> None:
    where = f"{_RANGE} AND b.action = 'changed'"
    for record, names, differs in (
        (PRODUCT, _OF_PRODUCT, _PRODUCT_DIFFERS),
        (VARIANT, _OF_VARIANT, _VARIANT_DIFFERS),
    ):
        journal.write(
            tx,
            params["set"],
            records.kind_of(record.name),
            _JOINED,
            f"{where} AND {differs}",
            params,
            was={name: record.column(name) for name in names},
            became={name: _said(name) for name in names},
            only={name: _DIFFERS[name] for name in names},
        )
    # The variant goes first: its comparison must still see what it held.
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
               STRAIGHT_JOIN variant v ON v.id = b.variant_id
               SET {", ".join(f"v.{name} = IF({_DIFFERS[name]}, b.{name}, v.{name})" for name in _OF_VARIANT)},
                   v.version = v.version + 1 WHERE {where} AND {_VARIANT_DIFFERS}""",
        params,
    )
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
               STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
               SET {", ".join(f"{PRODUCT.column(n)} = COALESCE({_said(n)}, {PRODUCT.column(n)})" for n in _OF_PRODUCT)},
                   p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)
               WHERE {where} AND {_PRODUCT_DIFFERS}""",
        params,
    )


def _make(tx: Tx, params: dict[str, Any]) -> None:
    where = f"{_RANGE} AND b.action = 'new'"
    tx.run(
        f"""INSERT INTO product (status, category_id, was_live, made_at, changed_at, batch_id, batch_line)
            SELECT %(status)s, {_CATEGORY_ID}, %(status)s = 'live', UTC_TIMESTAMP(3), UTC_TIMESTAMP(3),
                   b.batch_id, b.line
            FROM batch_row b WHERE {where}""",
        params,
    )
    texts, of_variant = ", ".join(_TEXTS), ", ".join(_OF_VARIANT)
    tx.run(
        f"""INSERT INTO product_text (product_id, lang, {texts})
            SELECT p.id, %(lang)s, {", ".join(map(_said_or_empty, _TEXTS))} FROM {_MADE} WHERE {where}""",
        params,
    )
    tx.run(
        f"""INSERT INTO variant (product_id, sku, {of_variant})
            SELECT p.id, b.sku, {", ".join(f"b.{name}" for name in _OF_VARIANT)} FROM {_MADE} WHERE {where}""",
        params,
    )
    summary.summarise_new(
        tx,
        f"""SELECT p.id AS product_id, b.sku, b.price, {_said_or_empty("description")} AS description
            FROM {_MADE} WHERE {where}""",
        params,
    )
    _journal_made(tx, params)


def _said_or_empty(name: str) -> str:
    """SQL: what the batch says of a field of a new product, or what that is where nothing is said."""
    return _said(name) if PRODUCT.field(name).empty is None else f"COALESCE({_said(name)}, '')"


def _journal_made(tx: Tx, params: dict[str, Any]) -> None:
    """Journal new goods in packs: what they became is what the batch says, which stays as it is once it is applied."""
    of_chunk = "p.batch_id = %(batch)s AND p.batch_line >= %(first)s AND p.batch_line < %(beyond)s"
    products = _between(tx, f"SELECT MIN(p.id) AS first, MAX(p.id) AS last FROM product p WHERE {of_chunk}", params)
    variants = _between(
        tx,
        "SELECT MIN(id) AS first, MAX(id) AS last FROM variant WHERE product_id >= %(from)s AND product_id < %(to)s",
        {"from": products.start, "to": products.stop},
    )
    for name, source, ids in (
        ("product", "product p FORCE INDEX (PRIMARY)", products),
        ("variant", "variant v FORCE INDEX (PRIMARY) STRAIGHT_JOIN product p ON p.id = v.product_id", variants),
    ):
        kind = records.kind_of(name)
        packs.write(tx, params["set"], kind, source, of_chunk, params, source_id=params["batch"], ids=ids)


def _between(tx: Tx, ends: str, params: dict[str, Any]) -> range:
    """From the first to the last id that a SELECT gives, empty where it gives none."""
    row = tx.one(ends, params)
    return range(0) if row is None or row["first"] is None else range(row["first"], row["last"] + 1)


def register() -> None:
    """Say what the goods became that were made from a batch and are packed in the journal."""
    line = ("INT UNSIGNED", "p.batch_line")
    row = "batch_row b ON b.batch_id = k.source_id AND b.line = m.line"
    product = {name: _said_or_empty(name) for name in _OF_PRODUCT}
    product |= {"category_id": "m.category_id", "status": "m.status", "mpn": "''"}
    category = ("INT UNSIGNED", "COALESCE(p.category_id, 'null')")
    status = ("VARCHAR(20)", "JSON_QUOTE(p.status)")
    packs.register("product", packs.Source({"line": line, "category_id": category, "status": status}, row, product))
    variant = {"product_id": "m.product_id", "sku": "b.sku"} | {name: f"b.{name}" for name in _OF_VARIANT}
    owner = ("INT UNSIGNED", "p.id")
    packs.register("variant", packs.Source({"line": line, "product_id": owner}, row, variant | {"gtin": "NULL"}))
