"""Terms of sale: taxes, promotions, sales, and prices by quantity."""

from graupel.core.records import Field, FieldKind, Record, ref

TAX_CLASS = Record("tax_class", "Tax class", "tc", (Field("name", "Name"),))

TAX_RATE = Record(
    "tax_rate",
    "Tax rate",
    "tr",
    (
        ref("tax_class_id", "Tax class", "tax_class"),
        Field("country", "Country", FieldKind.COUNTRY),
        Field("begins", "From", FieldKind.DAY),
        Field("percent", "Percentage", FieldKind.DECIMAL, empty=0),
        Field("amount", "Charge a piece", FieldKind.MONEY, empty=0),
    ),
    parent="tax_class",
    wholes=(("country", "begins"),),
)

PROMOTION = Record(
    "promotion",
    "Promotion",
    "pm",
    (
        Field("code", "Id", FieldKind.CODE),
        Field("name", "Name"),
        Field("kind", "Kind", FieldKind.WORD),
        Field("begins", "Begins", FieldKind.MOMENT),
        Field("ends", "Ends", FieldKind.MOMENT),
    ),
    wholes=(("begins", "ends"),),
)

SALE = Record(
    "sale",
    "Sale",
    "sa",
    (
        Field("title", "Title", empty=""),
        ref("promotion_id", "Promotion", "promotion", optional=True),
        Field("reach", "For", FieldKind.WORD),
        Field("destination", "At", FieldKind.CODE, empty=""),
        Field("takes_off", "What it takes off", FieldKind.WORD),
        Field("amount", "Amount", FieldKind.MONEY),
        Field("ends_so", "With the price ending", FieldKind.SWITCH, empty=0),
        Field("joined", "Joined to quantity prices", FieldKind.SWITCH, empty=0),
        Field("begins", "Begins", FieldKind.MOMENT),
        Field("ends", "Ends", FieldKind.MOMENT),
    ),
    wholes=(("begins", "ends"), ("takes_off", "amount")),
)

SALE_GOODS = Record(
    "sale_goods",
    "Goods of a sale",
    "sg",
    (
        ref("sale_id", "Sale", "sale"),
        ref("product_id", "Product", "product"),
        ref("variant_id", "Variant", "variant"),
        ref("choice_id", "Choice", "attribute_choice", use="sales", once=("sale_id", "product_id")),
    ),
    parent="sale",
)

QUANTITY_PRICE = Record(
    "quantity_price",
    "Quantity price",
    "qp",
    (
        ref("product_id", "Product", "product"),
        ref("variant_id", "Variant", "variant"),
        Field("destination", "At", FieldKind.CODE, empty=""),
        Field("from_quantity", "From", FieldKind.COUNT),
        Field("takes_off", "What it takes off", FieldKind.WORD),
        Field("amount", "Amount", FieldKind.MONEY),
    ),
    parent="product",
    wholes=(("takes_off", "amount"),),
)

#: That a sale began or ended: for the record alone.
SALE_MOMENT = Record(
    "sale_moment",
    "What time did to a sale",
    "sm",
    (ref("sale_id", "Sale", "sale"), Field("what", "It", FieldKind.WORD)),
)
