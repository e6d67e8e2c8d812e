"""Rows of a batch, those of one product together, some thousand at a time: in a file they stand in any order."""

from collections.abc import Iterator, Mapping
from typing import Any

from graupel.db import Tx

#: So many rows are looked at once.
AT_ONCE = 5_000


def chunks(tx: Tx, params: Mapping[str, Any], which: str, columns: str) -> Iterator[list[dict[str, Any]]]:
    """The rows b that ``which`` (SQL) names, with these ``columns``; no product is parted between two."""
    tx.run(
        """CREATE OR REPLACE TEMPORARY TABLE batch_order (place INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
             line INT UNSIGNED NOT NULL)"""
    )
    tx.run(
        f"""INSERT INTO batch_order (line) SELECT b.line FROM batch_row b WHERE b.batch_id = %(batch)s AND {which}
            ORDER BY b.product_id, COALESCE(b.lead, b.line), b.line""",
        params,
    )
    last, waiting = 0, list[dict[str, Any]]()
    while True:
        found = tx.all(
            f"""SELECT o.place, b.line, b.lead, b.product_id, {columns}
                FROM batch_order o STRAIGHT_JOIN batch_row b ON b.batch_id = %(batch)s AND b.line = o.line
                WHERE o.place > %(last)s ORDER BY o.place LIMIT %(most)s""",
            {**params, "last": last, "most": AT_ONCE},
        )
        waiting += found
        if len(found) < AT_ONCE:
            break
        last, group = found[-1]["place"], group_of(found[-1])
        whole = [row for row in waiting if group_of(row) != group]
        if whole:
            yield whole
        waiting = waiting[len(whole) :]
    if waiting:
        yield waiting
    tx.run("DROP TEMPORARY TABLE batch_order")


def group_of(row: Mapping[str, Any]) -> tuple[int, int]:
    """What rows of one product have in common."""
    return (row["product_id"], 0) if row["product_id"] else (0, row["lead"] or row["line"])
