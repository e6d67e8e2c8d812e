"""Trees, categories and what stands in their pages."""

from graupel.core.declarations.vocabulary import FACT_WHOLES, fact_value
from graupel.core.records import LANGUAGE, Field, FieldKind, Record, ref

TREE = Record(
    "tree",
    "Tree of categories",
    "w",
    (
        Field("name", "Name", own=(LANGUAGE,)),
        Field("position", "Place", FieldKind.COUNT),
        ref("shop_id", "Shop", "shop"),
    ),
)

CATEGORY = Record(
    "category",
    "Category",
    "c",
    (
        ref("parent_id", "Below", "category"),
        ref("tree_id", "Tree", "tree"),
        Field("position", "Place", FieldKind.COUNT, moves_with="parent_id"),
        Field("name", "Name", own=(LANGUAGE,)),
        Field("kind", "Kind", FieldKind.WORD),
        Field("hidden", "Hidden", FieldKind.SWITCH),
        Field("in_navigation", "In the navigation", FieldKind.SWITCH),
        Field("link", "Link"),
        ref("picture_id", "Picture", "media", optional=True, use="Categories"),
        Field("canonical", "Canonical address"),
        Field("layout", "Layout", FieldKind.WORD),
        Field("sorted_by", "Sorted by", FieldKind.WORD),
        Field("by_hand", "Order by hand", FieldKind.LINES),
        ref("lead_product_id", "Lead product", "product", optional=True),
    ),
    wholes=(("parent_id", "tree_id"),),
)

CATEGORY_TEXT = Record(
    "category_text",
    "Category's words",
    "ct",
    (
        ref("category_id", "Category", "category"),
        Field("lang", "Language", FieldKind.CODE),
        Field("description", "Description", FieldKind.RICH, own=(LANGUAGE,)),
        Field("meta_title", "Meta title", own=(LANGUAGE,)),
        Field("meta_description", "Meta description", FieldKind.LINES, own=(LANGUAGE,)),
        Field("address_part", "Address part", own=(LANGUAGE,)),
        Field("picture_alt", "Alt text", own=(LANGUAGE,)),
        Field("search_words", "Search words", own=(LANGUAGE,)),
    ),
    parent="category",
)

CATEGORY_FACT = Record(
    "category_fact",
    "Category's field",
    "cf",
    (ref("category_id", "Category", "category"), *fact_value("fields of categories", "category_id")),
    parent="category",
    wholes=FACT_WHOLES,
)
