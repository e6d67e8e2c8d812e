"""Delivery promises for programs, under /api/v1."""

from fastapi import APIRouter, Response

from graupel.core.errors import NotFound
from graupel.core.roles import Actor
from graupel.features.delivery import service
from graupel.features.delivery.api_schemas import PromiseIn, PromiseList, PromiseOut, promise_out
from graupel.features.products.api import REPEATABLE, RecordId, TokenActor
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()


@router.get("/delivery-promises", response_model=PromiseList, responses=responses(403))
def list_promises(ctx: Ctx, actor: TokenActor) -> PromiseList:
    """All delivery promises, by name."""
    said = service.read(ctx, actor)
    return PromiseList(items=[promise_out(said, one) for one in said.promises.values()])


def _one(ctx: Ctx, actor: Actor, promise_id: int) -> PromiseOut:
    said = service.read(ctx, actor)
    if promise_id not in said.promises:
        raise NotFound("There is no such delivery promise.")
    return promise_out(said, said.promises[promise_id])


@router.post(
    "/delivery-promises",
    response_model=PromiseOut,
    status_code=201,
    responses=responses(403, 409, 413, 422),
    dependencies=REPEATABLE,
)
def make_promise(ctx: Ctx, actor: TokenActor, body: PromiseIn) -> PromiseOut:
    """Make a delivery promise."""
    return _one(ctx, actor, service.save_promise(ctx, actor, None, body.raw, body.rows, body.stands))


@router.put("/delivery-promises/{promise_id}", response_model=PromiseOut, responses=responses(403, 404, 413, 422))
def change_promise(ctx: Ctx, actor: TokenActor, promise_id: RecordId, body: PromiseIn) -> PromiseOut:
    """Write all of a delivery promise. What another one stood for until now, this one may take over."""
    return _one(ctx, actor, service.save_promise(ctx, actor, promise_id, body.raw, body.rows, body.stands))


@router.delete("/delivery-promises/{promise_id}", status_code=204, responses=responses(403, 404, 422))
def remove_promise(ctx: Ctx, actor: TokenActor, promise_id: RecordId) -> Response:
    """Take a promise away that no product names."""
    service.remove_promise(ctx, actor, promise_id)
    return Response(status_code=204)
