"""Stock: locations, what is counted, the record of what changed; and how goods are sold."""

from graupel.core.records import Field, FieldKind, InFile, Record, ref


def _quantity(name: str, label: str, help: str, headers: tuple[str, ...]) -> Field:
    return Field(name, label, FieldKind.QUANTITY, many=True, file=InFile(help, headers))


def _day(name: str, label: str, help: str, headers: tuple[str, ...]) -> Field:
    return Field(name, label, FieldKind.DAY, many=True, file=InFile(f"{help}, such as 2026-12-24", headers))


#: What the shop, a type, a product and a variant may each say of how goods are sold; NULL: as the one above.
RULES = (
    Field(
        "at_zero",
        "When none is left",
        FieldKind.WORD,
        many=True,
        file=InFile("stop, go on, limit or hide", ("at zero", "when none is left", "wenn ausverkauft")),
    ),
    _quantity("zero_limit", "Goes on for", "so many beyond what is there", ("sold beyond stock", "überverkauf bis")),
    _quantity("held_back", "Held back", "kept from sale", ("held back", "zurückgehalten")),
    _quantity("least_stock", "Fewer do not count", "with fewer it counts as none", ("least stock", "mindestbestand")),
    _quantity("low_stock", "Reported below", "below it, it is reported", ("report below", "low stock", "meldebestand")),
    _quantity(
        "order_least",
        "At least per order",
        "the fewest of an order",
        ("least per order", "minimum order quantity", "mindestbestellmenge"),
    ),
    _quantity(
        "order_most",
        "At most per order",
        "the most of an order",
        ("most per order", "maximum order quantity", "höchstbestellmenge"),
    ),
    _quantity(
        "order_step",
        "Ordered in steps of",
        "6 for packs of six, 0.1 for a tenth",
        ("order step", "order multiple", "bestellschritt"),
    ),
)
#: What goods say beside these.
SELLING = (
    Field(
        "sells",
        "Sold",
        FieldKind.WORD,
        many=True,
        file=InFile("by stock, always or never", ("sold", "sells", "verkauf")),
    ),
    *RULES[:5],
    _day("back_on", "Back on", "the day on which it is back", ("back on", "restock date", "wieder da am")),
    _day(
        "coming_on", "Coming on", "before that day it is only announced", ("coming on", "release date", "erscheint am")
    ),
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
    (
        Field("destination", "At", FieldKind.CODE, empty=""),
        Field("code", "Number", FieldKind.CODE),
        Field("paid", "Paid", FieldKind.SWITCH, empty=0),
        Field("sent", "Sent", FieldKind.SWITCH, empty=0),
        Field("cancelled", "Cancelled", FieldKind.SWITCH, empty=0),
        Field("returned", "Came back", FieldKind.SWITCH, empty=0),
    ),
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

#: How orders go, said once.
ORDER_RULES = Record(
    "order_rules",
    "How orders go",
    "orr",
    (
        Field("transfer", "Paid by transfer", FieldKind.SWITCH, empty=0),
        Field("transfer_to", "Transferred to", FieldKind.LINES, empty=""),
        Field("mails", "Mail to", empty=""),
        Field("gives_at", "Downloads are given when", FieldKind.WORD, empty="paid"),
    ),
)
