"""The ids of goods that a batch makes: taken in blocks before, and handed out row by row.

So what belongs to new goods is written out of the batch alone, without looking for what was just made.
"""

from dataclasses import dataclass
from typing import Any

from graupel.db import Tx

#: So many ids are left free before a block, for what others make between the two looks at the counters.
_MARGIN = 10_000


@dataclass(frozen=True)
class Block:
    """The first ids of a block of products and of one of variants; the next ones follow in ``step``s."""

    product: int = 0
    variant: int = 0
    step: int = 1


def reserve(tx: Tx, products: int, variants: int) -> Block:
    """Take ids for so many new products and variants, in a transaction of its own that ends at once.

    The counters are moved by rows at the ends of the blocks, which are let go of: a counter never goes back. One at a
    time does so. Where others still made more than the margin meanwhile, an id is there twice and the writing fails as
    a whole. On a cluster the ids are those of this node, as its counters give them.
    """
    if not variants:
        return Block()
    tx.run("UPDATE id_block SET reserved = reserved + %s WHERE name = 'goods'", [products + variants])
    step = int(tx.value("SELECT @@auto_increment_increment"))
    product = "INSERT INTO product (id, made_at, changed_at) VALUES (%s, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3))"
    variant = "INSERT INTO variant (id, product_id, sku) VALUES (%s, %s, %s)"
    tx.run("SAVEPOINT counters")
    first_product = tx.insert(product, [None]) + _MARGIN * step
    last_product = first_product + products * step
    tx.run(product, [last_product])
    first_variant = tx.insert(variant, [None, last_product, f"\n{first_product}"]) + _MARGIN * step
    tx.run(variant, [first_variant + variants * step, first_product - _MARGIN * step, f"\n{last_product}"])
    tx.run("ROLLBACK TO SAVEPOINT counters")
    return Block(first_product, first_variant, step)


def number(tx: Tx, params: dict[str, Any], block: Block, makes: str = "") -> None:
    """Give the new rows of a batch their ids: batch_made has them by line, the product's where a row ``makes`` (SQL)
    one; without that each does."""
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_made (line INT UNSIGNED NOT NULL PRIMARY KEY,
             product_id INT UNSIGNED NULL, variant_id INT UNSIGNED NOT NULL)"""
    )
    own = f"IF({makes}, SUM({makes}) OVER (ORDER BY b.line), NULL)" if makes else "ROW_NUMBER() OVER (ORDER BY b.line)"
    tx.run(
        f"""INSERT INTO batch_made (line, product_id, variant_id)
            SELECT n.line, %(product)s + %(step)s * (n.product - 1), %(variant)s + %(step)s * (n.variant - 1)
            FROM (SELECT b.line, {own} AS product, ROW_NUMBER() OVER (ORDER BY b.line) AS variant
                  FROM batch_row b WHERE b.batch_id = %(batch)s AND b.action = 'new') n""",
        {**params, "product": block.product, "variant": block.variant, "step": block.step},
    )
