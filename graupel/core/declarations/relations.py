"""Goods that belong together, and the kinds of relation between them."""

from graupel.core.records import LANGUAGE, Field, FieldKind, Record, ref

RELATION_KIND = Record(
    "relation_kind",
    "Kind of relation",
    "rk",
    (
        Field("name", "Name", own=(LANGUAGE,)),
        Field("position", "Place", FieldKind.COUNT, empty=0),
        Field("mutual", "Holds both ways", FieldKind.SWITCH, empty=0),
        Field("offered", "Can go into the basket together", FieldKind.SWITCH, empty=0),
    ),
)

RELATION = Record(
    "relation",
    "Related product",
    "re",
    (
        ref("product_id", "Product", "product"),
        ref("relation_kind_id", "Kind", "relation_kind", use="products", once=("product_id", "other_id")),
        ref("other_id", "Related", "product"),
        Field("position", "Place", FieldKind.COUNT, empty=0),
        Field("less_by", "Costs less together by", FieldKind.WORD, empty=""),
        Field("less", "Costs less together", FieldKind.MONEY, empty=0),
        Field("less_from", "Less from", FieldKind.MOMENT),
        Field("less_until", "Less until", FieldKind.MOMENT),
    ),
    parent="product",
    wholes=(("less_by", "less", "less_from", "less_until"),),
)

RELATION_RULE = Record(
    "relation_rule",
    "Rule of relations",
    "rr",
    (
        ref(
            "relation_kind_id",
            "Kind",
            "relation_kind",
            use="rules of relations",
            once=("of_category_id", "other_category_id"),
        ),
        ref("of_category_id", "Goods of", "category"),
        ref("other_category_id", "With goods of", "category"),
        Field("position", "Place", FieldKind.COUNT, empty=0),
    ),
    parent="relation_kind",
)
