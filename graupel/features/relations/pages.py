"""Relations: the part of the product editor, the search for what goes with it, and the kinds."""

from collections.abc import Sequence
from dataclasses import dataclass
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
from graupel.features.relations import cheaper, service, store
from graupel.features.relations.cheaper import Wish
from graupel.features.relations.rows import RelatedRow
from graupel.features.relations.schemas import KindTyped, Looked, RelatedTyped
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


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""

    def work(tx: Tx) -> dict[str, Any]:
        related = service.of_product(ctx, tx, product.id)
        kinds = service.kinds(tx)
        return {
            "rows": [Row(cheaper.wish_of(ctx, one.row), one.product) for one in related],
            "kinds": kinds,
            "marks": service.flat(related),
            "offered": {row["id"] for row in kinds if row["offered"]},
            "gone": sum(one.product is None or one.product["status"] == Status.ARCHIVED for one in related),
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
