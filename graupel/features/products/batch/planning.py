"""What the rows of a batch would do: planned by sets in SQL (taking_in.py loads them, applying.py writes them).

core.imports.plan_row says what one row would do; the SQL here does the same for all rows at once, and a
test holds the two against each other. The joins are STRAIGHT_JOINs: a table that was filled in the same
transaction looks empty to the optimizer, and the plans it would choose take minutes.
"""

import json
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from graupel.core import kits
from graupel.core.file_columns import DECLARED, ROW_FIELDS, Known
from graupel.core.file_facts import NewChoices
from graupel.core.handling import Handling, Key
from graupel.core.imports import FileRow, plan_row, priceless_problem, shared_field_problem, used_sku_problem
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, lacks_for_live
from graupel.core.row_blocks import RowBlock
from graupel.db import Tx
from graupel.features.products.batch import counts as batch_counts
from graupel.features.products.batch import facts as batch_facts
from graupel.features.products.batch import finding, reviving, taking_in
from graupel.features.products.batch import groups as batch_groups
from graupel.features.products.batch import own as batch_own
from graupel.features.products.batch import pictures as batch_pictures
from graupel.features.products.batch import ways as batch_ways
from graupel.features.products.batch.pictures import Pictures
from graupel.features.products.batch.refusing import refuse_found
from graupel.features.products.batch.reviving import ASLEEP
from graupel.features.products.batch.spoken import EVERYTHING, JOINED, JUMPS_SQL, STOCK_DIFFERS, Spoken, goes_live
from graupel.features.products.columns import VARIES
from graupel.features.terms import booking


def load(
    tx: Tx,
    batch_id: int,
    blocks: Iterable[RowBlock],
    lang: str,
    *,
    handling: Handling,
    of: Spoken = EVERYTHING,
    known: Known = DECLARED,
) -> None:
    """Put read rows into the batch, instead of what was there; ``plan`` has the parameters."""
    taking_in.load(tx, batch_id, blocks, lang, of, known, compared=_compared_at_once(of, handling))


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
    finding.find(tx, params, handling, {one.id: one.name for one in known.attributes.values()})
    batch_ways.skip(tx, params, handling.way)
    _note_stock(tx, batch_id, as_of)
    if of.counts:
        batch_counts.note(tx, {**params, "as_of": as_of}, of.counts)
    if not _compared_at_once(of, handling):
        _plan_groups(tx, params, of, known, new or NewChoices())
        _compare_with_revived(tx, params, of, revive=handling.revive)
    if has_stock(tx, batch_id):
        batch_counts.mark_changed(tx, params, STOCK_DIFFERS)
    if of.grouped:
        batch_groups.compare(tx, params, of.product_differs, of.variant_differs, of.variant)
    _refuse_shared_fields(tx, params, of)
    _refuse_lacking(tx, params, of, live=handling.go_live)
    if of.grouped or of.facts:
        batch_facts.mark_changed(tx, params)
    if of.counts:
        batch_counts.mark_changed(tx, params, batch_counts.DIFFERS)
    if of.pictures:
        batch_pictures.plan_all(tx, params, pictures or Pictures())
        batch_pictures.mark_changed(tx, params)
    if of.own:
        batch_own.plan(tx, params, {name: one for name, one in known.own.items() if name in of.own})
    _spread(tx, params, of, known)
    return batch_ways.note_gone(tx, params, handling)


def _spread(tx: Tx, params: dict[str, Any], of: Spoken, known: Known) -> None:
    """Refuse what can't come in without rows that are refused."""
    if of.grouped:
        batch_groups.spread(tx, params)
    while of.facts and batch_facts.refuse_beside_refused(tx, params, known, of.fields):
        if of.grouped:
            batch_groups.spread(tx, params)


def _compared_at_once(of: Spoken, handling: Handling) -> bool:
    """Whether what a row does follows from it alone, so that it is compared as it comes in."""
    return handling.key_by == Key.SKU and not (of.grouped or of.facts or of.own or handling.revive)


