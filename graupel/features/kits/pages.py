"""Kits: the part of the product editor, and the search for what a kit is made of."""

import json
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import kits as rules
from graupel.core.kits import Part
from graupel.core.roles import Actor, Role
from graupel.core.stock import show
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.destinations.service import Seen
from graupel.features.kits import reading, service, store
from graupel.features.kits.schemas import KitTyped, PartLooked
from graupel.features.products import forms, table
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.products.service import Product
from graupel.web.attempts import attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

FOUND, LOOKED_AT = 12, 12
product_router = APIRouter(prefix="/products/{product_id}/kit", dependencies=[Depends(from_our_own_page)])


@dataclass(frozen=True)
class Row:
    """A row of the part: what is in the kit, with how much of it and which pick as texts."""

    part: Part
    quantity: str
    pick: str


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""

    def work(tx: Tx) -> dict[str, Any]:
        kit = reading.of_product(ctx, tx, product.id, seen.lens)
        return {
            "kit": kit,
            "rows": [Row(one, show(one.quantity), one.pick) for one in kit.parts],
            "priced_by": kit.priced_by,
            "percent": show(kit.percent) if kit.percent else "",
            "marks": service.flat(kit),
            "scarcest": rules.scarcest(kit.parts),
            "gone": sum(one.gone for one in kit.parts),
            "of_sale": {place[0].id for place in rules.slots(kit.parts)},
            "in_kits": store.used_by(tx, product.id, ctx.settings.language, service.NAMED),
        }

    texts = forms.texts_of(product.values, {})
    followed = {} if product.varies else {name: texts[name] for name in ("price", "weight_g")}
    return ctx.db.run(work) | {
        "followed": json.dumps(followed),
        "may_edit": actor.may(Role.EDITOR),
    }


def _as_typed(ctx: Context, form: KitTyped, seen: Seen) -> dict[str, Any]:
    """What the part shows instead where what was typed could not be taken."""
    ids = [one.variant_id for one in form.wishes]
    known = ctx.db.run(lambda tx: reading.variants(ctx, tx, ids, seen.lens))
    gone = (Part(0, one, Decimal(1), gone=True) for one in ids)
    parts = [known.get(one.variant_id, one) for one in gone]
    rows = [Row(part, one.quantity, one.pick) for part, one in zip(parts, form.wishes, strict=True)]
    return {"rows": rows, "priced_by": form.priced_by, "percent": form.percent}


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark."""
    return "half" if data["gone"] else "full" if data["kit"].parts else "dash"


@product_router.post("")
def save(request: Request, ctx: Ctx, signed: Signed, form: FormOf[KitTyped], product_id: int) -> Response:
    """Says what a product is made of."""
    tried = attempt(
        lambda: service.save(ctx, signed.actor, product_id, form.wishes, form.priced_by, form.percent, form.marks),
        "kit",
        form,
        form.marks,
    )
    product = products.read(ctx, signed.actor, product_id)
    data = part_data(ctx, signed.actor, product, request.state.seen)
    if tried.problems:
        data |= _as_typed(ctx, form, request.state.seen)
    return page(request, "kits/part.html", product=product, data=data, **tried.shown)


@product_router.get("/find")
def find(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[PartLooked], product_id: int) -> Response:
    """Goods that a kit can be made of, by a search."""
    found = _found(ctx, signed.actor, asked.q, product_id, request.state.seen) if asked.q else []
    return page(request, "kits/found.html", parts=found, q=asked.q)


def _found(ctx: Context, actor: Actor, typed: str, product_id: int, seen: Seen) -> list[Part]:
    """Variants of what a search finds, those first that have most of its words in their own name or SKU."""
    ids = [row["id"] for row in table.read(ctx, actor, TableState.read({"q": [typed]})).rows[:LOOKED_AT]]

    def work(tx: Tx) -> list[Part]:
        may = [key for key in ids if key not in store.are_kits(tx, ids) | {product_id}]
        rows = product_store.variants(tx, may)
        parts = reading.variants(ctx, tx, [row["id"] for row in rows if not row["archived"]], seen.lens)
        return [parts[row["id"]] for row in rows if row["id"] in parts and not parts[row["id"]].gone]

    words = typed.casefold().split()
    parts = ctx.db.run(work)
    return sorted(parts, key=lambda one: -sum(word in f"{one.full_name} {one.sku}".casefold() for word in words))[
        :FOUND
    ]
