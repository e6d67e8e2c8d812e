"""The goods of a category, conditions with their dry run, and the assortment of a shop."""

from collections.abc import Sequence
from typing import Any, Literal

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import conditions as rules
from graupel.core import countries
from graupel.core.categories import ORDER_WORDS, Order
from graupel.core.conditions import FIELDS, QUESTIONS, Condition
from graupel.core.errors import Refused
from graupel.core.records import FieldKind
from graupel.core.roles import Actor, Identity, Role
from graupel.core.tables import TableState
from graupel.features.assortments import service
from graupel.features.assortments.schemas import Asked, Goods, Ordered, Paged, Row, ShopGoods, Shows
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Shop
from graupel.features.products import table
from graupel.features.vocabulary import service as vocabulary
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])
SHOWN = 200
FOUND = 12


# --- the goods of a category ---------------------------------------------------------------------------------


@router.get("/categories/{category_id:int}/goods")
def show(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Paged], category_id: int) -> Response:
    """The goods of a category in the shop's order, and its conditions."""
    return _goods(request, ctx, signed, category_id, asked=asked)


def _goods(
    request: Request,
    ctx: Context,
    signed: Identity,
    category_id: int,
    *,
    asked: Paged,
    trouble: str = "",
    said: str = "",
) -> Response:
    """The part; ``asked``: from which of the goods on it shows them, and what was searched for to be put in."""
    placed = service.placed(ctx, signed.actor, category_id)
    begin = _begin(asked, len(placed.ids))
    return page(
        request,
        "assortments/goods.html",
        part="assortments/goods_part.html",
        status=422 if trouble else 200,
        category=categories.read_tree(ctx).by_id[category_id],
        placed=placed,
        rows=table.rows_of(ctx, signed.actor, placed.ids[begin : begin + SHOWN]),
        begin=begin,
        shown=SHOWN,
        q=asked.q,
        found=_found(ctx, signed.actor, asked.q),
        there=placed.ways,
        put=f"/categories/{category_id}/goods/put",
        target="#goods-part",
        orders=ORDER_WORDS,
        trouble=trouble,
        said=said,
        may_edit=signed.actor.may(Role.EDITOR),
        **_asked(ctx, "category", category_id, placed.conditions),
    )


def _begin(asked: Paged, count: int) -> int:
    """The place of the first of the goods that are shown: that of a page, and of one that is there."""
    return min(asked.begin, max(0, count - 1)) // SHOWN * SHOWN


@router.get("/categories/{category_id:int}/goods/find")
def find(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Paged], category_id: int) -> Response:
    """Products to put in, by a search."""
    rows = _found(ctx, signed.actor, asked.q)
    there = service.placed(ctx, signed.actor, category_id).ways
    return page(
        request,
        "assortments/found.html",
        rows=rows,
        there=there,
        q=asked.q,
        put=f"/categories/{category_id}/goods/put",
        target="#goods-part",
    )


def _found(ctx: Context, actor: Actor, q: str) -> list[dict[str, Any]]:
    return table.read(ctx, actor, TableState.read({"q": [q]})).rows[:FOUND] if q else []


@router.post("/categories/{category_id:int}/goods/put")
def put_in(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Goods], category_id: int) -> Response:
    """Puts products in; with ``order``, at the place where they were dropped."""
    count = service.put_in(ctx, signed.actor, category_id, form.ids)
    if form.order is not None:
        by_hand = _whole(ctx, signed.actor, category_id, form, form.order)
        service.set_order(ctx, signed.actor, category_id, Order.HAND, by_hand)
    said = f"Put in: {count}." if count else "It is there already."
    return _goods(request, ctx, signed, category_id, asked=form, said=said)


def _whole(ctx: Context, actor: Actor, category_id: int, asked: Paged, ids: Sequence[int]) -> list[int]:
    """The order by hand that a page of the goods says: before it stand those of the pages before."""
    there = service.placed(ctx, actor, category_id).ids
    return [one for one in there[: _begin(asked, len(there))] if one not in ids] + list(ids)


@router.post("/categories/{category_id:int}/goods/take")
def take_out(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Goods], category_id: int) -> Response:
    """Takes products out."""
    try:
        count = service.take_out(ctx, signed.actor, category_id, form.ids)
    except Refused as refusal:
        return _goods(request, ctx, signed, category_id, asked=form, trouble=refusal.problems[0].message)
    return _goods(request, ctx, signed, category_id, asked=form, said=f"Taken out: {count}.")


@router.post("/categories/{category_id:int}/goods/order")
def order(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Ordered], category_id: int) -> Response:
    """Keeps the order, by a rule or by hand."""
    is_moved = bool(form.ids) and form.order is Order.HAND
    by_hand = _whole(ctx, signed.actor, category_id, form, form.ids) if is_moved else None
    service.set_order(ctx, signed.actor, category_id, form.order, by_hand)
    return _goods(request, ctx, signed, category_id, asked=form, said="Order kept.")


@router.post("/categories/{category_id:int}/goods/top")
def to_the_top(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Goods], category_id: int) -> Response:
    """Lets goods stand before all others; the order is by hand from then on."""
    there = service.placed(ctx, signed.actor, category_id).ids
    first = [one for one in form.ids if one in there]
    by_hand = [*first, *(one for one in there if one not in first)][: service.MOST_BY_HAND]
    service.set_order(ctx, signed.actor, category_id, Order.HAND, by_hand)
    return _goods(request, ctx, signed, category_id, asked=form, said="It stands first now.")


# --- conditions ----------------------------------------------------------------------------------------------


