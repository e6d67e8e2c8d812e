"""Relations: the part of the product editor, the search for what goes with it, and the kinds."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core.facets import Ids
from graupel.core.products import Status
from graupel.core.roles import Actor, Identity, Role
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.assortments import service as assortments
from graupel.features.categories import service as categories
from graupel.features.destinations.service import Seen
from graupel.features.products import service as products
from graupel.features.products import table
from graupel.features.products.service import Product
from graupel.features.relations import by_category, by_file, cheaper, replacing, service, store
from graupel.features.relations.by_file import Plan
from graupel.features.relations.cheaper import Wish
from graupel.features.relations.rows import RelatedRow
from graupel.features.relations.schemas import (
    KindTyped,
    LinesTyped,
    Looked,
    RelatedTyped,
    ReplaceAsked,
    Replacing,
    RuleTyped,
)
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

FOUND = 8
router = APIRouter(prefix="/relations", dependencies=[Depends(from_our_own_page)])
product_router = APIRouter(prefix="/products/{product_id}/relations", dependencies=[Depends(from_our_own_page)])


@dataclass(frozen=True)
class Row:
    """A row of the part: what is related, as which kind, and what was said of its price together. ``product``: None
    where it is not there any more."""

    wish: Wish
    product: RelatedRow | None
    can_be_had: bool = True


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""

    def work(tx: Tx) -> dict[str, Any]:
        related = service.of_product(ctx, tx, product.id)
        had = assortments.set_of(ctx, tx, {"had": ("yes",)}, Ids([one.row["other_id"] for one in related]))
        kinds = service.kinds(tx)
        return {
            "rows": [Row(cheaper.wish_of(ctx, one.row), one.product, one.row["other_id"] in had) for one in related],
            "kinds": kinds,
            "marks": service.flat(related),
            "offered": {row["id"] for row in kinds if row["offered"]},
            "by_rules": by_category.of_goods(ctx, tx, [product.values.category_id, *product.values.categories]),
            "gone": sum(
                one.product is None
                or one.product["status"] == Status.ARCHIVED
                or (one.product["status"] == Status.LIVE and one.row["other_id"] not in had)
                for one in related
            ),
        }

    return ctx.db.run(work) | {"may_edit": actor.may(Role.EDITOR)}


def _as_typed(ctx: Context, wishes: Sequence[Wish]) -> list[Row]:
    """The rows as somebody typed them, where they could not be taken."""
    found = ctx.db.run(lambda tx: store.named(tx, [one.other_id for one in wishes], ctx.settings.language))
    return [Row(one, found.get(one.other_id)) for one in wishes]


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark."""
    return "half" if data["gone"] else "full" if data["rows"] else "dash"


@product_router.post("")
def relate(request: Request, ctx: Ctx, signed: Signed, form: FormOf[RelatedTyped], product_id: int) -> Response:
    """Makes these the related goods of a product, in this order."""
    product = products.read(ctx, signed.actor, product_id)
    tried = attempt(
        lambda: service.relate(ctx, signed.actor, product_id, form.wishes, product.values.name, form.marks),
        "relations",
        form.wishes,
        form.marks,
    )
    product = products.read(ctx, signed.actor, product_id)
    data = part_data(ctx, signed.actor, product, request.state.seen)
    if tried.problems:
        data["rows"] = _as_typed(ctx, form.wishes)
    return page(request, "relations/part.html", product=product, data=data, **tried.shown)


@product_router.get("/find")
def find(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Looked], product_id: int) -> Response:
    """Goods to relate, by a search."""
    rows = _goods(ctx, signed.actor, asked.q, product_id)
    return page(request, "relations/found.html", rows=rows, q=asked.q)


def _goods(ctx: Context, actor: Actor, typed: str, without: int) -> list[dict[str, Any]]:
    """The first products that a search finds, without one."""
    found = table.read(ctx, actor, TableState.read({"q": [typed]})).rows[: FOUND + 1] if typed else []
    return [row for row in found if row["id"] != without][:FOUND]


# --- kinds ---------------------------------------------------------------------------------------------------


