"""Stock: locations, what is counted, the record of what changed; and how goods are sold."""

from graupel.core.records import Field, FieldKind, Record, ref

#: What the shop, a type, a product and a variant may each say of how goods are sold; NULL: as the one above.
RULES = (
    Field("at_zero", "When none is left", FieldKind.WORD, many=True),
    Field("zero_limit", "Goes on for", FieldKind.QUANTITY, many=True),
    Field("held_back", "Held back", FieldKind.QUANTITY, many=True),
    Field("least_stock", "Fewer do not count", FieldKind.QUANTITY, many=True),
    Field("low_stock", "Reported below", FieldKind.QUANTITY, many=True),
    Field("order_least", "At least per order", FieldKind.QUANTITY, many=True),
    Field("order_most", "At most per order", FieldKind.QUANTITY, many=True),
    Field("order_step", "Ordered in steps of", FieldKind.QUANTITY, many=True),
)
#: What goods say beside these.
SELLING = (
    Field("sells", "Sold", FieldKind.WORD, many=True),
    *RULES[:5],
    Field("back_on", "Back on", FieldKind.DAY, many=True),
    Field("coming_on", "Coming on", FieldKind.DAY, many=True),
    *RULES[5:],
)

LOCATION = Record("location", "Location", "lo", (Field("name", "Name"), Field("position", "Place", FieldKind.COUNT)))

#: Of the shop where it names no type.
SELLING_RULES = Record(
    "selling_rules", "Rules of selling", "sr", (ref("type_id", "Product type", "type", use="rules of selling"), *RULES)
)

#: Whether a variant is counted; what is there of it follows from its entries.
STOCK = Record(
    "stock",
    "Counting",
    "sk",
    (ref("product_id", "Product", "product"), Field("counted", "Counted", FieldKind.SWITCH, empty=0)),
    parent="product",
)

STOCK_ENTRY = Record(
    "stock_entry",
    "Stock",
    "se",
    (
        ref("product_id", "Product", "product"),
        ref("variant_id", "Variant", "variant"),
        ref("location_id", "Location", "location"),
        Field("amount", "Change", FieldKind.QUANTITY),
        Field("reason", "Reason", FieldKind.WORD),
    ),
    parent="product",
)

#: That a day began on which goods are back or not only announced any more: for the record alone.
SHOP_DAY = Record("shop_day", "What the day did to goods", "sd", (Field("day", "Day", FieldKind.DAY),))

STOCK_NOTICE = Record("stock_notice", "Notices of stock", "sn", (Field("mails", "Mail to", empty=""),))

ORDER = Record(
    "order",
    "Order",
    "od",
    (Field("destination", "At", FieldKind.CODE, empty=""), Field("code", "Number", FieldKind.CODE)),
    table="shop_order",
)

ORDER_LINE = Record(
    "order_line",
    "Line of an order",
    "ol",
    (
        ref("order_id", "Order", "order"),
        ref("product_id", "Product", "product"),
        ref("variant_id", "Variant", "variant"),
        Field("sku", "SKU", FieldKind.CODE),
        Field("reserved", "Reserved", FieldKind.QUANTITY, empty=0),
        Field("taken", "Taken", FieldKind.QUANTITY, empty=0),
        Field("returned", "Returned", FieldKind.QUANTITY, empty=0),
    ),
    parent="product",
)
