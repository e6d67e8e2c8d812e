"""What the journal knows of products and what belongs to them, and how sets of it are put back."""

from collections.abc import Callable
from typing import Any

from graupel.db import Tx
from graupel.features.categories import counts
from graupel.features.history import records
from graupel.features.history.records import Column, RecordKind, Shown
from graupel.features.media import uses
from graupel.features.media.uses import TextUse
from graupel.features.products import facet_index, skus, store, summary
from graupel.features.vocabulary import carriers, references
from graupel.features.vocabulary import kinds as vocabulary_kinds
from graupel.features.vocabulary.references import Reference
from graupel.features.wording import originals
from graupel.features.wording.originals import Original, Words

#: A product that was made and that nobody changed since: whatever belongs to it moves its version.
_PARENT = """EXISTS (SELECT 1 FROM product vp WHERE vp.id = {0}.product_id AND vp.was_live = {1} AND vp.version = 1)"""
#: The product was not made by the same change set: what was added to it may go by itself.
_ADDED = """NOT EXISTS (SELECT 1 FROM change_row pr WHERE pr.change_set_id = r.change_set_id
            AND pr.record_kind = 'product' AND pr.record_id = {0}.product_id AND pr.was IS NULL)"""
_CHOICES = tuple(f"choice_{place}" for place in range(1, 6))


def _text(path: str) -> str:
    return f"COALESCE(JSON_VALUE(r.became, '$.{path}'), '')"


def _value(path: str) -> str:
    return f"JSON_VALUE(r.became, '$.{path}')"


_PRODUCT = {
    "code": Column("p.code"),
    "type_id": Column("p.type_id", True, "type"),
    "name": Column("t.name"),
    "short_text": Column("t.short_text"),
    "description": Column("t.description"),
    "key_points": Column("t.key_points"),
    "status": Column("p.status"),
    "category_id": Column("p.category_id", True, "category"),
    "brand_id": Column("p.brand_id", True, "brand"),
    "mpn": Column("p.mpn"),
    "price": Column("p.price"),
    "list_price": Column("p.list_price"),
    "cost": Column("p.cost"),
    "weight_g": Column("p.weight_g", True),
    "sells_without_stock": Column("p.sells_without_stock", True),
    "sku_pattern": Column("p.sku_pattern"),
    "address_part": Column("t.address_part"),
    "canonical": Column("p.canonical"),
    "meta_title": Column("t.meta_title"),
    "meta_description": Column("t.meta_description"),
}
_OF_TEXT = ("name", "short_text", "description", "key_points", "address_part", "meta_title", "meta_description")


def _revive_product() -> tuple[str, ...]:
    own = [name for name in _PRODUCT if name not in _OF_TEXT]
    filled = {"sells_without_stock": f"COALESCE({_value('sells_without_stock')}, 0)"}
    filled |= {name: _text(name) for name in ("mpn", "canonical", "sku_pattern")}
    return (
        f"""INSERT INTO product (id, version, {", ".join(own)}, made_at, changed_at)
            SELECT r.record_id, r.version, {", ".join(filled.get(name, _value(name)) for name in own)},
                   UTC_TIMESTAMP(3), UTC_TIMESTAMP(3)""",
        f"""INSERT INTO product_text (product_id, lang, {", ".join(_OF_TEXT)})
            SELECT r.record_id, %(lang)s, {", ".join(map(_text, _OF_TEXT))}""",
    )


