"""Conditions, and the goods of shops."""

from graupel.core.records import Field, FieldKind, Record, ref

CONDITION = Record(
    "goods_condition",
    "Condition",
    "gc",
    (
        Field("owner", "Of", FieldKind.WORD),
        ref("owner_id", "Record"),
        Field("position", "Place", FieldKind.COUNT),
        Field("field", "Field", FieldKind.WORD),
        Field("op", "Comparison", FieldKind.WORD),
        ref(
            "ref_id",
            "Word",
            optional=True,
            use="conditions",
            kinds_in=(
                "field",
                (("brand", "brand"), ("tag", "tag"), ("type", "type"), ("choice", "attribute_choice")),
            ),
        ),
        Field("value", "Value"),
    ),
    said_of=("owner", "owner_id"),
)

SHOP_GOODS = Record(
    "shop_goods",
    "Goods of a shop",
    "sx",
    (
        ref("shop_id", "Shop"),
        Field("kind", "Kind", FieldKind.WORD),
        ref("record_id", "Record"),
        Field("left_out", "Left out", FieldKind.SWITCH),
    ),
    private_to="shop",
)
