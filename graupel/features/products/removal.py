"""Removing a product that was never live with all that belongs to it, each record journalled, by sets."""

from graupel.db import Tx
from graupel.features.history import records
from graupel.features.history.service import Recorder
from graupel.features.history.store import json_field, json_object

#: Kind of record -> which of them belong to the product.
_BELONGS = {
    "tagging": "o.kind = 'product' AND o.record_id = %(product)s",
    "picture_for": "pf.product_id = %(product)s",
    "picture": "c.product_id = %(product)s",
    "fact": "f.product_id = %(product)s",
    "product_category": "pc.product_id = %(product)s",
    "product_axis": "x.product_id = %(product)s",
    "variant_text": "vt.variant_id IN (SELECT id FROM variant WHERE product_id = %(product)s)",
    "variant": "v.product_id = %(product)s",
    "attribute_choice": "h.attribute_id IN (SELECT id FROM attribute WHERE product_id = %(product)s)",
    "attribute": "a.product_id = %(product)s",
    "product": "p.id = %(product)s",
}


#: Kinds in the order in which they go: what refers to another before that.
ORDER = (
    "tagging",
    "picture_for",
    "picture",
    "fact",
    "product_category",
    "product_axis",
    "variant_text",
    "variant",
    "attribute_choice",
    "attribute",
    "product",
)


def remove_product(tx: Tx, recorder: Recorder, product_id: int, lang: str) -> None:
    """Journal and remove a product with all that belongs to it, private attributes included."""
    for kind in ORDER:
        _remove_all(tx, recorder, kind, product_id, lang)


def _remove_all(tx: Tx, recorder: Recorder, kind: str, product_id: int, lang: str) -> None:
    """Journal and remove all records of a kind that belong to a product."""
    target = records.kind_of(kind)
    fields = json_object([json_field(name, column) for name, column in target.fields.items()])
    params = {"set": recorder.change_set_id, "product": product_id, "lang": lang}
    tx.run(
        f"""INSERT INTO change_row (change_set_id, record_kind, record_id, version, was, became)
            SELECT %(set)s, '{kind}', {target.key}, {target.version} + 1, {fields}, NULL
            FROM {target.table} WHERE {_BELONGS[kind]}""",
        params,
    )
    tx.run(
        f"""DELETE gone FROM {target.plain} gone JOIN change_row r ON r.record_id = gone.id
            WHERE r.change_set_id = %(set)s AND r.record_kind = '{kind}' AND r.became IS NULL""",
        params,
    )
