"""Shops."""

from graupel.core.records import Field, FieldKind, Record

SHOP = Record(
    "shop",
    "Shop",
    "so",
    (
        Field("name", "Name"),
        Field("address_part", "Address part"),
        Field("languages", "Languages", FieldKind.CODE),
        Field("currency", "Currency", FieldKind.CODE),
        Field("shows", "Shows", FieldKind.WORD),
    ),
)
