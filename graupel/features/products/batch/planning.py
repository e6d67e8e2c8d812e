"""Sets of rows on their way into the catalogue: loaded, and planned by sets in SQL (applying.py writes them).

core.imports.plan_row says what one row would do; the SQL here does the same for all rows at once, and a
test holds the two against each other. The joins are STRAIGHT_JOINs: a table that was filled in the same
transaction looks empty to the optimizer, and the plans it would choose take minutes.
"""

import json
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from graupel.core import file_pictures, kits
from graupel.core.declarations.products import INHERITED, PRODUCT, VARIANT
from graupel.core.file_columns import DECLARED, FACT, OWN, REFS, ROW_FIELDS, STOCK_AT, TAGS, Known
from graupel.core.file_facts import NewChoices
from graupel.core.handling import Handling
from graupel.core.imports import (
    JUMPS,
    FileRow,
    plan_row,
    shared_field_problem,
    used_sku_problem,
)
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.db.loading import load_rows
from graupel.features.products.batch import counts as batch_counts
from graupel.features.products.batch import facts as batch_facts
from graupel.features.products.batch import groups as batch_groups
from graupel.features.products.batch import named
from graupel.features.products.batch import own as batch_own
from graupel.features.products.batch import pictures as batch_pictures
from graupel.features.products.batch import ways as batch_ways
from graupel.features.products.batch.groups import refuse
from graupel.features.products.batch.pictures import Pictures
from graupel.features.products.columns import VARIES, inherited_sql
from graupel.features.terms import booking

#: What a row of a batch may say of a product, and of a variant.
OF_PRODUCT = PRODUCT.in_files
OF_VARIANT = tuple(name for name in VARIANT.in_files if name != "sku" and not VARIANT.field(name).booked)


def load(
    tx: Tx,
    batch_id: int,
    rows: Iterable[FileRow],
    fields: Collection[str] = ROW_FIELDS,
    known: Known = DECLARED,
) -> int:
    """Put read rows into the batch, instead of what was there. A SKU that stands twice is refused the second time.

    ``fields``: those that the file has columns for; the others cost nothing.
    """
    said = tuple(name for name in ROW_FIELDS if name in fields)
    tx.run("DELETE FROM batch_row WHERE batch_id = %s", [batch_id])
    finders = {name: named.finder(tx, name) for name in REFS if name in said}
    ids = [f"{name}_id" for name in finders]
    loaded = ("batch_id", "line", "sku", "shown_sku", *said, *ids, "problems", "action", "odd")
    once = _once_each(rows)
    beside = (known.attributes, known.own, known.locations, file_pictures.FIELDS)
    if not any(name in some for some in beside for name in fields):
        return load_rows(tx, "batch_row", loaded, (_cells(batch_id, row, said, finders) for row in once))
    cells = (
        (*_cells(batch_id, row, said, finders), *(kept(row.values, known) for kept in _BESIDE.values())) for row in once
    )
    return load_rows(tx, "batch_row", (*loaded, *_BESIDE), cells)


#: By column of a batch what keeps in it what a row says beside the declared fields.
_BESIDE = {
    "facts": batch_facts.kept,
    "own": batch_own.kept,
    "counted": batch_counts.kept,
    "pictures": batch_pictures.kept,
}


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


