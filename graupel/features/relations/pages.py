"""Relations: the part of the product editor, the search for what goes with it, and the kinds."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core.products import Status
from graupel.core.roles import Actor, Identity, Role
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.destinations.service import Seen
from graupel.features.products import service as products
from graupel.features.products import table
from graupel.features.products.service import Product
from graupel.features.relations import service
from graupel.features.relations.schemas import KindTyped, Looked, RelatedTyped
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

FOUND = 8
router = APIRouter(prefix="/relations", dependencies=[Depends(from_our_own_page)])
product_router = APIRouter(prefix="/products/{product_id}/relations", dependencies=[Depends(from_our_own_page)])


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""

    def work(tx: Tx) -> dict[str, Any]:
        related = service.of_product(ctx, tx, product.id)
        return {
            "related": related,
            "kinds": service.kinds(tx),
            "marks": service.flat(related),
            "gone": sum(one.product is None or one.product["status"] == Status.ARCHIVED for one in related),
        }

    return ctx.db.run(work) | {"may_edit": actor.may(Role.EDITOR)}


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark."""
    return "half" if data["gone"] else "full" if data["related"] else "dash"


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
    return page(request, "relations/part.html", product=product, data=data, **tried.shown)


@product_router.get("/find")
def find(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Looked], product_id: int) -> Response:
    """Goods to relate, by a search."""
    rows = table.read(ctx, signed.actor, TableState.read({"q": [asked.q]})).rows[: FOUND + 1] if asked.q else []
    rows = [row for row in rows if row["id"] != product_id][:FOUND]
    return page(request, "relations/found.html", rows=rows, q=asked.q)


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
