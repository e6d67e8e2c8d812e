"""Products and their variants; product_parts.py has what else belongs to them."""

from dataclasses import replace

from graupel.core.declarations.product_parts import FACT, PICTURE, PICTURE_FOR, PRODUCT_AXIS, PRODUCT_CATEGORY
from graupel.core.declarations.stock import SELLING
from graupel.core.records import DESTINATION, LANGUAGE, Beside, Field, FieldKind, InFile, Record, ref

#: A product differs by at most so many attributes; a variant has a column for its choice of each.
MOST_AXES = 5
CHOICES = tuple(f"choice_{place}" for place in range(1, MOST_AXES + 1))


def _words(name: str, label: str, kind: FieldKind = FieldKind.LINE, file: InFile | None = None) -> Field:
    """Words of a product: in the table beside it, and in every language."""
    return Field(name, label, kind, own=(LANGUAGE,), beside=True, empty="", file=file)


PRODUCT = Record(
    "product",
    "Product",
    "p",
    (
        Field(
            "code",
            "Product code",
            FieldKind.CODE,
            file=InFile(
                "rows with the same code are variants of one product; a row without SKU speaks of the product alone",
                (
                    "product code",
                    "style number",
                    "style code",
                    "parent sku",
                    "parent code",
                    "produktcode",
                    "modellnummer",
                ),
            ),
        ),
        ref(
            "type_id",
            "Type",
            "type",
            optional=True,
            use="products",
            file=InFile("the name of a product type that is there", ("product type", "produkttyp", "produktart")),
        ),
        _words(
            "name",
            "Name",
            file=InFile(
                "needed for new products",
                ("name", "title", "product name", "product", "bezeichnung", "artikelname", "titel"),
            ),
        ),
        _words(
            "short_text",
            "Short text",
            FieldKind.LINES,
            InFile(
                "a sentence or two",
                (
                    "short text",
                    "short description",
                    "teaser",
                    "kurztext",
                    "kurzbeschreibung",
                    "disambiguatingdescription",
                ),
            ),
        ),
        _words(
            "description",
            "Description",
            FieldKind.RICH,
            InFile("plain text or HTML", ("description", "long description", "text", "details", "beschreibung")),
        ),
        _words("key_points", "Key points", FieldKind.LINES),
        Field(
            "status",
            "Status",
            FieldKind.WORD,
            file=InFile("draft, live or archived; without it new goods are what is chosen for the file", ("status",)),
        ),
        Field(
            "category_id",
            "Category",
            FieldKind.REF,
            "category",
            optional=True,
            use="products",
            file=InFile(
                "a path such as Yarn > Aran; made where it is not there yet",
                ("category", "category path", "product category", "kategorie", "warengruppe"),
            ),
        ),
        Field("first_place", "Stands before others", FieldKind.COUNT),
        ref(
            "brand_id",
            "Brand",
            "brand",
            optional=True,
            use="products",
            file=InFile("its name; made where it is not there yet", ("brand", "brand name", "marke", "hersteller")),
        ),
        Field("mpn", "Part number", FieldKind.CODE, empty=""),
        Field("price", "Price", FieldKind.MONEY, own=(DESTINATION,)),
        Field("list_price", "List price", FieldKind.MONEY, own=(DESTINATION,)),
        Field("cost", "Cost", FieldKind.MONEY),
        Field("buyer_raises", "Buyers may pay more", FieldKind.SWITCH, empty=0),
        Field("suggested_price", "Suggested price", FieldKind.MONEY),
        ref(
            "tax_class_id",
            "Tax class",
            "tax_class",
            optional=True,
            file=InFile("the name of a tax class that is there", ("tax class", "vat class", "steuerklasse")),
        ),
        Field("contents", "Contents", FieldKind.CODE, many=True),
        Field("priced_per", "Price told per", FieldKind.CODE, empty=""),
        Field("weight_g", "Weight", FieldKind.WEIGHT),
        Field("origin_country", "Country of origin", FieldKind.COUNTRY, many=True, listed=True, facet=True),
        *(replace(one, file=None) for one in SELLING),  # a file says them of variants
        Field("sold_in", "Sold in", FieldKind.CODE, empty=""),
        Field(
            "delivered",
            "Delivered",
            FieldKind.WORD,
            empty="",
            file=InFile("shipped, downloaded or service", ("delivered", "delivery kind", "lieferart")),
        ),
        ref("promise_id", "Delivery promise", "promise", optional=True),
        Field("packed_size", "Packed size", FieldKind.CODE, many=True),
        Field("customs_code", "Customs code", FieldKind.CODE, many=True),
        Field(
            "customs_value",
            "Value for customs",
            FieldKind.MONEY,
            file=InFile("12.50, in the shop's currency", ("customs value", "zollwert")),
        ),
        Field("sku_pattern", "SKU pattern", empty=""),
        _words("address_part", "Address part"),
        Field("canonical", "Canonical address", empty=""),
        _words("meta_title", "Meta title"),
        _words("meta_description", "Meta description", FieldKind.LINES),
        _words(
            "search_words",
            "Search words",
            file=InFile(
                "what buyers may call it, parted by commas", ("search words", "synonyms", "keywords", "suchbegriffe")
            ),
        ),
        _words("sent_note", "Note when it is sent", FieldKind.LINES),
    ),
    beside=Beside("product_text", "t", "product_id"),
    revived=(
        ("made_at", "UTC_TIMESTAMP(3)"),
        ("changed_at", "UTC_TIMESTAMP(3)"),
        ("was_live", "COALESCE(JSON_VALUE(r.became, '$.status') = 'live', FALSE)"),
    ),
    kept_up=(("was_live", "p.was_live OR COALESCE(JSON_VALUE(r.became, '$.status') = 'live', FALSE)"),),
    stamped=True,
)

