"""Brands, tags, product types, attributes and their choices."""

from graupel.core.records import LANGUAGE, Field, FieldKind, Record, ref

BRAND = Record("brand", "Brand", "b", (Field("name", "Name"),))
TAG = Record("tag", "Tag", "g", (Field("name", "Name"),))
TYPE = Record(
    "type",
    "Product type",
    "y",
    (
        Field("name", "Name"),
        Field("code_prefix", "Code prefix", FieldKind.CODE),
        Field("delivered", "Delivered", FieldKind.WORD, empty=""),
        Field("layout", "Layout of articles", FieldKind.WORD, empty=""),
    ),
    table="product_type",
)

ATTRIBUTE = Record(
    "attribute",
    "Attribute",
    "a",
    (
        ref("product_id", "Product", "product"),
        Field("name", "Name", own=(LANGUAGE,)),
        Field("kind", "Kind", FieldKind.WORD),
        Field("family", "Kind of unit", FieldKind.WORD),
        Field("unit", "Unit", FieldKind.CODE),
        Field("unit_fixed", "Always in this unit", FieldKind.SWITCH, empty=0),
        Field("help", "Help", own=(LANGUAGE,)),
    ),
    private_to="product",
)

ATTRIBUTE_CHOICE = Record(
    "attribute_choice",
    "Choice",
    "h",
    (
        ref("attribute_id", "Attribute", "attribute"),
        Field("label", "Label", own=(LANGUAGE,)),
        Field("code", "Code", FieldKind.CODE),
        Field("swatch", "Swatch", FieldKind.CODE),
        ref("swatch_media_id", "Swatch picture", "media", optional=True, use="Swatches"),
        Field("position", "Place", FieldKind.COUNT),
    ),
    parent="attribute",
)

TYPE_ATTRIBUTE = Record(
    "type_attribute",
    "Attribute of a type",
    "w",
    (
        ref("type_id", "Type", "type"),
        ref("attribute_id", "Attribute", "attribute", use="product types", once=("type_id",)),
        Field("group_name", "Group"),
        Field("position", "Place", FieldKind.COUNT),
        Field("need", "Needed", FieldKind.WORD),
        ref("when_attribute_id", "When the attribute", "attribute", use="product types"),
        ref("when_choice_id", "is", "attribute_choice", use="product types"),
        Field("may_differ", "Variants may differ", FieldKind.SWITCH),
    ),
    parent="type",
    wholes=(("when_attribute_id", "when_choice_id"),),
)

TAGGING = Record(
    "tagging",
    "Tag put on",
    "o",
    (
        ref("tag_id", "Tag", "tag", use="records", once=("kind", "record_id")),
        Field("kind", "Kind", FieldKind.WORD),
        ref("record_id", "Record", kinds_in=("kind", (("product", "product"),))),
    ),
    said_of=("kind", "record_id"),
    goes_along=True,
)


def fact_value(use: str, owner: str) -> tuple[Field, ...]:
    """What a fact holds, of a product or of a category: a choice, a number with its unit, or a text.

    ``use``: what such facts are called; ``owner``: the field of the record that they belong to.
    """
    return (
        ref("attribute_id", "Attribute", "attribute", use=use),
        ref("choice_id", "Choice", "attribute_choice", use=use, once=(owner,)),
        Field("number", "Number", FieldKind.DECIMAL),
        Field("unit", "Unit", FieldKind.CODE),
        Field("text", "Text"),
    )


FACT_WHOLES = (("choice_id", "number", "unit", "text"),)
