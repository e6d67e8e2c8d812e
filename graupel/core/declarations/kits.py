"""Kits: what a product is made of, and how it is priced then."""

from graupel.core.records import LANGUAGE, Field, FieldKind, Record, ref

KIT = Record(
    "kit",
    "Kit",
    "kt",
    (
        ref("product_id", "Product", "product"),
        Field("priced_by", "Price", FieldKind.WORD, empty="own"),
        Field("percent", "Less percent", FieldKind.DECIMAL, empty=0),
    ),
    parent="product",
    wholes=(("priced_by", "percent"),),
)

KIT_PART = Record(
    "kit_part",
    "Part of a kit",
    "kp",
    (
        ref("product_id", "Product", "product"),
        ref("variant_id", "Part", "variant"),
        Field("quantity", "How many", FieldKind.DECIMAL),
        Field("pick", "Picked by the buyer as", own=(LANGUAGE,), empty=""),
        Field("position", "Place", FieldKind.COUNT, empty=0),
    ),
    parent="product",
)