@router.get("")
def kinds(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """The kinds of relation."""
    return _kinds(request, ctx, signed)


def _kinds(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    return page(
        request,
        "relations/kinds.html",
        part="relations/kinds_part.html",
        found=service.list_kinds(ctx, signed.actor),
        rules=by_category.list_rules(ctx, signed.actor),
        tree=categories.read_tree(ctx),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


@router.post("/kinds")
@router.post("/kinds/{kind_id:int}")
def save_kind(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[KindTyped], kind_id: int | None = None
) -> Response:
    """Makes a kind of relation, or writes it."""

    def act() -> None:
        service.save_kind(
            ctx, signed.actor, kind_id, form.name, mutual=form.mutual, offered=form.offered, marks=form.marks
        )

    return _kinds(request, ctx, signed, attempt(act, kind_id or 0, form, form.marks))


@router.post("/kinds/{kind_id:int}/delete")
def remove_kind(request: Request, ctx: Ctx, signed: Signed, kind_id: int) -> Response:
    """Takes a kind away that nothing is related by."""
    tried = attempt(lambda: service.remove_kind(ctx, signed.actor, kind_id), kind_id)
    return _kinds(request, ctx, signed, tried)


# --- rules by categories -------------------------------------------------------------------------------------


@router.post("/rules")
def add_rule(request: Request, ctx: Ctx, signed: Signed, form: FormOf[RuleTyped]) -> Response:
    """Has the goods of a category beside those of another."""
    tried = attempt(
        lambda: by_category.add(ctx, signed.actor, form.rule_kind, form.of_category, form.other_category),
        "rules",
        form,
    )
    return _kinds(request, ctx, signed, tried)


@router.post("/rules/{rule_id:int}/delete")
def remove_rule(request: Request, ctx: Ctx, signed: Signed, rule_id: int) -> Response:
    """Takes a rule away."""
    return _kinds(request, ctx, signed, attempt(lambda: by_category.remove(ctx, signed.actor, rule_id), "rules"))


# --- as lines ------------------------------------------------------------------------------------------------


@router.get("/lines")
def lines(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Relations as lines, to be brought in or taken out."""
    return _lines(request, ctx, signed, LinesTyped())


def _lines(
    request: Request, ctx: Context, signed: Identity, form: LinesTyped, plan: Plan | None = None, tried: Attempt = FRESH
) -> Response:
    return page(
        request,
        "relations/lines.html",
        part="relations/lines_part.html",
        text=form.text if plan or tried.problems else "",
        plan=plan,
        kinds=service.list_kinds(ctx, signed.actor),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


@router.post("/lines/look")
def look_at_lines(request: Request, ctx: Ctx, signed: Signed, form: FormOf[LinesTyped]) -> Response:
    """Shows what lines would do."""
    return _lines(request, ctx, signed, form, by_file.plan(ctx, signed.actor, form.text))


@router.post("/lines")
def bring_in(request: Request, ctx: Ctx, signed: Signed, form: FormOf[LinesTyped]) -> Response:
    """Makes the relations that lines name."""
    tried = attempt(lambda: by_file.bring_in(ctx, signed.actor, form.text), "lines", form)
    plan = by_file.plan(ctx, signed.actor, form.text) if tried.problems else None
    return _lines(request, ctx, signed, form, plan, tried)


@router.get("/lines.csv")
def take_out(ctx: Ctx, signed: Signed) -> Response:
    """All relations as lines."""
    said = {"Content-Disposition": 'attachment; filename="relations.csv"'}
    return Response(by_file.take_out(ctx, signed.actor), media_type="text/csv; charset=utf-8", headers=said)


# --- another in its place ------------------------------------------------------------------------------------


@product_router.get("/replace")
def replacing_page(
    request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[ReplaceAsked], product_id: int
) -> Response:
    """Where a product is referred to, and another to be put in its place."""
    return _replacing(request, ctx, signed, asked, product_id)


def _replacing(
    request: Request, ctx: Context, signed: Identity, asked: ReplaceAsked, product_id: int, tried: Attempt = FRESH
) -> Response:
    product = products.read(ctx, signed.actor, product_id)
    by = products.read(ctx, signed.actor, asked.by) if asked.by and asked.by != product_id else None
    spots = replacing.spots(ctx, signed.actor, product_id, by.id if by else 0)
    return page(
        request,
        "relations/replace.html",
        part="relations/replace_part.html",
        product=product,
        by=by,
        spots=spots,
        q=asked.q,
        rows=_goods(ctx, signed.actor, asked.q, product_id),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


@product_router.post("/replace")
def replace_it(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Replacing], product_id: int) -> Response:
    """Puts another product in its place, everywhere."""
    tried = attempt(
        lambda: replacing.replace(ctx, signed.actor, product_id, form.by or 0, form.shown or 0), "replace", form
    )
    asked = ReplaceAsked(by=form.by if tried.problems else None)
    return _replacing(request, ctx, signed, asked, product_id, tried)
