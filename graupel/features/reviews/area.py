"""What reviews register."""

from graupel.core.declarations import reviews as declared
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.products import belonging, parts
from graupel.features.products.belonging import Belonging
from graupel.features.reviews import pages, store


def register(language: str) -> None:
    """Reviews, of which products they are allowed, and their part of the product editor."""
    records.register(
        RecordKind(declared.REVIEW_SWITCH, lambda tx, ids: {key: Shown("Reviews", "/reviews") for key in ids})
    )
    records.register(
        RecordKind(
            declared.REVIEW,
            lambda tx, ids: {row["id"]: Shown(f"Review of {row['name']}", "/reviews") for row in store.names(tx, ids)},
            flows=True,
        )
    )
    said = "JSON_VALUE({side}, '$.product_id')"
    belonging.register(
        Belonging("review_switch", "review_switch rw ON rw.product_id = {product}", "x.product_id", said),
        Belonging("review", "review rv ON rv.product_id = {product}", "x.product_id", said, touches=False),
    )
    parts.register(parts.EditorPart("reviews", "Reviews", "reviews/part.html", pages.part_data, pages.part_mark))
