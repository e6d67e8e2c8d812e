"""Many products and variants at once, with less of each than one has by itself."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from graupel.context import Context
from graupel.core.availability import Held
from graupel.core.facets import Ids
from graupel.core.products import BASE_FIELDS, ProductValues, Status
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.products import facet_index, store, table_store
from graupel.features.products.rows import ProductRow, VariantRow, VariantWithProductRow
from graupel.features.products.service import Product, Variant, axes_of, values_of, variant_of
from graupel.features.terms import sells_sql, stocks
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import service as wording


def list_after(
    ctx: Context, actor: Actor, *, after: int, limit: int, search: str = "", status: Status | None = None
) -> list[Product]:
    """Products with their variants in the order of their ids, beyond ``after``; without pictures, tags and facts."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Product]:
        rows = _rows_after(ctx, tx, after, limit, search, status)
        ids = [row["id"] for row in rows]
        variants = store.variants(tx, ids)
        held, found = stocks.held(tx, [one["id"] for one in variants]), _by_product(variants)
        varying = {axis["product_id"] for axis in store.axes(tx, ids)}

        def listed(row: ProductRow) -> Product:
            its_own = (variant_of(one, there=held.get(one["id"])) for one in found.get(row["id"], ()))
            return _listed(row, tuple(its_own), row["id"] in varying)

        return [listed(row) for row in rows]

    return ctx.db.run(work)


#: The largest id that a set of them can hold; a cursor may say more.
MOST_ID = 2**32 - 1


def _rows_after(ctx: Context, tx: Tx, after: int, limit: int, typed: str, status: Status | None) -> list[ProductRow]:
    lang = ctx.settings.language
    found = facet_index.search(ctx, tx, typed)
    if found is None:
        return table_store.list_after(tx, after, limit, status and str(status), lang)
    if status:
        with facet_index.held(ctx, tx) as index:
            found = index.select({"status": (str(status),)}, found)
    beyond = found.rank(min(after, MOST_ID))
    return table_store.list_of(tx, list(found[beyond : beyond + limit]), lang)


def load_priced(ctx: Context, tx: Tx, ids: Sequence[int]) -> dict[int, Product]:
    """Several products by id, with what their prices follow from: values, variants, axes and own values.

    Without stock, pictures, tags and facts. Those that are not there are left out.
    """
    return _priced(ctx, tx, ids, store.variants(tx, ids), {})


def load_wanted(ctx: Context, tx: Tx, variant_ids: Sequence[int]) -> dict[int, Product]:
    """The products of some variants by id, as ``load_priced`` has them but with these variants alone, and what is there
    of them."""
    rows = store.variants_by_ids(tx, variant_ids)
    return _priced(ctx, tx, sorted({row["product_id"] for row in rows}), rows, stocks.held(tx, variant_ids))


def _priced(
    ctx: Context, tx: Tx, ids: Sequence[int], rows: Sequence[VariantRow], held: Mapping[int, Held]
) -> dict[int, Product]:
    axes, found = _by_product(store.axes(tx, ids)), _by_product(rows)
    own = wording.of_records(tx, "product", ids)
    variants_own = wording.of_records(tx, "variant", [one["id"] for one in rows])
    made = sells_sql.made(tx, ids)
    products: dict[int, Product] = {}
    for row in table_store.list_of(tx, ids, ctx.settings.language):
        key = row["id"]
        variants = tuple(
            variant_of(one, variants_own.get(one["id"]), held.get(one["id"])) for one in found.get(key, ())
        )
        listed = _listed(row, variants, key in axes)
        products[key] = replace(
            listed,
            values=replace(listed.values, own={name: one.value for name, one in own.get(key, {}).items()}),
            axes=axes_of(axes[key], variants, vocabulary.current(ctx, tx, key)) if key in axes else (),
            made=made.get(key),
        )
    return products


def _by_product(rows: Iterable[Mapping[str, Any]]) -> dict[int, list[Mapping[str, Any]]]:
    found: dict[int, list[Mapping[str, Any]]] = {}
    for row in rows:
        found.setdefault(row["product_id"], []).append(row)
    return found


def _listed(row: Mapping[str, Any], variants: tuple[Variant, ...], varies: bool) -> Product:
    return Product(
        row["id"],
        values_of(row, variants, varies),
        row["version"],
        variants,
        made_at=row["made_at"],
        changed_at=row["changed_at"],
    )


#: Of so many products variants are asked for by their products' ids; and so many variants are walked at once.
MOST_NAMED = 5000


def variants_after(
    ctx: Context, actor: Actor, *, after: int, limit: int, search: str = ""
) -> list[tuple[Variant, ProductValues]]:
    """Variants in the order of their ids, beyond ``after``, each with the values of its product that it may inherit."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[tuple[Variant, ProductValues]]:
        rows = _variants_found(ctx, tx, after, limit, search)
        held = stocks.held(tx, [row["id"] for row in rows])
        return [(variant_of(row, there=held.get(row["id"])), _inheritable(row)) for row in rows]

    return ctx.db.run(work)


def _variants_found(ctx: Context, tx: Tx, after: int, limit: int, search: str) -> list[VariantWithProductRow]:
    found = facet_index.search(ctx, tx, search)
    if found is None:
        return table_store.variants_after(tx, after, limit)
    if len(found) <= MOST_NAMED:
        return table_store.variants_after(tx, after, limit, list(found)) if found else []
    return _variants_among(tx, after, limit, found)


def _inheritable(row: Mapping[str, Any]) -> ProductValues:
    return ProductValues(**{name: row[f"product_{name}"] for name in BASE_FIELDS})


def _variants_among(tx: Tx, after: int, limit: int, found: Ids) -> list[VariantWithProductRow]:
    """The same of many products: all are walked in their order until enough are of these."""
    rows: list[VariantWithProductRow] = []
    while len(rows) < limit:
        walked = table_store.variants_after(tx, after, MOST_NAMED)
        rows += [row for row in walked if row["product_id"] in found]
        if len(walked) < MOST_NAMED:
            break
        after = walked[-1]["id"]
    return rows[:limit]
