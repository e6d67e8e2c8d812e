"""What buyers write of goods, and of which they may."""

from graupel.core.records import Field, FieldKind, Record, ref

REVIEW_SWITCH = Record(
    "review_switch",
    "Reviews",
    "rw",
    (ref("product_id", "Product", "product"), Field("allowed", "Buyers may review it", FieldKind.SWITCH, empty=0)),
    parent="product",
)

REVIEW = Record(
    "review",
    "Review",
    "rv",
    (
        ref("product_id", "Product", "product"),
        Field("lang", "Language", FieldKind.CODE),
        Field("name", "By"),
        Field("stars", "Stars", FieldKind.COUNT),
        Field("said", "Review", FieldKind.LINES),
        Field("state", "Stands", FieldKind.WORD),
        Field("answer", "Answer", FieldKind.LINES, empty=""),
        Field("reason", "Reported because", empty=""),
    ),
    parent="product",
)
