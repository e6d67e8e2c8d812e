"""Channels, their listings, and the part of the product editor that sends a product to them."""

from typing import Any, Literal

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.channels import kinds
from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.listings import STATE_WORDS, ListingState
from graupel.core.problems import by_field
from graupel.core.roles import Actor, Identity, Role
from graupel.features.destinations.service import Seen
from graupel.features.listings import connecting, sending, standing
from graupel.features.listings.schemas import ChannelTyped, Details, Language, ListingsAsked
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])

SHAPES = {
    ListingState.SENDING: "ring",
    ListingState.REVIEW: "diamond",
    ListingState.ON_SALE: "full",
    ListingState.REFUSED: "crossed",
    ListingState.ENDING: "ring",
    ListingState.ENDED: "dash",
    ListingState.FAILED: "crossed",
}
WORDS: dict[str, Any] = {"states": STATE_WORDS, "shapes": SHAPES}


@router.get("/channels")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All channels."""
    return _index(request, ctx, signed)


def _index(
    request: Request, ctx: Ctx, signed: Signed, *, problems: Any = None, given: Any = None, status: int = 200
) -> Response:
    return page(
        request,
        "listings/channels.html",
        status=status,
        kinds=kinds(),
        channels=connecting.list_channels(ctx, signed.actor),
        problems=by_field(problems or []),
        given=given or {},
        may_connect=signed.actor.may(Role.OWNER),
        **WORDS,
    )


@router.post("/channels")
def connect(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ChannelTyped]) -> Response:
    """Connects a channel."""
    given = form.given("kind", "name", "address", "secret")
    try:
        channel_id = connecting.connect(ctx, signed.actor, **given)
    except Refused as refusal:
        return _index(request, ctx, signed, problems=refusal.problems, given=given, status=422)
    return RedirectResponse(f"/channels/{channel_id}", 303)


@router.get("/channels/{channel_id}")
def show(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[ListingsAsked], channel_id: int) -> Response:
    """One channel: whether it answers, and what stands on it."""
    return _show(request, ctx, signed, channel_id, asked)


def _show(
    request: Request, ctx: Context, signed: Identity, channel_id: int, asked: ListingsAsked | None = None, **data: Any
) -> Response:
    refusal: Refused | None = data.pop("refusal", None)
    asked = asked or ListingsAsked()
    channel = connecting.read_channel(ctx, signed.actor, channel_id)
    return page(
        request,
        "listings/channel.html",
        part="listings/listings.html",
        status=422 if refusal else 200,
        channel=channel,
        given={name: channel[name] for name in ("name", "address")} | data.pop("given", {}),
        problems=by_field(refusal.problems) if refusal else {},
        listings=standing.list_listings(ctx, signed.actor, channel_id, asked.state, asked.after),
        state=asked.state,
        may_connect=signed.actor.may(Role.OWNER),
        **WORDS,
    )


@router.post("/channels/{channel_id}")
def change(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ChannelTyped], channel_id: int) -> Response:
    """Changes name, address or key of a channel."""
    given = form.given("name", "address", "secret")
    try:
        connecting.change(ctx, signed.actor, channel_id, **given)
    except Refused as refusal:
        return _show(request, ctx, signed, channel_id, refusal=refusal, given=given)
    return RedirectResponse(f"/channels/{channel_id}", 303)


@router.post("/channels/{channel_id}/check")
def check(ctx: Ctx, signed: Signed, channel_id: int) -> Response:
    """Asks the channel for its terms and categories again."""
    connecting.request_check(ctx, signed.actor, channel_id)
    return RedirectResponse(f"/channels/{channel_id}", 303)


@router.post("/channels/{channel_id}/language")
def set_language(ctx: Ctx, signed: Signed, form: FormOf[Language], channel_id: int) -> Response:
    """In which language the channel shows goods."""
    connecting.set_language(ctx, signed.actor, channel_id, form.lang)
    return Response(status_code=204, headers={"HX-Refresh": "true"})


# --- the part of the product editor --------------------------------------------------------------------------


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    standings = standing.standings(ctx, actor, product)
    return {
        "standings": standings,
        "product": product,
        "may_send": actor.may(Role.EDITOR),
        "places": {one.channel["id"]: connecting.places(ctx, actor, one.channel["id"]) for one in standings},
        **WORDS,
    }


def part_mark(data: dict[str, Any]) -> str:
    states = [one.state for one in data["standings"]]
    for state in (
        ListingState.REFUSED,
        ListingState.FAILED,
        ListingState.REVIEW,
        ListingState.SENDING,
        ListingState.ON_SALE,
    ):
        if state in states:
            return SHAPES[state]
    return "dash"


def _part(
    request: Request, ctx: Ctx, signed: Signed, product_id: int, *, problems: list[str] | None = None, status: int = 200
) -> Response:
    data = part_data(ctx, signed.actor, products.read(ctx, signed.actor, product_id), request.state.seen)
    return page(request, "listings/part.html", status=status, data=data, part_problems=problems or [])


@router.get("/products/{product_id}/channels")
def part(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """The part alone."""
    return _part(request, ctx, signed, product_id)


@router.post("/products/{product_id}/channels/{channel_id}/{act}")
def act(
    request: Request,
    ctx: Ctx,
    signed: Signed,
    form: FormOf[Details],
    product_id: int,
    channel_id: int,
    act: Literal["keep", "send", "end"],
) -> Response:
    """Keeps category and title of a product on a channel (``keep``), sends it (``send``), or ends it (``end``)."""
    try:
        if act in ("keep", "send"):
            standing.set_details(ctx, signed.actor, product_id, channel_id, form.place, form.title)
        if act == "send":
            sending.request_send(ctx, signed.actor, product_id, channel_id)
        if act == "end":
            sending.request_end(ctx, signed.actor, product_id, channel_id)
    except Refused as refusal:
        return _part(request, ctx, signed, product_id, problems=[p.message for p in refusal.problems], status=422)
    return _part(request, ctx, signed, product_id)
