"""The columns of files whose rows are no goods, declared: what each is called, and how its cells are read."""

from collections.abc import Callable, Mapping

from graupel.core import attributes, categories
from graupel.core.attributes import AttributeKind
from graupel.core.categories import CategoryKind, Layout, parse_category_path
from graupel.core.delivery import Way
from graupel.core.product_types import ArticleLayout, Need, parse_prefix
from graupel.core.record_cells import goods, line, moment, names, of_category, one_of, place, switch, unit, when
from graupel.core.record_files import RecordColumn, RowsAre
from graupel.core.records import FieldKind

PLACES = {str(one): str(one) for one in CategoryKind}
LAYOUTS = {str(one): categories.LAYOUT_WORDS[one][0].lower() for one in Layout}
VALUES = {str(one): attributes.KIND_WORDS[one].lower() for one in AttributeKind}
WAYS = {str(one): str(one) for one in Way}
ARTICLES = {"": "beside"} | {str(one): str(one) for one in ArticleLayout if one}
NEEDS = {str(one): str(one) for one in Need}


def _new_name(read: Callable[[str], str], of: str = "", its: str = "name") -> RecordColumn:
    """What a record is to be called, beside the name by which it is found; ``of``: which of those that a row means."""
    headers: tuple[str, ...] = ("new name", "neuer name")
    if of:
        headers = (f"new {of}", f"new {of} {its}")
    name, label = f"new_{of or 'name'}", f"New {its} of the {of}" if of else "New name"
    return RecordColumn(name, label, "what it is to be called", headers, read, kept=True)


def _file_name(text: str) -> str:
    """What names a file."""
    return " ".join(text.split())[:2_000]


