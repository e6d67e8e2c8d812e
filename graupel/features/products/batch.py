"""Sets of rows on their way into the catalogue: loaded, and planned by sets in SQL (applying.py writes them).

core.imports.plan_row says what one row would do; the SQL here does the same for all rows at once, and a
test holds the two against each other. The joins are STRAIGHT_JOINs: a table that was filled in the same
transaction looks empty to the optimizer, and the plans it would choose take minutes.
"""

import json
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from functools import lru_cache, partial
from typing import Any

from graupel.core import kits
from graupel.core.declarations.products import INHERITED, PRODUCT, VARIANT
from graupel.core.errors import Refused
from graupel.core.imports import (
    JUMPS,
    REFS,
    ROW_FIELDS,
    FileRow,
    plan_row,
    shared_field_problem,
    used_sku_problem,
)
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.db.loading import load_rows
from graupel.features.categories import service as categories
from graupel.features.products.columns import VARIES, inherited_sql
from graupel.features.terms import booking
from graupel.features.vocabulary import service as vocabulary

#: What a row of a batch may say of a product, and of a variant.
OF_PRODUCT = PRODUCT.in_files
OF_VARIANT = tuple(name for name in VARIANT.in_files if name != "sku" and not VARIANT.field(name).booked)


_Find = Callable[[str], tuple[int | None, tuple[Problem, ...]]]


def load(tx: Tx, batch_id: int, rows: Iterable[FileRow], fields: Collection[str] = ROW_FIELDS) -> int:
    """Put read rows into the batch, instead of what was there. A SKU that stands twice is refused the second time.

    ``fields``: those that the file has columns for; the others cost nothing.
    """
    said = tuple(name for name in ROW_FIELDS if name in fields)
    tx.run("DELETE FROM batch_row WHERE batch_id = %s", [batch_id])
    find: dict[str, _Find] = {
        "category": lru_cache(None)(partial(_category, categories.load(tx))),
        "brand": _brands(tx),
    }
    named = {name: find[name] for name in REFS if name in said}
    ids = [f"{name}_id" for name in named]
    loaded = ("batch_id", "line", "sku", "shown_sku", *said, *ids, "problems", "action", "odd")
    return load_rows(tx, "batch_row", loaded, (_cells(batch_id, row, said, named) for row in _once_each(rows)))


def _brands(tx: Tx) -> _Find:
    """The brand that a name means, in any case of letters, None where it is to be made."""
    known = {name.casefold(): brand_id for brand_id, name in vocabulary.brand_names(tx).items()}
    return lambda name: (known.get(name.casefold()), ())


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


def _cells(batch_id: int, row: FileRow, names: Sequence[str], named: Mapping[str, _Find]) -> tuple[Any, ...]:
    ids = []
    for name, find in named.items():
        text = row.values.get(name)
        found, unclear = find(text) if text else (None, ())
        ids.append(found)
        if unclear:
            row = replace(row, problems=(*row.problems, *(problem.at(row=row.line) for problem in unclear)))
    problems = json.dumps([p.as_dict() for p in row.problems], ensure_ascii=False) if row.problems else None
    odd = ",".join(row.odd) or None
    readable = row.sku if row.sku.isascii() and not row.problems else None
    said = (row.values.get(name) for name in names)
    return (
        batch_id,
        row.line,
        readable,
        row.sku[:64],
        *said,
        *ids,
        problems,
        "refused" if problems else "new",
        odd,
    )


# --- planning ------------------------------------------------------------------------------------------------


def said_or_empty(name: str, said: str) -> str:
    """SQL: what is said of a field of a product, or what its column holds where nothing is."""
    return said if PRODUCT.field(name).empty is None else f"COALESCE({said}, '')"


def _product_differs(name: str, *, cleared: bool) -> str:
    """SQL: the batch says something of the product, and it is not what the catalogue holds, to the letter."""
    if name.removesuffix("_id") in REFS:
        said, other = f"b.{name.removesuffix('_id')}", f"NOT (b.{name} <=> p.{name} AND b.{name} IS NOT NULL)"
        emptied = f"p.{name} IS NOT NULL" if cleared else "FALSE"
        return f"(IF({said} IS NULL, {emptied}, {other}))"
    if cleared:
        return f"(NOT (BINARY {said_or_empty(name, f'b.{name}')} <=> BINARY {PRODUCT.column(name)}))"
    return f"(b.{name} IS NOT NULL AND NOT (BINARY b.{name} <=> BINARY {PRODUCT.column(name)}))"