def _cells(batch_id: int, row: FileRow, names: Sequence[str], finders: Mapping[str, named.Find]) -> tuple[Any, ...]:
    ids = []
    for name, find in finders.items():
        text = row.values.get(name)
        found, unclear = find(text) if text else (None, ())
        ids.append(found)
        if unclear:
            row = replace(row, problems=(*row.problems, *(problem.at(row=row.line) for problem in unclear)))
    problems = json.dumps([p.as_dict() for p in row.problems], ensure_ascii=False) if row.problems else None
    odd = ",".join(row.odd) or None
    readable = row.sku if row.sku and row.sku.isascii() and not row.problems else None
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
    """The fields of products and of variants that a file speaks of; the others cost its rows nothing.

    ``cleared``: those that an empty cell empties; ``grouped``: rows may name their products by a code; ``facts``: they
    say something of attributes; ``own``: the columns in which they say something for a language or a destination;
    ``counts``: those in which stock is counted at further locations; ``pictures``: they say which goods show.
    """

    product: tuple[str, ...]
    variant: tuple[str, ...]
    cleared: frozenset[str] = frozenset()
    grouped: bool = False
    facts: bool = False
    own: frozenset[str] = frozenset()
    counts: frozenset[str] = frozenset()
    pictures: bool = False

    def differs(self, name: str) -> str:
        """SQL: whether what a row says of a field differs from what the catalogue holds."""
        of = _product_differs if name in OF_PRODUCT else _variant_differs
        return of(name, cleared=name in self.cleared)

    @property
    def product_differs(self) -> str:
        """SQL: whether anything that a row says of its product differs; of several rows of one product one speaks."""
        differs = self._any_differs(self.product)
        return f"(b.lead IS NULL AND {differs})" if self.grouped else differs

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
        "code" in fields,
        any(name == TAGS or name.startswith(FACT) for name in fields),
        frozenset(name for name in fields if name.startswith(OWN)),
        frozenset(name for name in fields if name.startswith(STOCK_AT)),
        file_pictures.PICTURES in fields,
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
    tx: Tx,
    batch_id: int,
    lang: str,
    *,
    handling: Handling,
    as_of: datetime | None = None,
    of: Spoken = EVERYTHING,
    known: Known = DECLARED,
    new: NewChoices | None = None,
    pictures: Pictures | None = None,
) -> tuple[int, int]:
    """Find the products that the rows mean, and say of each row what it would do; returns how many products, and how
    many single variants of others, would be archived because no row has them.

    ``as_of``: the moment for which counts of stock hold, UTC; now without it. ``of``: of what the rows speak;
    ``known``, ``new``: the attributes, and the choices that the rows would make; ``pictures``: how theirs are looked
    for.
    """
    params = {"batch": batch_id, "lang": lang}
    batch_ways.find_by_key(tx, params, handling)
    batch_ways.skip(tx, params, handling.way)
    _note_stock(tx, batch_id, as_of)
    if of.counts:
        batch_counts.note(tx, {**params, "as_of": as_of}, of.counts)
    if of.grouped or of.facts or of.own:
        _plan_groups(tx, params, of, known, new or NewChoices())
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
    if of.grouped:
        batch_groups.compare(tx, params, of.product_differs, of.variant_differs, of.variant)
    _refuse_shared_fields(tx, params, of)
    _refuse_lacking(tx, params, of, live=handling.go_live)
    if of.grouped or of.facts:
        batch_facts.mark_changed(tx, params)
    if of.counts:
        batch_counts.mark_changed(tx, params)
    if of.pictures:
        batch_pictures.plan_all(tx, params, pictures or Pictures())
        batch_pictures.mark_changed(tx, params)
    if of.own:
        batch_own.plan(tx, params, {name: one for name, one in known.own.items() if name in of.own})
    if of.grouped:
        batch_groups.spread(tx, params)
    return batch_ways.note_gone(tx, params, handling)


def _plan_groups(tx: Tx, params: dict[str, Any], of: Spoken, known: Known, new: NewChoices) -> None:
    batch_groups.match(tx, params)
    if of.grouped:
        batch_groups.gather(tx, params, of.product)
    batch_facts.plan(tx, params, known, new)
    if of.grouped:
        batch_groups.fold(tx, params, batch_groups.inherited(of.variant))


def _refuse_lacking(tx: Tx, params: dict[str, Any], of: Spoken, *, live: bool) -> None:
    """The few that lack something are judged by the rule itself, so that its words stand in one place."""
    if of.grouped:
        return batch_groups.refuse_lacking(tx, params, live=live, read=lambda row: file_row(row, of.cleared))
    lacking = "b.name IS NULL" + (" OR b.price IS NULL OR b.category IS NULL" if live else "")
    for row in tx.all(
        f"SELECT * FROM batch_row b WHERE b.batch_id = %(batch)s AND b.action = 'new' AND ({lacking})", params
    ):
        refuse(tx, params["batch"], row["line"], *plan_row(file_row(row, of.cleared), None, live=live).problems)


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
HELD = batch_counts.HELD_AT.format(at="%(at)s")


def has_stock(tx: Tx, batch_id: int) -> bool:
    """Whether any row says how much there is."""
    first = "SELECT 1 FROM batch_row WHERE batch_id = %s AND stock IS NOT NULL LIMIT 1"
    further = "SELECT 1 FROM batch_count WHERE batch_id = %s LIMIT 1"
    return bool(tx.value(first, [batch_id]) or tx.value(further, [batch_id]))


def _refuse_shared_fields(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    """Rows that mean one variant of several can't say what all of them share, and used SKUs are not given again."""
    alone = "AND b.code IS NULL" if of.grouped else ""
    shared = tx.all(
        f"""SELECT b.line FROM {JOINED} WHERE b.batch_id = %(batch)s AND b.action = 'changed' {alone}
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
        refuse(tx, params["batch"], line, problem)


def _following(tx: Tx, params: dict[str, Any], of: Spoken) -> list[tuple[int, Problem]]:
    """Rows that say of a kit what follows from its parts."""
    if not tx.value("SELECT 1 FROM kit_part LIMIT 1"):
        return []
    said = {"price": f"kit.priced_by = 'parts' AND {of.differs('price')}"} if "price" in of.variant else {}
    said |= {"stock": f"({STOCK_DIFFERS} OR {batch_counts.DIFFERS})"} if has_stock(tx, params["batch"]) else {}
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
