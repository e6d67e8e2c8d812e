"""Stock for programs, under /api/v1."""

from fastapi import APIRouter

from graupel.features.products.api import REPEATABLE, TokenActor
from graupel.features.stock import service
from graupel.features.stock.api_schemas import BookingsIn, BookingsOut
from graupel.web.problem import responses
from graupel.web.security import Ctx

router = APIRouter()


@router.post(
    "/stock/bookings",
    response_model=BookingsOut,
    responses=responses(403, 404, 409, 413, 422),
    dependencies=REPEATABLE,
)
def book_stock(ctx: Ctx, actor: TokenActor, body: BookingsIn) -> BookingsOut:
    """Book what changed or was counted, all of it or nothing. It moves no version and makes no conflict."""
    return BookingsOut(changed=service.book_codes(ctx, actor, [one.coded for one in body.bookings]))
