"""Variants for programs, under /api/v1."""

from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Query, Response

from graupel.context import Context
from graupel.core import identifiers, product_fields
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.products import Status
from graupel.core.quantities import parse_money
from graupel.core.stock import How, Typed
from graupel.features.products import asking, many, saving, selling
from graupel.features.products import service as products
from graupel.features.products.api import Cursor, IfMatch, Limit, RecordId, TokenActor, etag, version_of
from graupel.features.products.schemas import VariantIn, VariantOut, VariantPage, variant_out
from graupel.features.products.service import Product
from graupel.features.variants import setting
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()


@router.get("/variants", response_model=VariantPage, responses=responses(403, 422))
def list_variants(
    ctx: Ctx, actor: TokenActor, q: Annotated[str, Query(max_length=200)] = "", limit: Limit = 50, cursor: Cursor = None
) -> VariantPage:
    """Variants in the order of their ids; `q` searches names and the beginnings of SKUs."""
    found = many.variants_after(ctx, actor, after=int(cursor or 0), limit=limit + 1, search=q)
    more = str(found[limit - 1][0].id) if len(found) > limit else None
    asked = asking.now_of(ctx, sorted({variant.product_id for variant, _ in found[:limit]}))
    sells = selling.now_of(ctx, sorted({variant.product_id for variant, _ in found[:limit]}))
    items = [
        variant_out(
            variant,
            base,
            ctx.settings.currency,
            asked.get(variant.product_id, {}).get(variant.id),
            sells.get(variant.id),
        )
        for variant, base in found[:limit]
    ]
    return VariantPage(items=items, next=more)


@router.get("/variants/{variant_id}", response_model=VariantOut, responses=responses(403, 404, 422))
def read_variant(ctx: Ctx, actor: TokenActor, variant_id: RecordId, response: Response) -> VariantOut:
    """One variant; the ETag is for If-Match."""
    product = products.product_of_variant(ctx, actor, variant_id)
    response.headers["ETag"] = etag(product)
    return _out(ctx, product, variant_id)


def _out(ctx: Context, product: Product, variant_id: int) -> VariantOut:
    variant = next(one for one in product.variants if one.id == variant_id)
    asked = asking.now_of(ctx, [product.id]).get(product.id, {})
    sells = selling.now_of(ctx, [product.id])
    return variant_out(variant, product.values, ctx.settings.currency, asked.get(variant_id), sells.get(variant_id))


@router.patch("/variants/{variant_id}", response_model=VariantOut, responses=responses(403, 404, 412, 413, 422, 428))
def change_variant(
    ctx: Ctx, actor: TokenActor, variant_id: RecordId, body: VariantIn, response: Response, if_match: IfMatch = None
) -> VariantOut:
    """Change what the body names; the rest stays. Null gives price and weight back to the product."""
    product = products.product_of_variant(ctx, actor, variant_id)
    version = version_of(product, if_match)
    setting.save_one(ctx, actor, variant_id, _values(ctx, body), version)
    return read_variant(ctx, actor, variant_id, response)


def _values(ctx: Context, body: VariantIn) -> dict[str, Any]:
    """The fields that a body names. Raises Refused, naming each that can't be taken."""
    values: dict[str, Any] = {name: getattr(body, name) for name in body.model_fields_set}
    problems: list[Problem] = []
    typed = product_fields.readers(ctx.settings.currency)
    read = {"sku": identifiers.parse_sku, "gtin": identifiers.parse_gtin, "elsewhere": typed["elsewhere"]}
    for name in read.keys() & values.keys():
        try:
            values[name] = read[name](values[name]) if values[name] else None
        except Refused as refusal:
            problems += [problem.at(field=name) for problem in refusal.problems]
    if price := values.get("price"):
        if price.currency != ctx.settings.currency:
            problems.append(Problem("price.currency", f"Prices are in {ctx.settings.currency}.", "price"))
        else:
            values["price"] = parse_money(price.amount, price.currency)
    if problems:
        raise Refused(problems)
    if "stock" in values:
        there = values["stock"]
        values["stock"] = Typed(How.NOT_COUNTED) if there is None else Typed(How.COUNT, there)
    return values


@router.post("/variants/{variant_id}/archive", response_model=VariantOut, responses=responses(403, 404, 412, 422, 428))
def archive_variant(
    ctx: Ctx, actor: TokenActor, variant_id: RecordId, response: Response, if_match: IfMatch = None
) -> VariantOut:
    """Archive a variant; it keeps its SKU and history. The one of a product that does not vary takes that with it."""
    product = products.product_of_variant(ctx, actor, variant_id)
    version = version_of(product, if_match)
    if product.varies:
        setting.save_one(ctx, actor, variant_id, {"archived": True}, version)
    else:
        saving.save(ctx, actor, product.id, replace(product.values, status=Status.ARCHIVED), version)
    return read_variant(ctx, actor, variant_id, response)
