"""Buying in the shop window: an article into the basket, the basket, the order, and the order's page."""

import secrets
from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any
from urllib.parse import urlsplit

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import FileResponse, RedirectResponse, Response

from graupel.context import Context
from graupel.core import countries, languages, order_forms
from graupel.core.baskets import Change
from graupel.core.errors import GraupelError, NotAllowed, NotFound, Refused
from graupel.core.order_forms import PaysBy
from graupel.core.problems import Problem, by_field
from graupel.features.orders import baskets, buyer_files, mails, paying, placing, reading, rules
from graupel.features.orders.placing import BasketChanged
from graupel.features.reviews import service as reviews
from graupel.features.shop import basket_words, buying, menus, related, service, windows
from graupel.features.shop.framing import BASKET_COOKIE, basket_secret, page_in, place_of, say_in, who_of
from graupel.features.shop.heads import Head
from graupel.features.shop.pages import article_page, number_of
from graupel.features.shop.schemas import LONGEST, BasketTyped, Bought, ReviewTyped
from graupel.features.shop.windows import Window
from graupel.features.wording import service as wording
from graupel.web import formats
from graupel.web.frame import page
from graupel.web.looking import at_once
from graupel.web.security import SAFE_METHODS, Anyone, Ctx, form_of, host_of, set_cookie
from graupel.web.sent import FormOf

#: A basket is kept by the browser for so long.
BASKET_SECONDS = 30 * 86_400


def from_this_shop(request: Request, form: Annotated[Any, Depends(form_of)]) -> None:
    """Refuse a write that another site's page sends: browsers say where a form comes from (Fetch Metadata, Origin)."""
    if request.method in SAFE_METHODS:
        return
    site, origin = request.headers.get("Sec-Fetch-Site", ""), request.headers.get("Origin", "")
    theirs = origin and host_of(urlsplit(origin).netloc) != host_of(request.headers.get("Host", ""))
    if site in ("cross-site", "same-site") or theirs:
        raise NotAllowed("This came from another site.")


router = APIRouter(dependencies=[Depends(from_this_shop)])


def _with_basket(request: Request, ctx: Context) -> tuple[str, bool]:
    """The secret of a browser's basket, made where it has none; and whether it was made."""
    secret = basket_secret(request)
    return (secret, False) if secret else (secrets.token_urlsafe(24), True)


# --- an article ----------------------------------------------------------------------------------------------


@router.post("/shop/p/{address}/asked")
@router.post("/shop/{where}/p/{address}/asked")
@at_once
def look(request: Request, ctx: Ctx, signed: Anyone, address: str, form: FormOf[Bought], where: str = "") -> Response:
    """The form beside an article as it is with what was answered so far: which choices are asked, and what it costs."""
    window = windows.window(ctx, where)
    found = service.product(ctx, window, number_of(address), signed.actor if signed else None)
    shown = next((one for one in found.product.for_sale if one.id == form.v), None)
    return page(
        request,
        "shop/buy.html",
        window=window,
        say=say_in(window),
        article_path=found.paths[window.seen.language],
        variant_id=form.v,
        can_be_had=True,
        raises=found.product.values.buyer_raises,
        sold_in=found.product.values.sold_in,
        buy=replace(
            buying.asked(ctx, window, found, shown, form.raw, form.n, form.pays),
            offered=ctx.db.run(lambda tx: related.offered(ctx, tx, window, found.product.id)),
            ticked=form.ticked,
        ),
        **window.shown,
    )


@router.post("/shop/p/{address}/basket")
@router.post("/shop/{where}/p/{address}/basket")
def put(request: Request, ctx: Ctx, signed: Anyone, address: str, form: FormOf[Bought], where: str = "") -> Response:
    """Puts an article into the basket, with what was chosen."""
    window = windows.window(ctx, where)
    secret, is_new = _with_basket(request, ctx)
    try:
        told = baskets.put(ctx, place_of(window), secret, form.v, form.n, form.raw, form.files(), form.pays)
    except Refused as refusal:
        found = service.product(ctx, window, number_of(address), signed.actor if signed else None)
        return article_page(request, ctx, window, found, form.v, form, refusal.problems)
    baskets.put_with(ctx, place_of(window), secret, form.ticked)
    answer: Response = RedirectResponse(f"{window.path}/basket", 303)
    if told:  # it has to be said what was changed, so the basket is shown at once
        answer = _basket(request, ctx, window, told, secret=secret, is_trial=signed is not None)
    if is_new:
        set_cookie(answer, ctx.settings, BASKET_COOKIE, secret, seconds=BASKET_SECONDS)
    return answer