def _options(ctx: Context) -> dict[str, list[tuple[int | str, str]]]:
    """What can be chosen in conditions, by what is asked: records of the vocabulary, and countries."""
    named = service.condition_names(vocabulary.read(ctx))
    found: dict[str, list[tuple[int | str, str]]] = {
        key: sorted(names.items(), key=lambda pair: pair[1].casefold()) for key, names in named.items()
    }
    countries_of = [name for name, field in FIELDS.items() if field.kind is FieldKind.COUNTRY]
    return found | {name: list(countries.names().items()) for name in countries_of}


def _asked(ctx: Context, owner: str, owner_id: int, conditions: Sequence[Condition], **more: Any) -> dict[str, Any]:
    """What the panel of conditions is given."""
    rows = [
        {"field": one.field, "op": one.op, "value": one.value or (str(one.ref_id) if one.ref_id else "")}
        for one in conditions
    ]
    return {
        "owner": owner,
        "owner_id": owner_id,
        "asked": rows,
        "questions": QUESTIONS,
        "options": _options(ctx),
        "plan": None,
        "condition_problems": {},
        "currency_code": ctx.settings.currency,
        **more,
    }


@router.get("/conditions/row")
def row(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Row]) -> Response:
    """A row for another question."""
    one = {"field": asked.field, "op": QUESTIONS[asked.field][1][0], "value": ""}
    return page(
        request,
        "assortments/condition.html",
        one=one,
        place="new",
        questions=QUESTIONS,
        options=_options(ctx),
        may_edit=True,
        condition_problems={},
        currency_code=ctx.settings.currency,
    )


Owner = Literal["category", "shop"]


@router.post("/conditions/{owner}/{owner_id}/plan")
def plan(
    request: Request,
    ctx: Ctx,
    signed: Signed,
    form: FormOf[Asked],
    owner: Owner,
    owner_id: int,
) -> Response:
    """Who would come and go; writes nothing."""
    return _conditions(request, ctx, signed, form.rows, owner, owner_id)


def _conditions(
    request: Request, ctx: Context, signed: Identity, typed: list[dict[str, str]], owner: str, owner_id: int
) -> Response:
    data = _asked(ctx, owner, owner_id, [])
    data["asked"] = typed
    try:
        wanted = rules.read(typed, ctx.settings.currency)
        data["plan"] = service.plan_conditions(ctx, signed.actor, owner, owner_id, wanted)
    except Refused as refusal:
        data["condition_problems"] = {problem.field: problem.message for problem in refusal.problems}
    return page(request, "assortments/conditions.html", may_edit=signed.actor.may(Role.EDITOR), **data)


@router.post("/conditions/{owner}/{owner_id}")
def save(
    request: Request,
    ctx: Ctx,
    signed: Signed,
    form: FormOf[Asked],
    owner: Owner,
    owner_id: int,
) -> Response:
    """Keeps the conditions; the category fills itself from then on."""
    try:
        wanted = rules.read(form.rows, ctx.settings.currency)
    except Refused:
        return _conditions(request, ctx, signed, form.rows, owner, owner_id)
    service.save_conditions(ctx, signed.actor, owner, owner_id, wanted)
    to = f"/categories/{owner_id}/goods" if owner == "category" else f"/shops/{owner_id}"
    return Response(status_code=204, headers={"HX-Redirect": to})


# --- the assortment of a shop --------------------------------------------------------------------------------


def part_data(ctx: Context, actor: Actor, shop: Shop) -> dict[str, Any]:
    found = service.assortment(ctx, actor, shop)
    return {
        "shop": shop,
        "found": found,
        "tree": categories.read_tree(ctx),
        "chosen": table.rows_of(ctx, actor, found.products[:SHOWN]),
        "left_out": table.rows_of(ctx, actor, found.left_out[:SHOWN]),
        **_asked(ctx, "shop", shop.id, found.conditions),
    }


def _shop_part(request: Request, ctx: Context, signed: Identity, shop_id: int) -> Response:
    shop = destinations.read_shop(ctx, signed.actor, shop_id)
    data = part_data(ctx, signed.actor, shop)
    return page(request, "assortments/shop.html", data=data, may_edit=signed.actor.may(Role.EDITOR))


@router.post("/shops/{shop_id:int}/assortment")
def shows(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Shows], shop_id: int) -> Response:
    """Whether the shop shows everything, and which categories it shows."""
    signed.actor.require(Role.EDITOR)
    shop = destinations.read_shop(ctx, signed.actor, shop_id)
    wanted = form.shows == "all"
    if wanted != shop.shows_all:
        service.set_shows_all(ctx, signed.actor, shop, wanted)
    if not wanted and form.has_categories:
        there, ids = service.assortment(ctx, signed.actor, shop).categories, form.categories
        service.put_in_shop(ctx, signed.actor, shop_id, "category", [one for one in ids if one not in there])
        service.forget_in_shop(ctx, signed.actor, shop_id, "category", [one for one in there if one not in ids])
    return Response(status_code=204, headers={"HX-Refresh": "true"})


@router.get("/shops/{shop_id:int}/goods/find")
def find_for_shop(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Paged], shop_id: int) -> Response:
    """Products to put into the assortment, by a search."""
    return page(
        request,
        "assortments/found.html",
        rows=_found(ctx, signed.actor, asked.q),
        there={},
        q=asked.q,
        put=f"/shops/{shop_id}/goods",
        target="#assortment",
    )


@router.post("/shops/{shop_id:int}/goods")
def goods_of_shop(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ShopGoods], shop_id: int) -> Response:
    """Puts products in, leaves them out, or says nothing of them any more."""
    if form.what == "forget":
        service.forget_in_shop(ctx, signed.actor, shop_id, "product", form.ids)
    else:
        service.put_in_shop(ctx, signed.actor, shop_id, "product", form.ids, left_out=form.what == "out")
    return _shop_part(request, ctx, signed, shop_id)
