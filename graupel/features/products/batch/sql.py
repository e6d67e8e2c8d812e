"""SQL of what the rows of a batch say, as it is written."""

from graupel.core.declarations.products import PRODUCT
from graupel.features.products.batch import groups as batch_groups
from graupel.features.products.batch.spoken import Spoken, said_or_empty

#: SQL by column: the record that a row names, among those that were there and those that were just made.
REF_IDS = {
    "category_id": """COALESCE(b.category_id,
        (SELECT m.category_id FROM made_category m WHERE m.path = b.category LIMIT 1))""",
    "brand_id": "COALESCE(b.brand_id, (SELECT m.brand_id FROM made_brand m WHERE m.name = b.brand LIMIT 1))",
}
#: A row with the ids of what it makes.
MADE = "batch_row b STRAIGHT_JOIN batch_made n ON n.line = b.line"


def said(name: str) -> str:
    """SQL: what the batch says of a field, NULL where it says nothing."""
    return REF_IDS.get(name) or f"b.{name}"


#: The ids of what rows make, where no more is asked of these: to read them again for it costs more than to write it.
IDS, IDS_RANGE = "batch_made n", "n.line >= %(first)s AND n.line < %(beyond)s"
RANGE = "b.batch_id = %(batch)s AND b.line >= %(first)s AND b.line < %(beyond)s"


def becomes(name: str, of: Spoken) -> str:
    """SQL: what a field becomes that a row changes."""
    return said_or_empty(name, said(name)) if name in of.product and name in of.cleared else said(name)


def kept_or_said(name: str, of: Spoken) -> str:
    """SQL: what a field of a product is after the file."""
    return becomes(name, of) if name in of.cleared else f"COALESCE({said(name)}, {PRODUCT.column(name)})"


def new_value(name: str) -> str:
    """SQL: what the batch says of a field of a new product, or what that is where nothing is said."""
    return said_or_empty(name, said(name))


def for_variants(name: str) -> str:
    """SQL: what a new product holds for its variants: what is said of it in a row without a SKU, if it varies."""
    varies = "EXISTS (SELECT 1 FROM batch_axis a WHERE a.batch_id = b.batch_id AND a.line = b.line)"
    return f"IF({batch_groups.IS_PARENT} AND {varies}, b.{name}, NULL)"


def was_live(of: Spoken) -> str:
    """SQL of a SET that notes that a product was shown, where the file says anything of that."""
    return "p.was_live = p.was_live OR b.status <=> 'live', " if "status" in of.product else ""
