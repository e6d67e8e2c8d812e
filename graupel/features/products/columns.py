"""Columns of products and variants, and what variants inherit, as SQL made from the declaration."""

from graupel.core.declarations.products import CHOICES, INHERITED, PRODUCT, VARIANT

#: A product that differs by nothing keeps in its only variant what variants else inherit.
VARIES = "EXISTS (SELECT 1 FROM product_axis ax WHERE ax.product_id = {product})"
PRODUCT_COLUMNS = PRODUCT.columns()
TEXT_COLUMNS = PRODUCT.columns(beside=True)
VARIANT_COLUMNS = VARIANT.columns()


def inherited_sql(name: str, variant: str = "v", product: str = "p") -> str:
    """What holds for a variant, as the catalogue is written: its own value, else its product's.

    ``core.resolve.inherited`` says the same for one. Raises KeyError where variants do not inherit the field.
    """
    if name not in INHERITED:
        raise KeyError(name)
    return f"COALESCE({variant}.{name}, {product}.{name})"


def choice_pairs(where: str) -> list[str]:
    """SELECTs of (product id, choice id) for each of a variant's columns of choices."""
    return [f"SELECT product_id, {name} FROM variant WHERE {name} IS NOT NULL AND {where}" for name in CHOICES]
