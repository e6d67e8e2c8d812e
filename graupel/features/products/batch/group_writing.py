"""Writing rows that name their products by a code: products by rows without a SKU, and variants row by row."""

from typing import Any

from graupel.core.declarations.products import CHOICES, PRODUCT
from graupel.db import Tx
from graupel.features.history import journal, packs, records
from graupel.features.products import summary
from graupel.features.products.batch import fact_writing, part_numbers
from graupel.features.products.batch import groups as batch_groups
from graupel.features.products.batch.part_numbers import MPN
from graupel.features.products.batch.spoken import Spoken
from graupel.features.products.batch.sql import IDS, IDS_RANGE, MADE, RANGE, becomes, kept_or_said, was_live

#: A row makes a product; where several mean one, the one that speaks for it does.
MAKES = "b.action = 'new' AND b.product_id IS NULL AND b.lead IS NULL"
#: Such a row makes a product by its code that has this one variant.
SINGLE = f"""{MAKES} AND b.code IS NOT NULL AND b.sku IS NOT NULL AND NOT EXISTS (
             SELECT 1 FROM batch_axis a WHERE a.batch_id = b.batch_id AND a.line = b.line)"""


def make_variants(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    """Make the variants of a chunk whose products have codes: of those that were there, and of those just made."""
    said = [*of.variant, *CHOICES]
    given = [*(f"b.{name}" for name in of.variant), *fact_writing.GIVEN.values()]
    if of.mpn:
        said, given = [*said, MPN], [*given, part_numbers.OF_VARIANT]
    rows = f"{RANGE} AND b.action = 'new' AND b.sku IS NOT NULL AND b.code IS NOT NULL"
    tx.run(
        f"""INSERT INTO variant (id, product_id, sku, {", ".join(said)})
            SELECT n.variant_id, COALESCE(b.product_id, o.product_id), b.sku, {", ".join(given)} FROM {MADE}
            LEFT JOIN batch_made o ON b.product_id IS NULL AND o.line = COALESCE(b.lead, b.line)
            LEFT JOIN {fact_writing.SAID} WHERE {rows} ORDER BY b.line""",
        params,
    )
    pack_variants(tx, params)


def pack_variants(tx: Tx, params: dict[str, Any]) -> None:
    """Journal the new variants of a chunk in packs, once all of them are made."""
    packs.write(
        tx,
        params["set"],
        records.kind_of("variant"),
        f"{IDS} STRAIGHT_JOIN variant v ON v.id = n.variant_id",
        IDS_RANGE,
        params,
        source_id=params["batch"],
    )


def summarise(tx: Tx, params: dict[str, Any]) -> None:
    """Sum up the new products whose variants came from several rows; the others were as they were written."""
    tx.run("CREATE OR REPLACE TEMPORARY TABLE made_by_code (product_id INT UNSIGNED NOT NULL PRIMARY KEY)")
    tx.run(
        f"""INSERT INTO made_by_code SELECT n.product_id FROM {MADE}
            WHERE b.batch_id = %(batch)s AND {MAKES} AND b.code IS NOT NULL AND NOT ({SINGLE})""",
        params,
    )
    if tx.value("SELECT 1 FROM made_by_code LIMIT 1"):
        summary.summarise(tx, "made_by_code")
    tx.run("DROP TEMPORARY TABLE made_by_code")


def change_alone(tx: Tx, params: dict[str, Any], of: Spoken) -> None:
    """Change products by rows without a SKU, where no variant of theirs is meant."""
    where = f"{RANGE} AND b.action = 'changed' AND b.variant_id IS NULL"
    source = """batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
                STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s"""
    inherited = batch_groups.inherited(of.variant)
    differs = {name: of.differs(name) for name in of.product}
    differs |= {name: batch_groups.parent_differs([name]) for name in inherited}
    if not differs:
        return
    new = {name: becomes(name, of) for name in of.product} | {name: f"b.{name}" for name in inherited}
    journal.write(
        tx,
        params["set"],
        records.kind_of("product"),
        source,
        f"{where} AND ({' OR '.join(differs.values())})",
        params,
        was={name: PRODUCT.column(name) for name in differs},
        became=new,
        only=differs,
    )
    sets = "".join(f"{PRODUCT.column(name)} = {kept_or_said(name, of)}, " for name in of.product)
    sets += "".join(f"p.{name} = COALESCE(b.{name}, p.{name}), " for name in inherited) + was_live(of)
    tx.run(
        f"""UPDATE {source} SET {sets} p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)
            WHERE {where} AND ({" OR ".join(differs.values())})""",
        params,
    )
