"""What buyers choose while ordering: choices, their entries, and with which products they are asked."""

from graupel.core.records import LANGUAGE, Field, FieldKind, Record, ref

BUYER_CHOICE = Record(
    "buyer_choice",
    "Buyer choice",
    "bc",
    (
        ref("product_id", "Product", "product"),
        Field("name", "Name"),
        Field("label", "What buyers read", own=(LANGUAGE,), empty=""),
        Field("kind", "Kind", FieldKind.WORD),
        Field("looks", "Shown as", FieldKind.WORD),
        Field("help", "Help", own=(LANGUAGE,), empty=""),
        Field("needed", "Needed", FieldKind.SWITCH, empty=0),
        Field("message", "Said where it is missing", own=(LANGUAGE,), empty=""),
        Field("default_text", "Default", FieldKind.LINES, empty=""),
        Field("least", "Least", FieldKind.DECIMAL),
        Field("most", "Most", FieldKind.DECIMAL),
        Field("places", "Decimals", FieldKind.COUNT, empty=0),
        Field("first_day", "First day", FieldKind.DAY),
        Field("last_day", "Last day", FieldKind.DAY),
        Field("ahead_days", "Days ahead at the least", FieldKind.COUNT),
        Field("within_days", "Days ahead at the most", FieldKind.COUNT),
        Field("closed_weekdays", "Closed weekdays", FieldKind.CODE, empty=""),
        Field("closed_days", "Closed days", FieldKind.CODE, empty=""),
        Field("file_kinds", "Kinds of file", FieldKind.CODE, empty=""),
        Field("megabytes", "Size at the most", FieldKind.COUNT),
        ref("when_choice_id", "Asked when", "buyer_choice", use="buyer choices", optional=True),
        # Not told as a reference: entries are put back after their choices, and who is waited for can't be taken away.
        Field("when_entry_id", "is", FieldKind.COUNT),
    ),
    private_to="product",
    wholes=(
        ("kind", "looks", "least", "most", "places"),
        ("first_day", "last_day", "ahead_days", "within_days"),
        ("when_choice_id", "when_entry_id"),
    ),
)

CHOICE_ENTRY = Record(
    "choice_entry",
    "Entry of a choice",
    "ce",
    (
        ref("buyer_choice_id", "Buyer choice", "buyer_choice"),
        Field("position", "Place", FieldKind.COUNT),
        Field("label", "Label", own=(LANGUAGE,), empty=""),
        Field("adds_by", "Adds by", FieldKind.WORD, empty=""),
        Field("amount", "Adds", FieldKind.MONEY, empty=0),
        Field("once", "Once per line", FieldKind.SWITCH, empty=0),
        Field("weight_g", "Weight", FieldKind.WEIGHT),
        Field("sku_code", "Added to the SKU", FieldKind.CODE, empty=""),
        Field("unshipped", "Not shipped", FieldKind.SWITCH, empty=0),
        Field("sold_out", "Sold out", FieldKind.SWITCH, empty=0),
        Field("is_default", "Default", FieldKind.SWITCH, empty=0),
        Field("swatch", "Swatch", FieldKind.CODE, empty=""),
        ref("media_id", "Picture", "media", optional=True, use="entries of choices"),
    ),
    parent="buyer_choice",
    wholes=(("adds_by", "amount", "once"),),
)

CHOICE_USE = Record(
    "choice_use",
    "Choice asked with a product",
    "cu",
    (
        ref("product_id", "Product", "product"),
        ref("buyer_choice_id", "Buyer choice", "buyer_choice", use="products", once=("product_id",)),
        Field("position", "Place", FieldKind.COUNT, empty=0),
    ),
    parent="product",
)