def register_kinds(language: str) -> None:
    """Tell the journal of products, variants and all that belongs to them. ``language``: in which they are named."""
    records.register(
        RecordKind(
            "product",
            "Product",
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/products/{r['id']}") for r in store.names(tx, list(ids), language)
            },
            plain="product",
            key="p.id",
            version="p.version",
            touch=", p.changed_at = UTC_TIMESTAMP(3)",
            table="product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s",
            fields=_PRODUCT,
            removable="(p.was_live = FALSE AND p.version = 1)",
            retired_when="(p.was_live = TRUE AND p.version = 1)",
            retire=("status", "archived"),
            revive=_revive_product(),
        )
    )
    _register_variants()
    belonging: list[tuple[str, str, str, Callable[[Tx, list[int]], list[dict[str, Any]]], dict[str, Column]]] = [
        ("product_axis", "Differs by", "x", store.axis_names, {
            "attribute_id": Column("x.attribute_id", True, "attribute"),
            "position": Column("x.position", True),
        }),
        ("product_category", "Further category", "pc", store.further_category_names, {
            "category_id": Column("pc.category_id", True, "category"),
        }),
        ("fact", "Fact", "f", store.fact_names, {
            "attribute_id": Column("f.attribute_id", True, "attribute"),
            "choice_id": Column("f.choice_id", True, "attribute_choice"),
            "number": Column("f.number"),
            "unit": Column("f.unit"),
            "text": Column("f.text"),
        }),
        ("picture", "Picture", "c", store.picture_names, {
            "media_id": Column("c.media_id", True, "media"),
            "position": Column("c.position", True),
            "alt": Column("c.alt"),
            "title": Column("c.title"),
        }),
        ("picture_for", "Picture belongs to", "pf", store.belonging_names, {
            "picture_id": Column("pf.picture_id", True, "picture"),
            "variant_id": Column("pf.variant_id", True, "variant"),
            "choice_id": Column("pf.choice_id", True, "attribute_choice"),
        }),
    ]  # fmt: skip
    for name, label, alias, describe, fields in belonging:
        _register_belonging(name, label, alias, describe, fields)
    carriers.register("product", "Products", records.kind_of("product").describe)
    carriers.register("category", "Categories", records.kind_of("category").describe)
    vocabulary_kinds.register_taggings()
    _register_references(language)
    _register_originals()
    counts.register(facet_index.category_counts)
    counts.register_leads(facet_index.leads)
    summary.register()
    skus.register()


def _register_originals() -> None:
    """The words of products, variants and pictures, to be translated."""
    originals.register(
        Original(
            "product",
            "Products",
            "product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s",
            "p.id",
            "t.name",
            "/products/{}",
            {
                "name": Words("Name", "t.name"),
                "short_text": Words("Short text", "t.short_text", long=True),
                "description": Words("Description", "t.description", rich=True),
                "key_points": Words("Key points", "t.key_points", long=True),
                "meta_title": Words("Meta title", "t.meta_title"),
                "meta_description": Words("Meta description", "t.meta_description", long=True),
                "address_part": Words("Address part", "t.address_part"),
            },
            where="p.status <> 'archived'",
            live="p.status = 'live'",
        )
    )
    originals.register(
        Original(
            "variant",
            "Variants",
            """variant_text vt JOIN variant v ON v.id = vt.variant_id AND NOT v.archived
               JOIN product p ON p.id = v.product_id""",
            "v.id",
            "COALESCE(NULLIF(vt.name, ''), v.sku)",
            "/products/{}",
            {"name": Words("Name", "vt.name"), "short_text": Words("Short text", "vt.short_text", long=True)},
            link_key="v.product_id",
            where="vt.lang = %(lang)s AND p.status <> 'archived'",
            live="p.status = 'live'",
        )
    )
    originals.register(
        Original(
            "picture",
            "Pictures",
            """picture c JOIN product p ON p.id = c.product_id
               JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s""",
            "c.id",
            "t.name",
            "/products/{}",
            {"alt": Words("Alt text", "c.alt"), "title": Words("Title", "c.title")},
            link_key="c.product_id",
            where="p.status <> 'archived'",
            live="p.status = 'live'",
        )
    )


def _register_variants() -> None:
    records.register(
        RecordKind(
            "variant",
            "Variant",
            lambda tx, ids: {
                r["id"]: Shown(r["sku"], f"/products/{r['product_id']}") for r in store.variant_names(tx, list(ids))
            },
            plain="variant",
            table="variant v",
            key="v.id",
            version="v.version",
            fields={
                "product_id": Column("v.product_id", True, "product"),
                "sku": Column("v.sku"),
                "price": Column("v.price"),
                "list_price": Column("v.list_price"),
                "cost": Column("v.cost"),
                "weight_g": Column("v.weight_g", True),
                "sells_without_stock": Column("v.sells_without_stock", True),
                "gtin": Column("v.gtin"),
                "mpn": Column("v.mpn"),
                "stock": Column("v.stock", True),
                "archived": Column("v.archived", True),
                **{name: Column(f"v.{name}", True, "attribute_choice") for name in _CHOICES},
            },
            removable=f"({_ADDED.format('v')} OR {_PARENT.format('v', 'FALSE')})",
            follows_when=f"(r.was IS NULL AND {_PARENT.format('v', 'TRUE')} AND NOT {_ADDED.format('v')})",
            revive=(
                f"""INSERT INTO variant (id, version, product_id, sku, price, list_price, cost, weight_g,
                      sells_without_stock, gtin, mpn, stock, archived, {", ".join(_CHOICES)})
                    SELECT r.record_id, r.version, {_value("product_id")}, {_value("sku")}, {_value("price")},
                      {_value("list_price")}, {_value("cost")}, {_value("weight_g")}, {_value("sells_without_stock")},
                      {_value("gtin")}, {_text("mpn")}, {_value("stock")}, COALESCE({_value("archived")}, 0),
                      {", ".join(map(_value, _CHOICES))}""",
            ),
        )
    )
    records.register(
        RecordKind(
            "variant_text",
            "Variant's text",
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/products/{r['product_id']}")
                for r in store.variant_text_names(tx, list(ids))
            },
            plain="variant_text",
            table="variant_text vt",
            key="vt.id",
            version="vt.version",
            fields={
                "variant_id": Column("vt.variant_id", True, "variant"),
                "lang": Column("vt.lang"),
                "name": Column("vt.name"),
                "short_text": Column("vt.short_text"),
            },
        )
    )


