"""Reviews: those that wait and all others, and the part of the product editor."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core.reviews import State
from graupel.core.roles import Actor, Identity, Role
from graupel.features.destinations.service import Seen
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.reviews import service
from graupel.features.reviews.schemas import Allowed, Judged, ReviewsAsked
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/reviews", dependencies=[Depends(from_our_own_page)])
VIEWS = {"waiting": "To be read", "shown": "Shown", "hidden": "Hidden", "reported": "Reported", "": "All"}


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[ReviewsAsked]) -> Response:
    """Reviews, those to be read first."""
    return _list(request, ctx, signed, asked)


def _list(request: Request, ctx: Context, signed: Identity, asked: ReviewsAsked, tried: Attempt = FRESH) -> Response:
    return page(
        request,
        "reviews/reviews.html",
        part="reviews/reviews_part.html",
        found=service.list_reviews(ctx, signed.actor, asked.state, asked.before),
        asked=asked,
        views=VIEWS,
        states=State,
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


@router.post("/{review_id:int}")
def judge(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[Judged], asked: QueryOf[ReviewsAsked], review_id: int
) -> Response:
    """Shows, hides, reports or answers a review."""
    tried = attempt(
        lambda: service.judge(ctx, signed.actor, review_id, form.state, form.answer, form.reason, form.marks),
        review_id,
        form,
        form.marks,
    )
    return _list(request, ctx, signed, asked, tried)


# --- the part of the product editor --------------------------------------------------------------------------


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""
    allowed, counts = service.of_product(ctx, actor, product.id)
    return {
        "allowed": allowed,
        "shown": counts.get(State.SHOWN, 0),
        "waiting": counts.get(State.WAITING, 0),
        "may_edit": actor.may(Role.EDITOR),
    }


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark."""
    return "half" if data["waiting"] else "full" if data["allowed"] else "dash"


product_router = APIRouter(prefix="/products/{product_id}/reviews", dependencies=[Depends(from_our_own_page)])


@product_router.post("")
def allow(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Allowed], product_id: int) -> Response:
    """Lets buyers review a product, or no longer."""
    service.allow(ctx, signed.actor, product_id, form.allowed)
    product = products.read(ctx, signed.actor, product_id)
    data = part_data(ctx, signed.actor, product, request.state.seen)
    return page(request, "reviews/part.html", product=product, data=data)