@router.post("/shop/p/{address}/review")
@router.post("/shop/{where}/p/{address}/review")
def review(
    request: Request, ctx: Ctx, signed: Anyone, address: str, form: FormOf[ReviewTyped], where: str = ""
) -> Response:
    """Takes a review in, which is shown when somebody of the shop has read it."""
    window = windows.window(ctx, where)
    found = service.product(ctx, window, number_of(address), signed.actor if signed else None)
    try:
        reviews.write(ctx, found.product.id, window.seen.language, who_of(request), form.typed)
    except Refused as refusal:
        typed = {name: form.typed.get(name, "")[:LONGEST] for name in ("name", "stars", "text")}
        wrong = {one.field or "": one.message for one in refusal.problems}
        return article_page(request, ctx, window, found, 0, review=typed, review_wrong=wrong)
    return RedirectResponse(f"{found.paths[window.seen.language]}?thanks=yes#reviews", 303)


# --- the basket ----------------------------------------------------------------------------------------------


@router.get("/shop/basket")
@router.get("/shop/{where}/basket")
@at_once
def show(request: Request, ctx: Ctx, signed: Anyone, where: str = "") -> Response:
    """What stands in the basket, and the form to order it."""
    window = windows.window(ctx, where)
    return _basket(request, ctx, window, is_trial=signed is not None)


@router.post("/shop/basket")
@router.post("/shop/{where}/basket")
def change(request: Request, ctx: Ctx, signed: Anyone, form: FormOf[BasketTyped], where: str = "") -> Response:
    """Changes how many there are, or orders."""
    window = windows.window(ctx, where)
    secret, place = basket_secret(request), place_of(window)
    if form.do != "order" or form.drop:
        told = baskets.change(ctx, place, secret, form.counts, form.buyer)
        return _basket(request, ctx, window, told, unread=form.unread, is_trial=signed is not None)
    try:
        ordered = placing.Form(form.buyer, form.pays_by, form.shown)
        page_secret = placing.place(ctx, place, secret, ordered, signed.actor if signed else None)
    except BasketChanged as changed:
        return _basket(request, ctx, window, changed.changes, changed=True, is_trial=signed is not None)
    except Refused as refusal:
        return _basket(request, ctx, window, problems=refusal.problems, is_trial=signed is not None)
    return RedirectResponse(f"/shop/o/{page_secret}?begin=yes", 303)


def _basket(
    request: Request,
    ctx: Context,
    window: Window,
    told: Sequence[Change] = (),
    *,
    secret: str = "",
    problems: Sequence[Problem] = (),
    changed: bool = False,
    unread: bool = False,
    is_trial: bool,
) -> Response:
    place, say = place_of(window), say_in(window)
    found = baskets.read(ctx, place, secret or basket_secret(request))
    ways = ctx.db.run(lambda tx: rules.ways(ctx, tx, found.total))
    codes = found.countries or (countries.names().keys() if found.sending.ships else ())
    names = countries.names(window.seen.locale)
    wrong = by_field(problems)
    odd = [say("A number, please, such as {}.", "2")] if unread else []
    return page_in(
        request,
        window,
        "shop/basket.html",
        status=422 if problems else 409 if changed else 200,
        head=Head(say("Basket"), "", "", _paths(window, "/basket"), [], is_found=False),
        menu=menus.menu(ctx, window),
        found=found,
        lines=basket_words.lines(window, found),
        changes=odd + basket_words.changes(window, [*told, *(() if changed else found.basket.changes)])
        or ([basket_words.total(window, found)] if changed else []),
        changed=changed,
        arrives=basket_words.arrives(window, found.sending.arrival),
        not_sent=basket_words.not_sent(window, found),
        ways=ways,
        by_transfer=PaysBy.TRANSFER,
        typed={name: found.typed.get(name, "") for name in (*order_forms.LENGTHS, "pays_by")},
        countries_to=[(code, names.get(code, code)) for code in sorted(codes, key=lambda code: names.get(code, code))],
        wrong=wrong,
        is_trial=is_trial,
    )


