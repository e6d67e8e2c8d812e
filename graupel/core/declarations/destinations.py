"""Shops, and what a destination makes of the catalogue's prices."""

from graupel.core.records import Field, FieldKind, Record, ref

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

#: ``destination``: "" for the catalogue and its own shop. What is said of taxes, and from which change of a price on it
#: is worth a look, stands with that one alone.
SELLING_TERMS = Record(
    "selling_terms",
    "Terms of sale",
    "st",
    (
        Field("destination", "Destination", FieldKind.CODE),
        Field("rate", "Exchange rate", FieldKind.DECIMAL),
        Field("rate_on", "Rate of", FieldKind.DAY),
        Field("percent", "Percentage", FieldKind.DECIMAL, empty=0),
        Field("amount", "Amount", FieldKind.MONEY, empty=0),
        Field("ending", "Price ending", FieldKind.CODE, empty=""),
        Field("country", "Country", FieldKind.COUNTRY),
        Field("tax_shown", "Prices shown", FieldKind.WORD),
        Field("shows_lowest", "Shows the lowest price of 30 days", FieldKind.SWITCH, empty=0),
        Field("typed_with_tax", "Prices are typed with tax", FieldKind.SWITCH, empty=1),
        ref("goods_class_id", "Tax class of goods", "tax_class", optional=True),
        ref("delivery_class_id", "Tax class of delivery", "tax_class", optional=True),
        Field("jump_percent", "A change of a price worth a look", FieldKind.COUNT),
    ),
    wholes=(("rate", "rate_on"),),
)
