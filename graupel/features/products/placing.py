"""Putting products in categories and taking them out, one at a time."""

from collections.abc import Mapping
from typing import Any

from graupel.core.errors import NotFound, Refused
from graupel.core.products import Status
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.products import store


def place_within(tx: Tx, recorder: history.Recorder, product_id: int, category_id: int) -> None:
    """Put a product in a category: as its main one where it has none, else as a further one. Raises NotFound."""
    row = store.place_of(tx, product_id)
    if row is None:
        raise NotFound(f"There is no product {product_id}.")
    if row["category_id"] is None:
        _set_main_category(tx, recorder, row, category_id)
        return
    values = {"product_id": product_id, "category_id": category_id}
    recorder.made("product_category", store.insert_further_category(tx, product_id, category_id), values)


def displace_within(tx: Tx, recorder: history.Recorder, product_id: int, category_id: int) -> None:
    """Take a product out of a category; a further one takes the main one's place. Raises Refused, NotFound."""
    row = store.place_of(tx, product_id)
    if row is None:
        raise NotFound(f"There is no product {product_id}.")
    further = {one["category_id"]: one for one in store.further_categories(tx, product_id)}
    into = None
    if row["category_id"] == category_id:
        into = next(iter(further), None)
        if into is None and row["status"] == Status.LIVE:
            raise Refused.because(
                "category.only",
                "A live product needs a category, and this is the only one of product "
                f"{product_id}. Put it in another first.",
            )
        _set_main_category(tx, recorder, row, into)
    if gone := further.get(into or category_id):
        values = {"product_id": product_id, "category_id": gone["category_id"]}
        recorder.removed("product_category", gone["id"], values, gone["version"] + 1)
        store.delete_further_category(tx, gone["id"])


def _set_main_category(tx: Tx, recorder: history.Recorder, row: Mapping[str, Any], category_id: int | None) -> None:
    before, after = {"category_id": row["category_id"]}, {"category_id": category_id}
    if recorder.changed("product", row["id"], before, after, row["version"] + 1):
        store.set_main_category(tx, row["id"], category_id)
