"""What delivery registers."""

from graupel.features.delivery import pages
from graupel.features.products import belonging, parts
from graupel.features.products.belonging import Belonging


def register(language: str) -> None:
    """Costs of single goods, which belong to products, and delivery's part of the product editor."""
    said = "JSON_VALUE({side}, '$.product_id')"
    below = "own_carriage oc ON oc.product_id = {product}"
    belonging.register(Belonging("own_carriage", below, "x.product_id", said))
    parts.register(
        parts.EditorPart("delivery", "Delivery", "delivery/part.html", pages.part_data, pages.part_mark, "prices")
    )