VARIANT = Record(
    "variant",
    "Variant",
    "v",
    (
        ref("product_id", "Product", "product"),
        Field(
            "sku",
            "SKU",
            FieldKind.CODE,
            file=InFile(
                "finds the product; a new one is made where it is not there yet",
                ("sku", "item number", "item no", "article number", "stock keeping unit", "artikelnummer"),
            ),
        ),
        Field(
            "price",
            "Price",
            FieldKind.MONEY,
            own=(DESTINATION,),
            inherits=True,
            many=True,
            file=InFile(
                "12.50 or 12,50, in the shop's currency",
                ("price", "unit price", "selling price", "price eur", "preis", "verkaufspreis"),
            ),
        ),
        Field(
            "list_price",
            "List price",
            FieldKind.MONEY,
            own=(DESTINATION,),
            inherits=True,
            many=True,
            file=InFile(
                "the reference price that is crossed out",
                ("list price", "rrp", "recommended retail price", "listenpreis", "uvp"),
            ),
        ),
        Field(
            "cost",
            "Cost",
            FieldKind.MONEY,
            inherits=True,
            many=True,
            file=InFile(
                "what was paid for a piece", ("cost", "purchase price", "unit cost", "einkaufspreis", "kosten")
            ),
        ),
        Field(
            "weight_g",
            "Weight",
            FieldKind.WEIGHT,
            inherits=True,
            many=True,
            file=InFile(
                "250, 250 g or 1.2 kg; a bare number is grams",
                ("weight", "weight g", "weight grams", "weight value", "net weight", "gewicht"),
            ),
        ),
        Field(
            "origin_country",
            "Country of origin",
            FieldKind.COUNTRY,
            inherits=True,
            many=True,
            file=InFile(
                "a name such as Portugal, or a code such as PT",
                (
                    "country of origin",
                    "origin",
                    "made in",
                    "origin country",
                    "ursprungsland",
                    "herkunft",
                    "herkunftsland",
                ),
            ),
        ),
        Field(
            "contents",
            "Contents",
            FieldKind.CODE,
            inherits=True,
            many=True,
            file=InFile(
                "50 g, 25 m or 0.75 l: what the price per unit of measure is worked out from",
                ("contents", "content", "net contents", "net quantity", "inhalt", "füllmenge"),
            ),
        ),
        *(replace(one, inherits=True) for one in SELLING),
        Field(
            "packed_size",
            "Packed size",
            FieldKind.CODE,
            inherits=True,
            many=True,
            file=InFile("30 x 20 x 5 cm", ("packed size", "package size", "dimensions", "packmaß", "verpackungsmaß")),
        ),
        Field(
            "customs_code",
            "Customs code",
            FieldKind.CODE,
            inherits=True,
            many=True,
            file=InFile(
                "six to ten digits of the Harmonized System",
                ("customs code", "hs code", "tariff code", "commodity code", "zolltarifnummer"),
            ),
        ),
        Field(
            "gtin",
            "GTIN",
            FieldKind.CODE,
            file=InFile("8, 12, 13 or 14 digits", ("gtin", "ean", "upc", "barcode", "ean code", "gtin 13")),
        ),
        Field(
            "elsewhere",
            "Id elsewhere",
            FieldKind.CODE,
            file=InFile(
                "by which another system of yours, such as the accounts, knows this variant",
                ("id elsewhere", "external id", "foreign id", "id in other system", "fremd-id", "externe id"),
            ),
        ),
        Field(
            "mpn",
            "Part number",
            FieldKind.CODE,
            empty="",
            file=InFile(
                "what its maker calls it", ("part number", "mpn", "manufacturer part number", "herstellernummer")
            ),
        ),
        Field(
            "stock",
            "Stock",
            FieldKind.QUANTITY,
            many=True,
            booked=True,
            file=InFile(
                "how many were there when the file came in; what was sold since is taken off",
                ("stock", "quantity", "qty", "on hand", "in stock", "bestand", "lagerbestand", "menge"),
            ),
        ),
        Field("archived", "Archived", FieldKind.SWITCH, empty=0, many=True),
        *(
            ref(name, f"Choice {place}", "attribute_choice", use="variants")
            for place, name in enumerate(CHOICES, start=1)
        ),
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
        Field("lang", "Language", FieldKind.CODE),
        Field("name", "Name", own=(LANGUAGE,)),
        Field("short_text", "Short text", FieldKind.LINES, own=(LANGUAGE,)),
    ),
    parent="variant",
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
MONEY = tuple(field.name for field in PRODUCT.fields if field.kind is FieldKind.MONEY)
#: What variants inherit, and the only variant of a product that does not vary keeps for its product.
INHERITED = tuple(field.name for field in VARIANT.fields if field.inherits)
MOVES_UP = INHERITED
QUANTITIES = tuple(field.name for field in VARIANT.fields if field.kind is FieldKind.QUANTITY and not field.booked)
DAYS = tuple(field.name for field in VARIANT.fields if field.kind is FieldKind.DAY)
#: Fields that come and go with files: those of the variant, which its product may hold for it, and the product's.
IN_FILES = {field.name: field for record in (VARIANT, PRODUCT) for field in record.fields if field.file}
#: Fields of the product that may be columns, and facets, of the table without a rule of their own.
LISTED = tuple(field for field in PRODUCT.fields if field.listed)
FACETS = tuple(field for field in PRODUCT.fields if field.facet)
