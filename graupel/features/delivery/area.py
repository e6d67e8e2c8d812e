"""What delivery registers."""

from graupel.features.delivery import carriage, pages
from graupel.features.products import belonging, parts
from graupel.features.products.belonging import Belonging
from graupel.features.variants import copying


def register(language: str) -> None:
    """Costs of single goods, which belong to products, and delivery's part of the product editor."""
    said = "JSON_VALUE({side}, '$.product_id')"
    below = "own_carriage oc ON oc.product_id = {product}"
    belonging.register(Belonging("own_carriage", below, "x.product_id", said))
    copying.on_copied(carriage.copy)
    parts.register(
        parts.EditorPart("delivery", "Delivery", "delivery/part.html", pages.part_data, pages.part_mark, "prices")
    )
