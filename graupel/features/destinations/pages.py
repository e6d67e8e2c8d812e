"""The pages of shops and their languages."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import languages, phrases
from graupel.core.errors import Refused
from graupel.core.problems import Problem, by_field
from graupel.core.roles import Identity, Role
from graupel.features.destinations import parts, service, shops
from graupel.features.destinations.schemas import ShopTyped
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])


@router.get("/shops")
def show(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All shops."""
    empty = {"name": "", "address_part": "", "currency": "", "languages": ""}
    return _list(request, ctx, signed, empty, [])


def _list(request: Request, ctx: Context, signed: Identity, typed: dict[str, Any], problems: list[Problem]) -> Response:
    return page(
        request,
        "destinations/shops.html",
        status=422 if problems else 200,
        shops=service.list_shops(ctx, signed.actor),
        channels=[one for one in service.read_all(ctx).all if not one.is_shop],
        typed=typed,
        problems=by_field(problems),
        may_change=signed.actor.may(Role.OWNER),
        first_currency=ctx.settings.currency,
        offered=_offered([]),
    )


def _offered(chosen: list[str]) -> list[tuple[str, str]]:
    """The chosen languages in their order, then common ones; said of those in which the shop window does not speak."""
    offered = [(code, languages.name(code)) for code in chosen] + shops.offered_languages(chosen)
    return [
        (code, name if phrases.speaks(code) else f"{name} (the shop’s own words in English)") for code, name in offered
    ]


@router.post("/shops")
def make(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ShopTyped]) -> Response:
    """Makes a further shop."""
    try:
        shop_id = shops.make_shop(ctx, signed.actor, form.raw)
    except Refused as refusal:
        return _list(request, ctx, signed, form.raw, refusal.problems)
    return Response(status_code=204, headers={"HX-Redirect": f"/shops/{shop_id}"})


@router.get("/shops/{shop_id:int}")
def show_one(request: Request, ctx: Ctx, signed: Signed, shop_id: int) -> Response:
    """One shop."""
    return _one(request, ctx, signed, shop_id)


def _one(
    request: Request,
    ctx: Context,
    signed: Identity,
    shop_id: int,
    typed: dict[str, str] | None = None,
    problems: list[Problem] | None = None,
    said: str = "",
    marks_then: dict[str, str] | None = None,
) -> Response:
    shop = service.read_shop(ctx, signed.actor, shop_id)
    fields = typed or shops.flat(shop)
    return page(
        request,
        "destinations/shop.html",
        part="destinations/shop_part.html",
        status=422 if problems else 200,
        shop=shop,
        showing=shops.flat(shop),
        marks_then=marks_then,
        typed=fields,
        chosen=fields["languages"].split(),
        offered=_offered(fields["languages"].split()),
        problems=by_field(problems or []),
        said=said,
        is_first=shop_id == service.FIRST,
        may_change=signed.actor.may(Role.OWNER),
        may_edit=signed.actor.may(Role.EDITOR),
        added=[(part, part.data(ctx, signed.actor, shop)) for part in parts.all_parts()],
    )


@router.post("/shops/{shop_id:int}")
def save(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ShopTyped], shop_id: int) -> Response:
    """Saves what was typed of a shop."""
    try:
        shops.save_shop(ctx, signed.actor, shop_id, form.raw, form.marks)
    except Refused as refusal:
        return _one(request, ctx, signed, shop_id, form.raw, refusal.problems, marks_then=form.marks)
    return _one(request, ctx, signed, shop_id, said="Saved.")
