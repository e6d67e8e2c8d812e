"""Brands, tags, product types, attributes and their choices."""

from graupel.core.records import LANGUAGE, Field, Kind, Record, ref

BRAND = Record("brand", "Brand", "b", (Field("name", "Name"),))
TAG = Record("tag", "Tag", "g", (Field("name", "Name"),))
TYPE = Record(
    "type",
    "Product type",
    "y",
    (Field("name", "Name"), Field("code_prefix", "Code prefix", Kind.CODE)),
    table="product_type",
)

ATTRIBUTE = Record(
    "attribute",
    "Attribute",
    "a",
    (
        ref("product_id", "Product", "product"),
        Field("name", "Name", own=(LANGUAGE,)),
        Field("kind", "Kind", Kind.WORD),
        Field("family", "Kind of unit", Kind.WORD),
        Field("unit", "Unit", Kind.CODE),
        Field("help", "Help", own=(LANGUAGE,)),
    ),
)

ATTRIBUTE_CHOICE = Record(
    "attribute_choice",
    "Choice",
    "h",
    (
        ref("attribute_id", "Attribute", "attribute"),
        Field("label", "Label", own=(LANGUAGE,)),
        Field("code", "Code", Kind.CODE),
        Field("swatch", "Swatch", Kind.CODE),
        ref("swatch_media_id", "Swatch picture", "media", optional=True),
        Field("position", "Place", Kind.COUNT),
    ),
    parent="attribute",
)

TYPE_ATTRIBUTE = Record(
    "type_attribute",
    "Attribute of a type",
    "w",
    (
        ref("type_id", "Type", "type"),
        ref("attribute_id", "Attribute", "attribute"),
        Field("group_name", "Group"),
        Field("position", "Place", Kind.COUNT),
        Field("need", "Needed", Kind.WORD),
        ref("when_attribute_id", "When the attribute", "attribute"),
        ref("when_choice_id", "is", "attribute_choice"),
        Field("may_differ", "Variants may differ", Kind.SWITCH),
    ),
    parent="type",
    wholes=(("when_attribute_id", "when_choice_id"),),
)

TAGGING = Record(
    "tagging",
    "Tag put on",
    "o",
    (ref("tag_id", "Tag", "tag"), Field("kind", "Kind", Kind.WORD), ref("record_id", "Record")),
)

#: What a fact holds, of a product or of a category: a choice, a number with its unit, or a text.
FACT_VALUE = (
    ref("attribute_id", "Attribute", "attribute"),
    ref("choice_id", "Choice", "attribute_choice"),
    Field("number", "Number", Kind.DECIMAL),
    Field("unit", "Unit", Kind.CODE),
    Field("text", "Text"),
)
FACT_WHOLES = (("choice_id", "number", "unit", "text"),)
