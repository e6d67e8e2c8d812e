"""Products, their variants, and what belongs to them."""

from graupel.core.declarations.vocabulary import FACT_VALUE, FACT_WHOLES
from graupel.core.records import DESTINATION, LANGUAGE, Beside, Field, Kind, Record, ref

#: A product differs by at most so many attributes; a variant has a column for its choice of each.
MOST_AXES = 5
CHOICES = tuple(f"choice_{place}" for place in range(1, MOST_AXES + 1))


def _words(name: str, label: str, kind: Kind = Kind.LINE) -> Field:
    """Words of a product: in the table beside it, and in every language."""
    return Field(name, label, kind, own=(LANGUAGE,), beside=True, empty="")


PRODUCT = Record(
    "product",
    "Product",
    "p",
    (
        Field("code", "Product code", Kind.CODE),
        ref("type_id", "Type", "type", optional=True),
        _words("name", "Name"),
        _words("short_text", "Short text", Kind.LINES),
        _words("description", "Description", Kind.RICH),
        _words("key_points", "Key points", Kind.LINES),
        Field("status", "Status", Kind.WORD),
        ref("category_id", "Category", "category", optional=True),
        ref("brand_id", "Brand", "brand", optional=True),
        Field("mpn", "Manufacturer part number", Kind.CODE, empty=""),
        Field("price", "Price", Kind.MONEY, own=(DESTINATION,)),
        Field("list_price", "List price", Kind.MONEY, own=(DESTINATION,)),
        Field("cost", "Cost", Kind.MONEY),
        Field("weight_g", "Weight", Kind.WEIGHT),
        Field("sells_without_stock", "Sells without stock", Kind.SWITCH, empty=0),
        Field("sku_pattern", "SKU pattern", empty=""),
        _words("address_part", "Address part"),
        Field("canonical", "Canonical address", empty=""),
        _words("meta_title", "Meta title"),
        _words("meta_description", "Meta description", Kind.LINES),
    ),
    beside=Beside("product_text", "t", "product_id"),
    revived=(("made_at", "UTC_TIMESTAMP(3)"), ("changed_at", "UTC_TIMESTAMP(3)")),
    stamped=True,
)

VARIANT = Record(
    "variant",
    "Variant",
    "v",
    (
        ref("product_id", "Product", "product"),
        Field("sku", "SKU", Kind.CODE),
        Field("price", "Price", Kind.MONEY, own=(DESTINATION,), inherits=True),
        Field("list_price", "List price", Kind.MONEY, own=(DESTINATION,), inherits=True),
        Field("cost", "Cost", Kind.MONEY, inherits=True),
        Field("weight_g", "Weight", Kind.WEIGHT, inherits=True),
        Field("sells_without_stock", "Sells without stock", Kind.SWITCH, inherits=True),
        Field("gtin", "GTIN", Kind.CODE),
        Field("mpn", "Manufacturer part number", Kind.CODE, empty=""),
        Field("stock", "Stock", Kind.COUNT),
        Field("archived", "Archived", Kind.SWITCH, empty=0),
        *(ref(name, f"Choice {place}", "attribute_choice") for place, name in enumerate(CHOICES, start=1)),
    ),
    parent="product",
    wholes=(CHOICES,),
)

VARIANT_TEXT = Record(
    "variant_text",
    "Variant's text",
    "vt",
    (
        ref("variant_id", "Variant", "variant"),
        Field("lang", "Language", Kind.CODE),
        Field("name", "Name", own=(LANGUAGE,)),
        Field("short_text", "Short text", Kind.LINES, own=(LANGUAGE,)),
    ),
    parent="variant",
)

PRODUCT_AXIS = Record(
    "product_axis",
    "Differs by",
    "x",
    (
        ref("product_id", "Product", "product"),
        ref("attribute_id", "Attribute", "attribute"),
        Field("position", "Place", Kind.COUNT),
    ),
    parent="product",
)

PRODUCT_CATEGORY = Record(
    "product_category",
    "Further category",
    "pc",
    (ref("product_id", "Product", "product"), ref("category_id", "Category", "category")),
    parent="product",
)

FACT = Record(
    "fact",
    "Fact",
    "f",
    (ref("product_id", "Product", "product"), *FACT_VALUE),
    parent="product",
    wholes=FACT_WHOLES,
)

PICTURE = Record(
    "picture",
    "Picture",
    "c",
    (
        ref("product_id", "Product", "product"),
        ref("media_id", "Picture file", "media"),
        Field("position", "Place", Kind.COUNT),
        Field("alt", "Alt text", own=(LANGUAGE,)),
        Field("title", "Title", own=(LANGUAGE,)),
    ),
    parent="product",
)

PICTURE_FOR = Record(
    "picture_for",
    "Picture belongs to",
    "pf",
    (
        ref("product_id", "Product", "product"),
        ref("picture_id", "Picture", "picture"),
        ref("variant_id", "Variant", "variant"),
        ref("choice_id", "Choice", "attribute_choice"),
    ),
    parent="product",
)

#: Parents before what belongs to them.
RECORDS = (
    PRODUCT,
    VARIANT,
    VARIANT_TEXT,
    PRODUCT_AXIS,
    PRODUCT_CATEGORY,
    FACT,
    PICTURE,
    PICTURE_FOR,
)
#: What may be written anew for a language, and what for a destination, of products and of variants.
WORDS = PRODUCT.own(LANGUAGE)
VARIANT_WORDS = VARIANT_TEXT.own(LANGUAGE)
AMOUNTS = PRODUCT.own(DESTINATION)
MONEY = tuple(field.name for field in PRODUCT.fields if field.kind is Kind.MONEY)
#: What variants inherit, and what of it the only variant of a product that does not vary keeps for its product. The
#: switch of selling without stock stays with the product.
INHERITED = tuple(field.name for field in VARIANT.fields if field.inherits)
MOVES_UP = tuple(name for name in INHERITED if name != "sells_without_stock")
