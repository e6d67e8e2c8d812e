"""What belongs to products beside their variants: by what they differ, where they stand, facts and pictures."""

from graupel.core.declarations.vocabulary import FACT_WHOLES, fact_value
from graupel.core.records import LANGUAGE, Field, FieldKind, Record, ref

PRODUCT_AXIS = Record(
    "product_axis",
    "Differs by",
    "x",
    (
        ref("product_id", "Product", "product"),
        ref("attribute_id", "Attribute", "attribute", use="products that differ by it"),
        Field("position", "Place", FieldKind.COUNT),
    ),
    parent="product",
)

PRODUCT_CATEGORY = Record(
    "product_category",
    "Further category",
    "pc",
    (
        ref("product_id", "Product", "product"),
        ref("category_id", "Category", "category", use="further places of products", once=("product_id",)),
    ),
    parent="product",
)

FACT = Record(
    "fact",
    "Fact",
    "f",
    (ref("product_id", "Product", "product"), *fact_value("facts of products", "product_id")),
    parent="product",
    wholes=FACT_WHOLES,
)

PICTURE = Record(
    "picture",
    "Picture",
    "c",
    (
        ref("product_id", "Product", "product"),
        ref("media_id", "Picture file", "media", use="Products", once=("product_id",)),
        Field("position", "Place", FieldKind.COUNT),
        Field("alt", "Alt text", own=(LANGUAGE,)),
        Field("title", "Title", own=(LANGUAGE,)),
    ),
    parent="product",
)

PICTURE_FOR = Record(
    "picture_for",
    "Picture belongs to",
    "pf",
    (
        ref("product_id", "Product", "product"),
        ref("picture_id", "Picture", "picture"),
        ref("variant_id", "Variant", "variant"),
        ref("choice_id", "Choice", "attribute_choice", use="pictures of products", once=("picture_id",)),
    ),
    parent="product",
)