def _compare_with_revived(tx: Tx, params: dict[str, Any], of: Spoken, *, revive: bool) -> None:
    if revive:
        reviving.say_live(tx, params)
    _compare(tx, params, of, reviving.asleep(says_status=True, revive=revive))
    if of.grouped and "status" in of.product:
        reviving.forget_led(tx, params)
    if revive:
        reviving.mark_changed(tx, params)


def _compare(tx: Tx, params: dict[str, Any], of: Spoken, asleep: str) -> None:
    """Say of the rows whose SKUs are there what they would do; ``asleep``: SQL of those that stay archived."""
    tx.run(
        f"""UPDATE batch_row b STRAIGHT_JOIN variant v ON v.sku = b.sku STRAIGHT_JOIN product p ON p.id = v.product_id
            STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
            SET b.product_id = p.id, b.product_version = p.version, b.variant_id = v.id, b.variant_version = v.version,
                b.action = IF({of.product_differs} OR {of.variant_differs}, 'changed', 'unchanged'),
                b.only_stock = NOT ({of.product_differs} OR {of.variant_differs}),
                b.odd = NULLIF(CONCAT_WS(',', IF({JUMPS_SQL}, 'jump', NULL), IF({asleep}, '{ASLEEP}', NULL), b.odd), '')
            WHERE b.batch_id = %(batch)s AND b.action = 'new'""",
        params,
    )


def _plan_groups(tx: Tx, params: dict[str, Any], of: Spoken, known: Known, new: NewChoices) -> None:
    if of.grouped:
        batch_groups.gather(tx, params, of.product)
    batch_facts.plan(tx, params, known, new, of.fields)
    if of.grouped:
        batch_groups.fold(tx, params, batch_groups.inherited(of.variant))


def _refuse_lacking(tx: Tx, params: dict[str, Any], of: Spoken, *, live: bool) -> None:
    """The few that lack something are judged by the rule itself, so that its words stand in one place."""
    if "price" in of.cleared:
        _refuse_priceless(tx, params)
    if "status" in of.product:
        _refuse_to_show(tx, params, of)
    if of.grouped:
        return batch_groups.refuse_lacking(tx, params, live=live, read=lambda row: file_row(row, of.cleared))
    lacking = "b.name IS NULL"
    if live or "status" in of.product:
        shown = goes_live("live" if live else "draft", of)
        lacking += f" OR ({shown} AND (b.price IS NULL OR b.category IS NULL))"
    found = f"SELECT b.* FROM batch_row b WHERE b.batch_id = %(batch)s AND b.action = 'new' AND ({lacking})"
    refuse_found(tx, params, found, lambda row: plan_row(file_row(row, of.cleared), None, live=live).problems)


