"""Removing a product that was never live with all that belongs to it, each record journalled, by sets."""

from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder
from graupel.features.products import belonging


def remove_product(tx: Tx, recorder: Recorder, product_id: int, lang: str) -> None:
    """Journal and remove a product with all that belongs to it: what refers to another record goes before that."""
    params = {"product": product_id, "lang": lang}
    for one in reversed(belonging.all_belonging()):
        if one.goes:
            source = f"(SELECT %(product)s AS id) whole STRAIGHT_JOIN {one.below.format(product='whole.id')}"
            journal.remove(tx, recorder.change_set_id, one.records_kind, source, "TRUE", params)
    product = records.kind_of("product")
    journal.remove(tx, recorder.change_set_id, product, product.table, "p.id = %(product)s", params)
