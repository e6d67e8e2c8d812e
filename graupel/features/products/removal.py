"""Removing a product that was never live with all that belongs to it, each record journalled, by sets."""

from graupel.core.declarations.products import PRODUCT, RECORDS
from graupel.db import Tx
from graupel.features.history import journal, records
from graupel.features.history.service import Recorder

_OF_PRODUCT = "{alias}.product_id = %(product)s"
#: Records that do not say that a product is their parent -> which of them belong to it.
_BELONGS = {
    "tagging": "o.kind = 'product' AND o.record_id = %(product)s",
    "variant_text": "vt.variant_id IN (SELECT id FROM variant WHERE product_id = %(product)s)",
    "attribute_choice": "h.attribute_id IN (SELECT id FROM attribute WHERE product_id = %(product)s)",
    "product": "p.id = %(product)s",
}
#: Kinds in the order in which they go: what refers to another before that, private attributes last but the product.
ORDER = (
    "tagging",
    *(record.name for record in reversed(RECORDS) if record is not PRODUCT),
    "attribute_choice",
    "attribute",
    "product",
)


def remove_product(tx: Tx, recorder: Recorder, product_id: int, lang: str) -> None:
    """Journal and remove a product with all that belongs to it, private attributes included."""
    params = {"product": product_id, "lang": lang}
    for name in ORDER:
        kind = records.kind_of(name)
        belongs = _BELONGS.get(name) or _OF_PRODUCT.format(alias=kind.record.alias)
        journal.remove(tx, recorder.change_set_id, kind, kind.table, belongs, params)