def _register_belonging(
    name: str,
    label: str,
    alias: str,
    describe: Callable[[Tx, list[int]], list[dict[str, Any]]],
    fields: dict[str, Column],
) -> None:
    """A kind of record that belongs to a product and shares its lot."""
    records.register(
        RecordKind(
            name,
            label,
            lambda tx, ids: {
                r["id"]: Shown(r.get("file_name") or r["name"], f"/products/{r['product_id']}")
                for r in describe(tx, list(ids))
            },
            plain=name,
            table=f"{name} {alias}",
            key=f"{alias}.id",
            version=f"{alias}.version",
            fields={"product_id": Column(f"{alias}.product_id", True, "product"), **fields},
            removable=f"({_ADDED.format(alias)} OR {_PARENT.format(alias, 'FALSE')})",
            follows_when=f"(r.was IS NULL AND {_PARENT.format(alias, 'TRUE')} AND NOT {_ADDED.format(alias)})",
        )
    )


def _same_combination(replaced: str) -> str:
    """SQL: the product has a variant with the combination that this one would get."""
    choices = ", ".join("%(into)s" if name == replaced else f"v.{name}" for name in _CHOICES)
    return f"""EXISTS (SELECT 1 FROM variant d WHERE d.product_id = v.product_id
               AND d.combination = CONCAT_WS('.', {choices}))"""


def _register_references(language: str) -> None:
    """Where products refer to the vocabulary and to media."""
    uses.register_text(TextUse("product", "description"))
    uses.register_search("products", lambda typed, params: store.media_hits(typed, params, language))
    same_product = "d.product_id = f.product_id AND d.id <> f.id"
    references.register(
        Reference(
            "media",
            "picture",
            "media_id",
            "Products",
            "c.product_id",
            double="EXISTS (SELECT 1 FROM picture d WHERE d.product_id = c.product_id AND d.media_id = %(into)s)",
            hang=("picture_for", "picture_id"),
        ),
        Reference(
            "attribute_choice",
            "picture_for",
            "choice_id",
            "pictures of products",
            "pf.product_id",
            double="EXISTS (SELECT 1 FROM picture_for d WHERE d.picture_id = pf.picture_id AND d.choice_id = %(into)s)",
        ),
        Reference("brand", "product", "brand_id", "products", "p.id"),
        Reference("category", "product", "category_id", "products", "p.id"),
        Reference(
            "category",
            "product_category",
            "category_id",
            "further places of products",
            "pc.product_id",
            double="""(EXISTS (SELECT 1 FROM product_category d
                               WHERE d.product_id = pc.product_id AND d.category_id = %(into)s)
                       OR EXISTS (SELECT 1 FROM product dp
                                  WHERE dp.id = pc.product_id AND dp.category_id = %(into)s))""",
        ),
        Reference("type", "product", "type_id", "products", "p.id"),
        Reference(
            "attribute",
            "fact",
            "attribute_id",
            "facts of products",
            "f.product_id",
            double=f"""EXISTS (SELECT 1 FROM fact d JOIN attribute da ON da.id = d.attribute_id
                       WHERE {same_product} AND d.attribute_id = %(into)s AND da.kind <> 'several_choices')""",
        ),
        Reference(
            "attribute",
            "product_axis",
            "attribute_id",
            "products that differ by it",
            "x.product_id",
            clash="EXISTS (SELECT 1 FROM product_axis d WHERE d.product_id = x.product_id "
            "AND d.attribute_id = %(into)s)",
        ),
        Reference(
            "attribute_choice",
            "fact",
            "choice_id",
            "facts of products",
            "f.product_id",
            double=f"EXISTS (SELECT 1 FROM fact d WHERE {same_product} AND d.choice_id = %(into)s)",
        ),
        *(
            Reference(
                "attribute_choice",
                "variant",
                name,
                "variants",
                "v.product_id",
                clash=_same_combination(name),
            )
            for name in _CHOICES
        ),
    )
