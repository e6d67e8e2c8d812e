"""Delivery: promises with their countries, for what they stand, costs of single goods, days of work."""

from graupel.core.records import Field, FieldKind, Record, ref

PROMISE = Record(
    "promise",
    "Delivery promise",
    "dp",
    (Field("name", "Name"), Field("cost_by", "Cost goes by", FieldKind.WORD)),
)

PROMISE_ZONE = Record(
    "promise_zone",
    "Countries of a promise",
    "dz",
    (
        ref("promise_id", "Delivery promise", "promise"),
        Field("position", "Place", FieldKind.COUNT),
        Field("countries", "Countries", FieldKind.CODE),
        Field("first_days", "Days from", FieldKind.COUNT),
        Field("last_days", "Days to", FieldKind.COUNT),
        Field("steps", "Cost", empty=""),
        Field("free_from", "Free from", FieldKind.MONEY),
    ),
    parent="promise",
    wholes=(("first_days", "last_days"),),
)

#: For all goods where it names neither type nor category.
PROMISE_FOR = Record(
    "promise_for",
    "Promise stands for",
    "df",
    (
        ref("promise_id", "Delivery promise", "promise"),
        ref("type_id", "Product type", "type", use="delivery promises"),
        ref("category_id", "Category", "category", use="delivery promises"),
    ),
)

#: Without an amount: goods that may not go there.
OWN_CARRIAGE = Record(
    "own_carriage",
    "Own delivery",
    "oc",
    (
        ref("product_id", "Product", "product"),
        Field("country", "Country", FieldKind.COUNTRY),
        Field("amount", "Cost", FieldKind.MONEY),
    ),
    parent="product",
)

WORKING = Record(
    "working",
    "Days of work",
    "wk",
    (
        Field("days", "Days of the week", FieldKind.CODE),
        Field("cut_off", "Cut-off", FieldKind.CODE),
        Field("closed", "Closed on", FieldKind.CODE, empty=""),
    ),
)