def _variant_differs(name: str, *, cleared: bool) -> str:
    """The same of a variant; what one of a product that varies shows is its own value or its product's, and what is
    emptied is its own."""
    if cleared:
        return f"(IF(b.{name} IS NULL, v.{name} IS NOT NULL, NOT (b.{name} <=> {held_sql(name)})))"
    return f"(b.{name} IS NOT NULL AND NOT (b.{name} <=> {held_sql(name)}))"


def held_sql(name: str) -> str:
    """SQL: what holds for a variant of a field, its product's where it inherits that."""
    return inherited_sql(name) if name in INHERITED else f"v.{name}"


@dataclass(frozen=True)
class Spoken:
    """The fields of products and of variants that a file speaks of; the others cost its rows nothing. ``cleared``:
    those that an empty cell empties."""

    product: tuple[str, ...]
    variant: tuple[str, ...]
    cleared: frozenset[str] = frozenset()

    def differs(self, name: str) -> str:
        """SQL: whether what a row says of a field differs from what the catalogue holds."""
        of = _product_differs if name in OF_PRODUCT else _variant_differs
        return of(name, cleared=name in self.cleared)

    @property
    def product_differs(self) -> str:
        """SQL: whether anything that a row says of its product differs."""
        return self._any_differs(self.product)

    @property
    def variant_differs(self) -> str:
        """SQL: whether anything that it says of its variant does."""
        return self._any_differs(self.variant)

    def _any_differs(self, names: Sequence[str]) -> str:
        return f"({' OR '.join(map(self.differs, names)) or 'FALSE'})"


def spoken(fields: Collection[str], cleared: Collection[str] = ()) -> Spoken:
    """Of what a file speaks that has columns for these fields of COLUMNS."""
    names, emptied = ({f"{name}_id" if name in REFS else name for name in some} for some in (fields, cleared))
    return Spoken(
        tuple(name for name in OF_PRODUCT if name in names),
        tuple(name for name in OF_VARIANT if name in names),
        frozenset(emptied),
    )


EVERYTHING = spoken(ROW_FIELDS)
#: SQL: a count of a file is not what was there when it was made.
STOCK_DIFFERS = "(b.stock IS NOT NULL AND NOT (b.stock <=> b.stock_held))"
#: SQL: a value is far from what it was, as core.imports.jumps has it.
JUMPS_SQL = "({})".format(
    " OR ".join(
        f"(b.{name} IS NOT NULL AND {inherited_sql(name)} <> 0 AND (b.{name} > {inherited_sql(name)} * {times} "
        f"OR b.{name} * {times} < {inherited_sql(name)}))"
        for name, times in JUMPS.items()
    )
)
#: A row of a batch with what it means.
JOINED = """batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
             STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
             STRAIGHT_JOIN variant v ON v.id = b.variant_id"""