def _refuse_to_show(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    """Goods that are there go live only with all that live goods need, as they are after the file."""
    price = "COALESCE(b.price, v.price, p.price)" if "price" in of.variant else "COALESCE(v.price, p.price)"
    other = """(x.price IS NULL AND p.price IS NULL AND NOT x.archived AND NOT EXISTS (SELECT 1 FROM batch_row o
               WHERE o.batch_id = b.batch_id AND o.sku = x.sku AND o.price IS NOT NULL))"""
    refuse_found(
        tx,
        params,
        f"""SELECT b.line, IF(b.variant_id IS NULL OR {VARIES.format(product="p.id")},
                     (SELECT COUNT(*) FROM variant x WHERE x.product_id = p.id AND {other}
                      AND NOT (b.price IS NOT NULL AND b.sku IS NULL)), {price} IS NULL) AS unpriced,
                   COALESCE(b.category, p.category_id) IS NOT NULL AS placed
            FROM batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id LEFT JOIN variant v ON v.id = b.variant_id
            WHERE b.batch_id = %(batch)s AND b.action = 'changed' AND b.lead IS NULL
              AND b.status = 'live' AND p.status <> 'live' HAVING unpriced OR NOT placed""",
        _lacks_to_show,
    )


def _lacks_to_show(row: Mapping[str, Any]) -> Sequence[Problem]:
    values = ProductValues(category_id=0 if row["placed"] else None)
    lacks = lacks_for_live(values, int(row["unpriced"]))
    return [replace(one, field=(one.field or "").removesuffix("_id")) for one in lacks]


def _refuse_priceless(tx: Tx, params: dict[str, Any]) -> None:
    """Live goods whose price is emptied go back to their product's: without one they would have none."""
    given = """EXISTS (SELECT 1 FROM batch_row o WHERE o.batch_id = b.batch_id AND o.product_id = p.id
               AND o.sku IS NULL AND o.price IS NOT NULL)"""
    without = """EXISTS (SELECT 1 FROM variant x LEFT JOIN batch_row o ON o.batch_id = b.batch_id AND o.sku = x.sku
                 WHERE x.product_id = p.id AND NOT x.archived AND COALESCE(o.price, x.price) IS NULL)"""
    refuse_found(
        tx,
        params,
        f"""SELECT b.line FROM batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
            LEFT JOIN variant v ON v.id = b.variant_id
            WHERE b.batch_id = %(batch)s AND b.action = 'changed' AND b.price IS NULL
              AND COALESCE(b.status, p.status) = 'live'
              AND IF(v.id IS NULL, p.price IS NOT NULL AND {without},
                     v.price IS NOT NULL AND p.price IS NULL AND NOT {given})""",
        lambda row: priceless_problem(row["line"]),
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
HELD = batch_counts.HELD_AT.format(at="%(at)s")


def has_stock(tx: Tx, batch_id: int) -> bool:
    """Whether any row says how much there is."""
    first = "SELECT 1 FROM batch_row WHERE batch_id = %s AND stock IS NOT NULL LIMIT 1"
    further = "SELECT 1 FROM batch_count WHERE batch_id = %s LIMIT 1"
    return bool(tx.value(first, [batch_id]) or tx.value(further, [batch_id]))


def _refuse_shared_fields(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    """Rows that mean one variant of several can't say what all of them share, and used SKUs are not given again."""
    alone = "AND b.code IS NULL" if of.grouped else ""
    shared = f"""SELECT b.line FROM {JOINED} WHERE b.batch_id = %(batch)s AND b.action = 'changed' {alone}
                 AND {of.product_differs} AND {VARIES.format(product="p.id")}"""
    used = """SELECT b.line, b.shown_sku FROM batch_row b JOIN former_sku g ON g.sku = b.sku
              WHERE b.batch_id = %(batch)s AND b.action = 'new'"""
    refuse_found(tx, params, shared, lambda row: shared_field_problem(row["line"]))
    refuse_found(tx, params, used, lambda row: used_sku_problem(row["shown_sku"], row["line"]))
    _refuse_following(tx, params, of)


def _refuse_following(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    """Rows that say of a kit what follows from its parts."""
    if not tx.value("SELECT 1 FROM kit_part LIMIT 1"):
        return
    said = {"price": f"kit.priced_by = 'parts' AND {of.differs('price')}"} if "price" in of.variant else {}
    said |= {"stock": f"({STOCK_DIFFERS} OR {batch_counts.DIFFERS})"} if has_stock(tx, params["batch"]) else {}
    kit = "kit ON kit.product_id = p.id AND EXISTS (SELECT 1 FROM kit_part kp WHERE kp.product_id = p.id)"
    for name, differs in said.items():
        found = f"""SELECT b.line FROM {JOINED} STRAIGHT_JOIN {kit}
                    WHERE b.batch_id = %(batch)s AND b.action = 'changed' AND {differs}"""
        refuse_found(tx, params, found, _always(kits.FOLLOWS[name]))


def _always(problem: Problem) -> Callable[[Mapping[str, Any]], Problem]:
    return lambda _: problem


def file_row(row: dict[str, Any], cleared: Collection[str]) -> FileRow:
    """A row of a batch as it was read."""
    said = {name: row[name] for name in ROW_FIELDS if row[name] is not None or name in cleared}
    problems = tuple(Problem(**p) for p in json.loads(row["problems"] or "[]"))
    return FileRow(row["line"], row["shown_sku"], said, problems)
