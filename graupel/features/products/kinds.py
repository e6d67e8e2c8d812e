"""What the journal knows of products and what belongs to them, and how sets of it are put back."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from graupel.core.declarations import product_parts
from graupel.core.declarations import products as declared
from graupel.core.records import Record
from graupel.db import Tx
from graupel.features.categories import counts
from graupel.features.history import records
from graupel.features.history.putting_back import untouched
from graupel.features.history.records import RecordKind, Shown
from graupel.features.media import uses
from graupel.features.media.uses import TextUse
from graupel.features.products import belonging, facet_index, picture_store, store
from graupel.features.vocabulary import carriers, references
from graupel.features.vocabulary import kinds as vocabulary_kinds
from graupel.features.wording import originals
from graupel.features.wording.originals import Original

#: Products that the change set made and that are, with all that belongs to them, as it made them.
_AS_MADE = "product_as_made"
_PARENT = f"EXISTS (SELECT 1 FROM {_AS_MADE} made WHERE made.product_id = {{0}} AND made.was_live = {{1}})"
#: The product was not made by the same change set: what was added to it may go by itself.
_ADDED = """NOT EXISTS (SELECT 1 FROM change_row pr WHERE pr.change_set_id = r.change_set_id
            AND pr.record_kind = 'product' AND pr.record_id = {0} AND pr.was IS NULL)"""


def register_kinds(language: str) -> None:
    """Tell the journal of products, variants and all that belongs to them. ``language``: in which they are named."""
    records.register(
        RecordKind(
            declared.PRODUCT,
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/products/{r['id']}") for r in store.names(tx, list(ids), language)
            },
            removable=_PARENT.format("p.id", "FALSE"),
            retired_when=_PARENT.format("p.id", "TRUE"),
            retire=("status", "archived"),
            settle=_find_as_made,
            spares=(("code", "NULL"),),
            whole_when="EXISTS (SELECT 1 FROM variant whole WHERE whole.product_id = p.id)",
            lacking="A product would come back without its variants: a choice that they need was deleted since. "
            "Roll that back first.",
        )
    )
    for record, names in (
        (declared.VARIANT, store.variant_names),
        (declared.VARIANT_TEXT, store.variant_text_names),
        (product_parts.PRODUCT_AXIS, store.axis_names),
        (product_parts.PRODUCT_CATEGORY, store.further_category_names),
        (product_parts.FACT, store.fact_names),
        (product_parts.PICTURE, picture_store.picture_names),
        (product_parts.PICTURE_FOR, picture_store.belonging_names),
    ):
        records.register(_belonging(record, names))
    belonging.register_own()
    carriers.register("product", "Products", records.kind_of("product").describe)
    carriers.register("category", "Categories", records.kind_of("category").describe)
    vocabulary_kinds.register_taggings()
    _register_references(language)
    _register_originals()
    counts.register(facet_index.category_counts)
    counts.register_leads(facet_index.leads)


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
            originals.words_of(declared.PRODUCT),
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
            originals.words_of(declared.VARIANT_TEXT),
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
            originals.words_of(product_parts.PICTURE),
            link_key="c.product_id",
            where="p.status <> 'archived'",
            live="p.status = 'live'",
        )
    )


def _belonging(record: Record, names: Callable[[Tx, list[int]], Sequence[Mapping[str, Any]]]) -> RecordKind:
    """A kind of record that is part of a product; those that say of which one share its lot."""

    def describe(tx: Tx, ids: Sequence[int]) -> dict[int, Shown]:
        return {r["id"]: Shown(r["name"], f"/products/{r['product_id']}") for r in names(tx, list(ids))}

    if record.parent != "product":
        return RecordKind(record, describe)
    its = f"{record.alias}.product_id"
    return RecordKind(
        record,
        describe,
        removable=f"({_ADDED.format(its)} OR {_PARENT.format(its, 'FALSE')})",
        follows_when=f"(r.was IS NULL AND {_PARENT.format(its, 'TRUE')})",
        alone=record is not product_parts.PRODUCT_AXIS,
        not_alone=declared.CHOICES if record is declared.VARIANT else (),
        stays=record is declared.VARIANT,
        spares=(("sku", "CONCAT('~', id)"),) if record is declared.VARIANT else (),
    )


def _find_as_made(tx: Tx, change_set_id: int, language: str) -> None:
    """Fill the table of products that are as the change set made them: they go whole, or stay whole."""
    product = records.kind_of("product")
    params = {"set": change_set_id, "lang": language}
    made = "{r}.change_set_id = %(set)s AND {r}.record_kind = '{kind}' AND {r}.was IS NULL"
    tx.run(
        f"CREATE OR REPLACE TEMPORARY TABLE {_AS_MADE} (product_id INT UNSIGNED NOT NULL PRIMARY KEY, was_live BOOL)"
    )
    tx.run(
        f"""INSERT INTO {_AS_MADE} SELECT p.id, p.was_live FROM change_row r
            STRAIGHT_JOIN {product.table} ON p.id = r.record_id
            WHERE {made.format(r="r", kind="product")} AND {untouched(product)}""",
        params,
    )
    for one in belonging.all_belonging():
        kind = one.records_kind
        # What stays without its product was there before that came back.
        since = f"""AND EXISTS (SELECT 1 FROM change_row later WHERE later.record_kind = '{one.kind}'
                    AND later.record_id = {kind.key} AND later.change_set_id > %(set)s)"""
        if tx.value(f"SELECT 1 FROM {kind.plain} LIMIT 1"):  # or each product would be looked for in it
            tx.run(  # something was added since, or changed
                f"""DELETE made FROM {_AS_MADE} made STRAIGHT_JOIN {one.below.format(product="made.product_id")}
                    LEFT JOIN change_row r ON {made.format(r="r", kind=one.kind)} AND r.record_id = {kind.key}
                    WHERE (r.record_id IS NULL {"" if one.goes else since}) OR NOT ({untouched(kind)})""",
                params,
            )
        tx.run(  # or was taken away
            f"""DELETE made FROM change_row r LEFT JOIN {kind.plain} x ON x.id = r.record_id
                STRAIGHT_JOIN {_AS_MADE} made ON made.product_id = {one.said.format(side="r.became")}
                WHERE {made.format(r="r", kind=one.kind)} AND x.id IS NULL""",
            params,
        )


def _same_combination(replaced: str) -> str:
    """SQL: the product has a variant with the combination that this one would get."""
    choices = ", ".join("%(into)s" if name == replaced else f"v.{name}" for name in declared.CHOICES)
    return f"""EXISTS (SELECT 1 FROM variant d WHERE d.product_id = v.product_id
               AND d.combination = CONCAT_WS('.', {choices}))"""


def _register_references(language: str) -> None:
    """Where products refer to the vocabulary and to media."""
    uses.register_text(TextUse("product", "description"))
    uses.register_search("products", facet_index.media_hits)
    references.refine("fact", "attribute_id", double=references.one_only("fact", "product_id"))
    references.refine(
        "product_category",
        "category_id",
        double="""(EXISTS (SELECT 1 FROM product_category d
                           WHERE d.product_id = pc.product_id AND d.category_id = %(into)s)
                   OR EXISTS (SELECT 1 FROM product dp WHERE dp.id = pc.product_id AND dp.category_id = %(into)s))""",
    )
    references.refine(
        "product_axis",
        "attribute_id",
        clash="EXISTS (SELECT 1 FROM product_axis d WHERE d.product_id = x.product_id AND d.attribute_id = %(into)s)",
    )
    for name in declared.CHOICES:
        references.refine("variant", name, clash=_same_combination(name))
