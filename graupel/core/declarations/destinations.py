"""Shops."""

from graupel.core.records import Field, Kind, Record

SHOP = Record(
    "shop",
    "Shop",
    "so",
    (
        Field("name", "Name"),
        Field("address_part", "Address part"),
        Field("languages", "Languages", Kind.CODE),
        Field("currency", "Currency", Kind.CODE),
        Field("shows", "Shows", Kind.WORD),
    ),
)