def _paths(window: Window, rest: str) -> dict[str, str]:
    return {code: one.path + rest for code, one in window.in_languages().items()}


# --- the order's page ----------------------------------------------------------------------------------------


def _window_of(ctx: Context, found: reading.Order) -> Window:
    """The shop and language in which an order was placed."""
    assert found.placed is not None  # it was found by its page
    destination, lang = found.row["destination"], found.placed["lang"]
    return windows.window_of(ctx, destination, lang)


@router.get("/shop/o/{secret}")
def order(
    request: Request, ctx: Ctx, signed: Anyone, secret: str, begin: Annotated[str, Query(max_length=10)] = ""
) -> Response:
    """What was ordered, and how it stands. ``begin``: it was placed at this moment, so the buyer goes on to pay."""
    found = reading.read_page(ctx, secret)
    return _order(request, ctx, found, goes_on=bool(begin))


def _order(
    request: Request, ctx: Context, found: reading.Order, *, goes_on: bool = False, trouble: str = ""
) -> Response:
    window = _window_of(ctx, found)
    say, placed = say_in(window), found.placed
    assert placed is not None
    to_pay = paying.may_pay(found.row, placed)
    locale = languages.locale(placed["lang"])
    return page_in(
        request,
        replace(window, shop=replace(window.shop, currency=placed["currency"])),
        "shop/order.html",
        head=Head(say("Order {}", found.row["code"]), "", "", {}, [], is_found=False),
        menu=menus.menu(ctx, window),
        found=found,
        to_pay=to_pay,
        goes_on=goes_on and to_pay and not placed["payment_id"],
        trouble=trouble,
        transfer_to=mails.placed_transfer(ctx) if placed["pays_by"] == PaysBy.TRANSFER else "",
        days=[formats.weekday(day, locale) for day in (placed["first_day"], placed["last_day"]) if day],
        standing=basket_words.standing(window, found),
        download_words=basket_words.downloads(window),
        names=ctx.db.run(lambda tx: wording.in_lens(tx, "download", "name", window.lens)) if found.links else {},
    )


@router.get("/shop/o/{secret}/pay")
def pay(request: Request, ctx: Ctx, signed: Anyone, secret: str) -> Response:
    """Goes on to the till, where a payment is opened, or is open."""
    found = reading.read_page(ctx, secret)
    say = say_in(_window_of(ctx, found))
    back = f"{ctx.settings.address}/shop/o/{secret}/back"
    try:
        to = paying.start(ctx, secret, f"{ctx.settings.shop_name}: {found.row['code']}", back)
    except Refused:
        return RedirectResponse(f"/shop/o/{secret}", 303)
    except GraupelError:
        trouble = say("The till can’t be reached now. Your order is kept: try again in a moment.")
        return _order(request, ctx, found, trouble=trouble)
    return RedirectResponse(to, 303)


@router.get("/shop/o/{secret}/back")
def back(request: Request, ctx: Ctx, signed: Anyone, secret: str) -> Response:
    """Back from the till, which is asked what became of it."""
    found = reading.read_page(ctx, secret)
    try:
        paying.look(ctx, found.row["id"])
    except GraupelError:
        say = say_in(_window_of(ctx, found))
        return _order(
            request, ctx, found, trouble=say("The till does not answer yet; this page will know in a moment.")
        )
    return RedirectResponse(f"/shop/o/{secret}", 303)


@router.get("/shop/o/{secret}/files/{kept_as}")
def own_file(ctx: Ctx, signed: Anyone, secret: str, kept_as: str) -> Response:
    """A file that the buyer handed in."""
    found = reading.read_page(ctx, secret)
    file = ctx.db.run(lambda tx: buyer_files.find(tx, kept_as))
    if file is None or file["order_id"] != found.row["id"]:
        raise NotFound("There is no such file.")
    path = buyer_files.path_of(ctx, file["sha256"])
    if not path.exists():
        raise NotFound("There is no such file.")
    return FileResponse(path, media_type="application/octet-stream", filename=file["name"])