_CATEGORY = (
    RecordColumn(
        "path",
        "Category",
        "its path, such as Yarn > Aran; made where it is not there yet, with what is missing above it",
        ("category", "category path", "path", "kategorie", "kategoriepfad", "pfad"),
        parse_category_path,
        kept=True,
    ),
    RecordColumn(
        "new_path",
        "New path",
        "where it is to stand, and what it is to be called, such as Wool > Aran; what is below it goes with it",
        ("new path", "new category", "neuer pfad"),
        parse_category_path,
        kept=True,
    ),
    RecordColumn(
        "place",
        "Place",
        "where it stands among those beside it: 1 is the first",
        ("place", "position", "platz"),
        place,
        FieldKind.COUNT,
        kept=True,
    ),
    RecordColumn(
        "kind",
        "Kind",
        "goods, page, heading or link",
        ("kind", "art"),
        one_of(PLACES, "kind of place"),
        kept=True,
    ),
    RecordColumn("shown", "Shown", "yes or no", ("shown", "visible", "sichtbar"), switch, kept=True),
    RecordColumn(
        "in_navigation", "In the navigation", "yes or no", ("in the navigation", "navigation"), switch, kept=True
    ),
    RecordColumn(
        "link",
        "Link",
        "a path of the shop or an address, of the kind link",
        ("link", "leads to"),
        of_category("link"),
    ),
    RecordColumn(
        "description",
        "Description",
        "plain text or HTML",
        ("description", "text", "beschreibung"),
        of_category("description"),
        FieldKind.RICH,
    ),
    RecordColumn(
        "address_part",
        "Address part",
        "how it ends its address",
        ("address part", "slug"),
        of_category("address_part"),
    ),
    RecordColumn(
        "canonical",
        "Canonical address",
        "the address that counts for search engines",
        ("canonical address", "canonical"),
        of_category("canonical"),
    ),
    RecordColumn(
        "meta_title",
        "Meta title",
        "the title for search engines",
        ("meta title", "title tag"),
        of_category("meta_title"),
    ),
    RecordColumn(
        "meta_description",
        "Meta description",
        "the sentence for search engines",
        ("meta description",),
        of_category("meta_description"),
        FieldKind.LINES,
    ),
    RecordColumn(
        "picture",
        "Picture",
        "the name of a file in the library, or an address",
        ("picture", "image", "bild"),
        _file_name,
    ),
    RecordColumn(
        "picture_alt",
        "Alt text",
        "what the picture shows",
        ("alt text", "picture alt", "alternativtext"),
        of_category("picture_alt"),
    ),
    RecordColumn(
        "search_words",
        "Search words",
        "what buyers may call it, parted by commas",
        ("search words", "synonyms", "suchbegriffe"),
        of_category("search_words"),
    ),
    RecordColumn(
        "layout",
        "Layout",
        ", ".join(LAYOUTS.values()),
        ("layout", "aufbau"),
        one_of(LAYOUTS, "layout"),
        kept=True,
    ),
    RecordColumn("tags", "Tags", "their names, parted by a bar", ("tags", "tag", "schlagwörter"), names),
)
#: The words of a category in a further language; its name there is no key.
CATEGORY_NAME = RecordColumn(
    "name", "Name", "its name there", ("category", "name", "kategorie"), line(categories.NAME_LENGTH, "A name")
)
_ATTRIBUTE = (
    RecordColumn(
        "attribute",
        "Attribute",
        "its name; made where it is not there yet",
        ("attribute", "attribute name", "merkmal", "attribut"),
        attributes.parse_attribute_name,
        kept=True,
    ),
    RecordColumn(
        "choice",
        "Choice",
        "the label of one of its choices; empty where the row is about the attribute alone",
        ("choice", "label", "option", "auswahl", "wert"),
        attributes.parse_label,
        kept=True,
    ),
    _new_name(attributes.parse_attribute_name, "attribute"),
    _new_name(attributes.parse_label, "choice", "label"),
    RecordColumn(
        "kind",
        "Its values are",
        f"needed for a new one: {', '.join(VALUES.values())}",
        ("kind", "its values are", "value type", "art"),
        one_of(VALUES, "kind of value"),
        kept=True,
    ),
    RecordColumn(
        "unit",
        "Unit",
        "in which its numbers are shown, such as mm",
        ("unit", "einheit"),
        unit,
        FieldKind.CODE,
        True,
    ),
    RecordColumn("unit_fixed", "Always in this unit", "yes or no", ("always in this unit",), switch, kept=True),
    RecordColumn("help", "Help", "what whoever fills it in reads", ("help", "hilfe"), line(200, "A help")),
    RecordColumn(
        "code",
        "Code of the choice",
        "the few letters that SKUs carry, such as HEA",
        ("code", "choice code", "kürzel"),
        attributes.parse_code,
        FieldKind.CODE,
        kept=True,
    ),
    RecordColumn(
        "swatch",
        "Swatch",
        "a colour such as #8C7AA0",
        ("swatch", "colour code", "farbcode"),
        lambda text: attributes.parse_swatch(text) or "",
        FieldKind.CODE,
    ),
    RecordColumn(
        "swatch_picture",
        "Swatch picture",
        "the name of a file in the library, or an address; shown instead of the colour",
        ("swatch picture", "swatch image", "farbmuster"),
        _file_name,
    ),
)
_TYPE = (
    RecordColumn(
        "type",
        "Product type",
        "its name; made where it is not there yet",
        ("product type", "type", "produkttyp", "produktart"),
        line(80, "A product type"),
        kept=True,
    ),
    RecordColumn(
        "attribute",
        "Attribute",
        "the name of one that is there; empty where the row is about the type alone",
        ("attribute", "merkmal", "attribut"),
        attributes.parse_attribute_name,
        kept=True,
    ),
    _new_name(line(80, "A product type")),
    RecordColumn(
        "code_prefix",
        "Code prefix",
        "how new product codes begin, such as YRN",
        ("code prefix",),
        parse_prefix,
        FieldKind.CODE,
    ),
    RecordColumn(
        "delivered",
        "Delivered",
        ", ".join(WAYS),
        ("delivered", "lieferart"),
        one_of(WAYS, "way of delivery"),
        kept=True,
    ),
    RecordColumn(
        "layout",
        "Layout of articles",
        ", ".join(ARTICLES.values()),
        ("layout of articles", "article layout"),
        one_of(ARTICLES, "layout"),
        kept=True,
    ),
    RecordColumn(
        "group",
        "Group",
        "under which the attribute stands in the editor",
        ("group", "gruppe"),
        line(60, "A group"),
    ),
    RecordColumn(
        "need",
        "Needed",
        "whether goods need the attribute to go live: no, always or when",
        ("needed", "required", "pflicht"),
        one_of(NEEDS, "need"),
        kept=True,
    ),
    RecordColumn(
        "when", "Needed when", "the choice that makes it needed, such as Material = Wool", ("needed when",), when
    ),
    RecordColumn(
        "may_differ", "Variants may differ", "yes or no", ("variants may differ", "may differ"), switch, kept=True
    ),
)
_SALE = (
    RecordColumn(
        "goods",
        "Goods",
        "the SKU of a variant, the product code of a whole product, or “all goods”",
        ("goods", "sku", "product code", "item number", "article number", "artikelnummer", "produktcode"),
        goods,
        FieldKind.CODE,
        kept=True,
    ),
    RecordColumn(
        "choice",
        "With the choice",
        "for those variants of a product alone that have it, such as Colour = Oat",
        ("with the choice", "choice", "auswahl"),
        when,
    ),
    RecordColumn(
        "at",
        "At",
        "the destination where it holds; empty for everywhere",
        ("at", "destination"),
        line(80, "A name"),
    ),
    RecordColumn(
        "begins",
        "From",
        "2026-12-01, or with a time; without it a new one begins at once, and the one that is on is meant",
        ("from", "begins", "sale from", "ab", "von"),
        moment,
    ),
    RecordColumn(
        "price",
        "Sale price",
        "7.90 is what is asked, 15 % or -2.00 what is taken off",
        ("sale price", "special price", "aktionspreis", "sonderpreis"),
        lambda text: " ".join(text.split())[:40],
        kept=True,
    ),
    RecordColumn(
        "ends",
        "Until",
        "2026-12-24; empty until it is ended by hand",
        ("until", "ends", "sale until", "bis"),
        moment,
    ),
    RecordColumn("title", "Sale", "what the sale is called", ("sale", "title", "aktion"), line(120, "A title")),
    RecordColumn(
        "promotion",
        "Promotion",
        "the id of one that is there",
        ("promotion", "promotion id"),
        line(50, "An id"),
        FieldKind.CODE,
    ),
)
_BRAND = (
    RecordColumn(
        "name",
        "Brand",
        "its name; made where it is not there yet",
        ("brand", "brand name", "name", "marke", "hersteller"),
        line(120, "A brand"),
        kept=True,
    ),
    _new_name(line(120, "A brand")),
    RecordColumn("tags", "Tags", "their names, parted by a bar", ("tags", "tag", "schlagwörter"), names),
)
_TAG = (
    RecordColumn(
        "name",
        "Tag",
        "its name; made where it is not there yet",
        ("tag", "tags", "tag name", "name", "schlagwort"),
        line(60, "A tag"),
        kept=True,
    ),
    _new_name(line(60, "A tag")),
)
#: By what rows are, the keys that say which record one means, and all columns.
ALL: Mapping[RowsAre, tuple[tuple[str, ...], tuple[RecordColumn, ...]]] = {
    RowsAre.CATEGORY: (("path",), _CATEGORY),
    RowsAre.ATTRIBUTE: (("attribute", "choice"), _ATTRIBUTE),
    RowsAre.TYPE: (("type", "attribute"), _TYPE),
    RowsAre.SALE: (("goods", "at", "begins", "choice"), _SALE),
    RowsAre.BRAND: (("name",), _BRAND),
    RowsAre.TAG: (("name",), _TAG),
}
#: Which of their columns have words in other languages.
WORDED: Mapping[RowsAre, tuple[str, ...]] = {
    RowsAre.CATEGORY: categories.WORDS,
    RowsAre.ATTRIBUTE: ("attribute", "help", "choice"),
}


#: Which of them several rows say of one record.
SHARED: Mapping[RowsAre, tuple[str, ...]] = {
    RowsAre.ATTRIBUTE: ("attribute", "new_attribute", "kind", "unit", "unit_fixed", "help"),
    RowsAre.TYPE: ("new_name", "code_prefix", "delivered", "layout"),
}
