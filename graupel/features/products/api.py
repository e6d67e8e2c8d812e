"""Products and variants for programs, under /api/v1."""

from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Header, Path, Query, Request, Response

from graupel.core import product_fields
from graupel.core.errors import NotSignedIn, Outdated, Refused
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, Status
from graupel.core.roles import Actor
from graupel.db import acts
from graupel.features.categories import service as categories
from graupel.features.products import asking, many, saving, selling, service
from graupel.features.products.saving import SaveConflict
from graupel.features.products.schemas import (
    CategoryOut,
    ProductIn,
    ProductOut,
    ProductPage,
    ProductPatch,
    VariantIn,
    product_out,
)
from graupel.features.products.service import Product
from graupel.features.users import service as users
from graupel.web.problem import PreconditionRequired, responses
from graupel.web.security import Ctx

MOST = 200
MOST_ID = 4_294_967_295


def with_token(ctx: Ctx, authorization: Annotated[str | None, Header(include_in_schema=False)] = None) -> Actor:
    """Whose token came with the request. Raises NotSignedIn."""
    kind, _, secret = (authorization or "").partition(" ")
    if kind.lower() != "bearer" or not secret:
        raise NotSignedIn("Send a token: Authorization: Bearer grp_…")
    with acts.doing(None):  # that a token was used is no part of what is done with it
        return users.identify_token(ctx, secret.strip())


TokenActor = Annotated[Actor, Depends(with_token)]
RecordId = Annotated[int, Path(ge=1, le=MOST_ID)]
Cursor = Annotated[str | None, Query(pattern="^[0-9]{1,10}$", description="`next` of the page before")]
Limit = Annotated[int, Query(ge=1, le=MOST)]
IfMatch = Annotated[str | None, Header(description="The ETag of the record as it was read; needed.")]


def repeatable(
    idempotency_key: Annotated[
        str | None,
        Header(
            max_length=200,
            pattern=r"^[\x21-\x7e]+$",
            description="Any text of your own, another one for each act. The same request sent again with the same key "
            "is done only once; it is answered as the first was. Keys are kept for two days.",
        ),
    ] = None,
) -> None:
    """That a request may be repeated (web/once.py does it)."""


REPEATABLE = [Depends(repeatable)]

router = APIRouter()


def etag(product: Product) -> str:
    """The version of a product's page, which moves with its variants too."""
    return f'"{product.version}"'


def version_of(product: Product, if_match: str | None) -> int:
    """The product's version, where If-Match names it. Raises PreconditionRequired, Outdated."""
    if not if_match:
        raise PreconditionRequired("Send If-Match with the ETag that reading the record gave.")
    if etag(product) not in [tag.strip() for tag in if_match.split(",")] and if_match.strip() != "*":
        raise Outdated("The record was changed since it was read. Read it again, then repeat the change.", {})
    return product.version


def values_of(ctx: Ctx, body: VariantIn, start: ProductValues | None = None) -> ProductValues:
    """The values that a body stands for. Raises Refused, naming each field."""
    given = {name: getattr(body, name) for name in body.model_fields_set}
    raw: dict[str, Any] = {name: "" if value is None else value for name, value in given.items()}
    problems: list[Problem] = []
    if given.get("price") is not None:
        raw["price"] = given["price"].amount
        if given["price"].currency != ctx.settings.currency:
            problems.append(Problem("price.currency", f"Prices are in {ctx.settings.currency}.", "price"))
    for name in ("weight_g", "stock"):
        if given.get(name) is not None:
            raw[name] = str(given[name])
    if "key_points" in given:
        raw["key_points"] = "\n".join(given["key_points"] or ())
    if raw.get("status") == "":
        raw["status"] = str(start.status if start else Status.DRAFT)
    reading = product_fields.read(raw, ctx.settings.currency, start)
    if problems or reading.problems:
        raise Refused(problems + reading.problems)
    return reading.values


