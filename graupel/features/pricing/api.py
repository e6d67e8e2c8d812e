"""Sales and promotions for programs, under /api/v1."""

from fastapi import APIRouter, Response

from graupel.core.errors import NotFound, Outdated
from graupel.core.roles import Actor
from graupel.features.pricing import planned, promotions, selling
from graupel.features.pricing.api_schemas import (
    PromotionIn,
    PromotionList,
    PromotionOut,
    SaleIn,
    SaleOut,
    SalePage,
    SalePatch,
    promotions_out,
    raw_of,
    sale_out,
)
from graupel.features.products.api import REPEATABLE, Cursor, IfMatch, Limit, RecordId, TokenActor
from graupel.web.problem import PreconditionRequired, responses
from graupel.web.security import Ctx

router = APIRouter()


def _codes(ctx: Ctx, actor: Actor) -> dict[int, str]:
    return {one.id: one.code for one in promotions.every(ctx, actor)}


def _one(ctx: Ctx, actor: Actor, response: Response, sale_id: int) -> SaleOut:
    found = planned.one(ctx, actor, sale_id)
    response.headers["ETag"] = f'"{found.version}"'
    return sale_out(found, _codes(ctx, actor))


def _ids(ctx: Ctx, actor: Actor) -> dict[str, int]:
    return {code: key for key, code in _codes(ctx, actor).items()}


@router.get("/sales", response_model=SalePage, responses=responses(403, 422))
def list_sales(ctx: Ctx, actor: TokenActor, limit: Limit = 50, cursor: Cursor = None) -> SalePage:
    """Sales in the order of their ids, those that ended too."""
    found = planned.after(ctx, actor, int(cursor or 0), limit + 1)
    more = str(found[limit - 1].sale.id) if len(found) > limit else None
    codes = _codes(ctx, actor)
    return SalePage(items=[sale_out(one, codes) for one in found[:limit]], next=more)


@router.post(
    "/sales", response_model=SaleOut, status_code=201, responses=responses(403, 409, 413, 422), dependencies=REPEATABLE
)
def plan_sale(ctx: Ctx, actor: TokenActor, body: SaleIn, response: Response) -> SaleOut:
    """Plan a sale. One that nothing sets apart from another is refused, with both named."""
    sale_id = selling.plan(ctx, actor, raw_of(body, _ids(ctx, actor)), body.goods)
    response.headers["Location"] = f"/api/v1/sales/{sale_id}"
    return _one(ctx, actor, response, sale_id)


@router.get("/sales/{sale_id}", response_model=SaleOut, responses=responses(403, 404, 422))
def read_sale(ctx: Ctx, actor: TokenActor, sale_id: RecordId, response: Response) -> SaleOut:
    """A sale with its goods."""
    return _one(ctx, actor, response, sale_id)


@router.patch("/sales/{sale_id}", response_model=SaleOut, responses=responses(403, 404, 409, 412, 413, 422, 428))
def change_sale(
    ctx: Ctx, actor: TokenActor, sale_id: RecordId, body: SalePatch, response: Response, if_match: IfMatch = None
) -> SaleOut:
    """Change a sale. One that is on keeps the moment at which it began."""
    if not if_match:
        raise PreconditionRequired("Send If-Match with the ETag that reading the record gave.")
    there = planned.one(ctx, actor, sale_id)
    if if_match.strip() not in ("*", f'"{there.version}"'):
        raise Outdated("The sale was changed since it was read. Read it again, then repeat the change.", {})
    selling.save(ctx, actor, sale_id, raw_of(body, _ids(ctx, actor)))
    return _one(ctx, actor, response, sale_id)


@router.post("/sales/{sale_id}/end", response_model=SaleOut, responses=responses(403, 404, 422))
def end_sale(ctx: Ctx, actor: TokenActor, sale_id: RecordId, response: Response) -> SaleOut:
    """End a sale that is on."""
    selling.end_now(ctx, actor, sale_id)
    return _one(ctx, actor, response, sale_id)


@router.delete("/sales/{sale_id}", status_code=204, responses=responses(403, 404, 422))
def take_back_sale(ctx: Ctx, actor: TokenActor, sale_id: RecordId) -> Response:
    """Take back a sale that has not begun."""
    selling.remove(ctx, actor, sale_id)
    return Response(status_code=204)


# --- promotions ----------------------------------------------------------------------------------------------


@router.get("/promotions", response_model=PromotionList, responses=responses(403))
def list_promotions(ctx: Ctx, actor: TokenActor) -> PromotionList:
    """All promotions."""
    return promotions_out(promotions.every(ctx, actor))


def _promotion(ctx: Ctx, actor: Actor, promotion_id: int) -> PromotionOut:
    found = promotions_out(promotions.every(ctx, actor)).items
    one = next((one for one in found if one.id == promotion_id), None)
    if one is None:
        raise NotFound("There is no such promotion.")
    return one


@router.post(
    "/promotions",
    response_model=PromotionOut,
    status_code=201,
    responses=responses(403, 409, 413, 422),
    dependencies=REPEATABLE,
)
def make_promotion(ctx: Ctx, actor: TokenActor, body: PromotionIn) -> PromotionOut:
    """Make a promotion."""
    return _promotion(ctx, actor, promotions.save(ctx, actor, None, body.raw))


@router.put("/promotions/{promotion_id}", response_model=PromotionOut, responses=responses(403, 404, 413, 422))
def change_promotion(ctx: Ctx, actor: TokenActor, promotion_id: RecordId, body: PromotionIn) -> PromotionOut:
    """Write all of a promotion."""
    return _promotion(ctx, actor, promotions.save(ctx, actor, promotion_id, body.raw))


@router.delete("/promotions/{promotion_id}", status_code=204, responses=responses(403, 404, 422))
def remove_promotion(ctx: Ctx, actor: TokenActor, promotion_id: RecordId) -> Response:
    """Take a promotion away to which no sale belongs."""
    promotions.remove(ctx, actor, promotion_id)
    return Response(status_code=204)