def plan(
    tx: Tx, batch_id: int, lang: str, *, live: bool, as_of: datetime | None = None, of: Spoken = EVERYTHING
) -> None:
    """Find the products that the rows mean, and say of each row what it would do.

    ``as_of``: the moment for which counts of stock hold, UTC; now without it. ``of``: of what the rows speak.
    """
    params = {"batch": batch_id, "lang": lang}
    _note_stock(tx, batch_id, as_of)
    # Every row is loaded as new, so that only those that mean a product that is there are touched again.
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN variant v ON v.sku = b.sku STRAIGHT_JOIN product p ON p.id = v.product_id
            STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
            SET b.product_id = p.id, b.product_version = p.version, b.variant_id = v.id, b.variant_version = v.version,
                b.action = IF({of.product_differs} OR {of.variant_differs} OR {STOCK_DIFFERS}, 'changed', 'unchanged'),
                b.only_stock = NOT ({of.product_differs} OR {of.variant_differs}),
                b.odd = NULLIF(CONCAT_WS(',', IF({JUMPS_SQL}, 'jump', NULL), b.odd), '')
            WHERE b.batch_id = %(batch)s AND b.action = 'new'""",
        params,
    )
    _refuse_shared_fields(tx, params, of)
    # The few that lack something are judged by the rule itself, so that its words stand in one place.
    lacking = "b.name IS NULL" + (" OR b.price IS NULL OR b.category IS NULL" if live else "")
    for row in tx.all(
        f"SELECT * FROM batch_row b WHERE b.batch_id = %(batch)s AND b.action = 'new' AND ({lacking})", params
    ):
        said = file_row(row, of.cleared)
        problems = [p.as_dict() for p in plan_row(said, None, live=live).problems]
        tx.run(
            "UPDATE batch_row SET action = 'refused', problems = %s WHERE batch_id = %s AND line = %s",
            [json.dumps(problems, ensure_ascii=False), batch_id, row["line"]],
        )


def _note_stock(tx: Tx, batch_id: int, as_of: datetime | None) -> None:
    """Put beside each count what was there of its variant at the moment for which it holds.

    It is put aside first: an UPDATE that joins stock would keep sales waiting for the dry run.
    """
    if not has_stock(tx, batch_id):
        return
    params = {"batch": batch_id, "as_of": as_of, "at": booking.first_location(tx)}
    tx.run("DROP TEMPORARY TABLE IF EXISTS batch_stock")
    tx.run("CREATE TEMPORARY TABLE batch_stock (line INT UNSIGNED NOT NULL PRIMARY KEY, held DECIMAL(12,2) NOT NULL)")
    tx.run(
        f"""INSERT INTO batch_stock (line, held) SELECT b.line, {HELD} FROM batch_row b
            STRAIGHT_JOIN variant v ON v.sku = b.sku STRAIGHT_JOIN stock k ON k.id = v.id AND k.counted
            WHERE b.batch_id = %(batch)s AND b.stock IS NOT NULL""",
        params,
    )
    tx.run(
        """UPDATE batch_stock s STRAIGHT_JOIN batch_row b ON b.batch_id = %(batch)s AND b.line = s.line
           SET b.stock_held = s.held""",
        params,
    )
    tx.run("DROP TEMPORARY TABLE batch_stock")


#: SQL of what was there of a variant at the first location, at the moment for which counts hold.
HELD = """(COALESCE((SELECT a.on_hand FROM stock_at a WHERE a.variant_id = v.id AND a.location_id = %(at)s), 0)
           - COALESCE((SELECT SUM(e.amount) FROM stock_entry e WHERE e.variant_id = v.id
                       AND e.location_id = %(at)s AND e.at > %(as_of)s), 0))"""


def has_stock(tx: Tx, batch_id: int) -> bool:
    """Whether any row says how much there is."""
    sql = "SELECT 1 FROM batch_row WHERE batch_id = %s AND stock IS NOT NULL LIMIT 1"
    return bool(tx.value(sql, [batch_id]))


def _refuse_shared_fields(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    """Rows that mean one variant of several can't say what all of them share, and used SKUs are not given again."""
    shared = tx.all(
        f"""SELECT b.line FROM {JOINED} WHERE b.batch_id = %(batch)s AND b.action = 'changed'
            AND {of.product_differs} AND {VARIES.format(product="p.id")}""",
        params,
    )
    used = tx.all(
        """SELECT b.line, b.shown_sku FROM batch_row b JOIN given_sku g ON g.sku = b.sku
           WHERE b.batch_id = %(batch)s AND b.action = 'new'""",
        params,
    )
    refused = [(row["line"], shared_field_problem(row["line"])) for row in shared]
    refused += [(row["line"], used_sku_problem(row["shown_sku"], row["line"])) for row in used]
    refused += _following(tx, params, of)
    for line, problem in refused:
        tx.run(
            "UPDATE batch_row SET action = 'refused', problems = %s WHERE batch_id = %s AND line = %s",
            [json.dumps([problem.as_dict()], ensure_ascii=False), params["batch"], line],
        )


def _following(tx: Tx, params: dict[str, Any], of: Spoken) -> list[tuple[int, Problem]]:
    """Rows that say of a kit what follows from its parts."""
    if not tx.value("SELECT 1 FROM kit_part LIMIT 1"):
        return []
    said = {"price": f"kit.priced_by = 'parts' AND {of.differs('price')}"} if "price" in of.variant else {}
    said |= {"stock": STOCK_DIFFERS} if has_stock(tx, params["batch"]) else {}
    kit = "kit ON kit.product_id = p.id AND EXISTS (SELECT 1 FROM kit_part kp WHERE kp.product_id = p.id)"
    return [
        (row["line"], kits.FOLLOWS[name].at(row=row["line"]))
        for name, differs in said.items()
        for row in tx.all(
            f"""SELECT b.line FROM {JOINED} STRAIGHT_JOIN {kit}
                WHERE b.batch_id = %(batch)s AND b.action = 'changed' AND {differs}""",
            params,
        )
    ]


def file_row(row: dict[str, Any], cleared: Collection[str]) -> FileRow:
    """A row of a batch as it was read."""
    said = {name: row[name] for name in ROW_FIELDS if row[name] is not None or name in cleared}
    problems = tuple(Problem(**p) for p in json.loads(row["problems"] or "[]"))
    return FileRow(row["line"], row["shown_sku"], said, problems)
