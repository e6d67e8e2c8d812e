"""Products that are there and start to vary, because a file brings them further variants.

What only their one variant held belongs to the product from then on, as where variants are made by hand; its part
number goes the other way.
"""

from collections.abc import Mapping
from typing import Any

from graupel.core.declarations.products import INHERITED
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.products.batch.part_numbers import MPN

_JOINED = """batch_starting g STRAIGHT_JOIN product p ON p.id = g.product_id
             STRAIGHT_JOIN variant v ON v.id = g.variant_id"""


def note(tx: Tx, params: Mapping[str, Any]) -> None:
    """Note the products that start to vary with the variant that they have, before further ones are written."""
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_starting (product_id INT UNSIGNED NOT NULL PRIMARY KEY,
             variant_id INT UNSIGNED NOT NULL)"""
    )
    tx.run(
        """INSERT INTO batch_starting SELECT DISTINCT b.product_id, v.id FROM batch_axis s
           STRAIGHT_JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line AND b.action IN ('new', 'changed')
           STRAIGHT_JOIN variant v ON v.product_id = b.product_id
           WHERE s.batch_id = %(batch)s AND b.product_id IS NOT NULL""",
        params,
    )


def settle(tx: Tx, params: Mapping[str, Any]) -> None:
    """Give products what their one variant held, where the file says nothing else of them; once all else is written."""
    if tx.value("SELECT 1 FROM batch_starting LIMIT 1"):
        _journal(tx, params)
        moved = ", ".join(f"p.{name} = COALESCE(p.{name}, v.{name})" for name in INHERITED)
        tx.run(f"UPDATE {_JOINED} SET {moved}, p.version = p.version + 1, p.changed_at = UTC_TIMESTAMP(3)")
        inherits = ", ".join(f"v.{name} = IF(v.{name} <=> p.{name}, NULL, v.{name})" for name in INHERITED)
        tx.run(f"UPDATE {_JOINED} SET {inherits}, v.mpn = IF(p.mpn = '', v.mpn, p.mpn), v.version = v.version + 1")
        tx.run(f"UPDATE {_JOINED} SET p.mpn = ''")
    tx.run("DROP TEMPORARY TABLE batch_starting")


def _journal(tx: Tx, params: Mapping[str, Any]) -> None:
    up = {name: f"(p.{name} IS NULL AND v.{name} IS NOT NULL)" for name in INHERITED}
    inherits = {name: f"(v.{name} IS NOT NULL AND COALESCE(p.{name}, v.{name}) = v.{name})" for name in INHERITED}
    has_number = {MPN: "p.mpn <> ''"}
    product = {name: f"v.{name}" for name in INHERITED} | {MPN: "''"}
    variant = dict.fromkeys(INHERITED, "NULL") | {MPN: "p.mpn"}
    for name, alias, only, became in (
        ("product", "p", up | has_number, product),
        ("variant", "v", inherits | has_number, variant),
    ):
        journal.write(
            tx,
            params["set"],
            records.kind_of(name),
            _JOINED,
            " OR ".join(only.values()),
            params,
            was={field: f"{alias}.{field}" for field in became},
            became=became,
            only=only,
        )