def _one(ctx: Ctx, actor: Actor, response: Response, product_id: int) -> ProductOut:
    product = service.read(ctx, actor, product_id)
    response.headers["ETag"] = etag(product)
    asked = asking.now_of(ctx, [product_id]).get(product_id, {})
    sells = selling.now_of(ctx, [product_id])
    return product_out(product, ctx.settings.currency, asked, sells, address=ctx.settings.address, with_pictures=True)


def _save(ctx: Ctx, actor: Actor, product: Product, values: ProductValues, if_match: str | None) -> None:
    try:
        saving.save(ctx, actor, product.id, values, version_of(product, if_match))
    except SaveConflict as conflict:
        raise Outdated(f"{conflict} Read it again, then repeat the change.", {}) from conflict


@router.get("/products", response_model=ProductPage, response_model_exclude_none=False, responses=responses(403, 422))
def list_products(
    ctx: Ctx,
    actor: TokenActor,
    q: Annotated[str, Query(max_length=200)] = "",
    status: Status | None = None,
    limit: Limit = 50,
    cursor: Cursor = None,
) -> ProductPage:
    """Products in the order of their ids; `q` searches names and the beginnings of SKUs."""
    found = many.list_after(ctx, actor, after=int(cursor or 0), limit=limit + 1, search=q, status=status)
    more = str(found[limit - 1].id) if len(found) > limit else None
    asked = asking.now_of(ctx, [one.id for one in found[:limit]])
    sells = selling.now_of(ctx, [one.id for one in found[:limit]])
    items = [product_out(one, ctx.settings.currency, asked.get(one.id, {}), sells) for one in found[:limit]]
    return ProductPage(items=items, next=more)


@router.post(
    "/products",
    response_model=ProductOut,
    status_code=201,
    responses=responses(403, 409, 413, 422),
    dependencies=REPEATABLE,
)
def create_product(ctx: Ctx, actor: TokenActor, body: ProductIn, response: Response) -> ProductOut:
    """Make a product with its one variant."""
    product_id = saving.create(ctx, actor, values_of(ctx, body))
    response.headers["Location"] = f"/api/v1/products/{product_id}"
    return _one(ctx, actor, response, product_id)


@router.get("/products/{product_id}", response_model=ProductOut, responses=responses(403, 404, 422))
def read_product(ctx: Ctx, actor: TokenActor, product_id: RecordId, response: Response) -> ProductOut:
    """One product; the ETag is for If-Match."""
    return _one(ctx, actor, response, product_id)


@router.patch("/products/{product_id}", response_model=ProductOut, responses=responses(403, 404, 412, 413, 422, 428))
def change_product(
    ctx: Ctx, actor: TokenActor, product_id: RecordId, body: ProductPatch, response: Response, if_match: IfMatch = None
) -> ProductOut:
    """Change what the body names; the rest stays."""
    product = service.read(ctx, actor, product_id)
    _save(ctx, actor, product, values_of(ctx, body, product.values), if_match)
    return _one(ctx, actor, response, product_id)


@router.post("/products/{product_id}/archive", response_model=ProductOut, responses=responses(403, 404, 412, 422, 428))
def archive_product(
    ctx: Ctx, actor: TokenActor, product_id: RecordId, response: Response, if_match: IfMatch = None
) -> ProductOut:
    """Take a product out of the shop and off the channels; it keeps its SKU and history."""
    product = service.read(ctx, actor, product_id)
    _save(ctx, actor, product, replace(product.values, status=Status.ARCHIVED), if_match)
    return _one(ctx, actor, response, product_id)


@router.get("/categories", response_model=list[CategoryOut], responses=responses(403))
def list_categories(ctx: Ctx, actor: TokenActor, request: Request) -> list[CategoryOut]:
    """All categories in the order of the tree."""
    return [CategoryOut(id=c.id, name=c.name, path=c.path, parent_id=c.parent_id) for c in categories.read_tree(ctx)]
