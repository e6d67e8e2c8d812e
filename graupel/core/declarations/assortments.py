"""Conditions, and the goods of shops."""

from graupel.core.records import Field, Kind, Record, ref

CONDITION = Record(
    "goods_condition",
    "Condition",
    "gc",
    (
        Field("owner", "Of", Kind.WORD),
        ref("owner_id", "Record"),
        Field("position", "Place", Kind.COUNT),
        Field("field", "Field", Kind.WORD),
        Field("op", "Comparison", Kind.WORD),
        ref("ref_id", "Word", optional=True),
        Field("value", "Value"),
    ),
)

SHOP_GOODS = Record(
    "shop_goods",
    "Goods of a shop",
    "sx",
    (
        ref("shop_id", "Shop"),
        Field("kind", "Kind", Kind.WORD),
        ref("record_id", "Record"),
        Field("left_out", "Left out", Kind.SWITCH),
    ),
)
