"""Delivery and tax."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import delivery
from graupel.core.delivery import WEEKDAYS, CostBy, Way, Zone
from graupel.core.quantities import format_money
from graupel.core.roles import Actor, Identity, Role
from graupel.features.categories import service as categories
from graupel.features.delivery import carriage, service
from graupel.features.delivery.schemas import (
    CarriageTyped,
    PromiseTyped,
    TaxClassTyped,
    TaxTermsTyped,
    WorkingTyped,
)
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as destination_terms
from graupel.features.destinations.service import Seen
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.terms import taxes
from graupel.features.terms.deliveries import SaidOfDelivery
from graupel.features.vocabulary import service as vocabulary
from graupel.web.attempts import FRESH, Attempt, attempt
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/delivery", dependencies=[Depends(from_our_own_page)])


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Taxes."""
    return _index(request, ctx, signed)


def _index(request: Request, ctx: Context, signed: Identity, tried: Attempt = FRESH) -> Response:
    written = taxes.read(ctx, signed.actor)
    shops = [one for one in destinations.read_all(ctx).all if one.is_shop]
    return page(
        request,
        "delivery/delivery.html",
        part="delivery/delivery_part.html",
        classes=list(written.classes.values()),
        rows={one.id: [_texts(rate) for rate in one.rates] for one in written.classes.values()},
        class_marks=ctx.db.run(lambda tx: {one: taxes.flat(tx, one) for one in written.classes}),
        shops=shops,
        catalogue=written.catalogue,
        marks={one.code: destination_terms.flat(one.terms) for one in shops},
        **_delivering(ctx, signed),
        may_change=signed.actor.may(Role.OWNER),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


def _delivering(ctx: Context, signed: Identity) -> dict[str, Any]:
    """What the page shows of promises and days of work."""
    said = service.read(ctx, signed.actor)
    working = said.working
    return {
        "promises": list(said.promises.values()),
        "zones": {key: [_zone_texts(zone, one.cost_by) for zone in one.zones] for key, one in said.promises.items()},
        "promise_marks": ctx.db.run(lambda tx: {key: service.flat(tx, key) for key in said.promises}),
        "stands": {0: service.Stands()} | {key: _stands(said, key) for key in said.promises},
        "working": {
            "days": [str(day) for day in sorted(working.days)],
            "cut_off": f"{working.cut_off:%H:%M}",
            "closed": ", ".join(day.isoformat() for day in sorted(working.closed)),
        },
        "working_marks": ctx.db.run(service.working_marks),
        "weekdays": list(enumerate(WEEKDAYS)),
        "types": {key: one.name for key, one in vocabulary.read(ctx).types.items()},
        "tree": categories.read_tree(ctx),
    }


def _stands(said: SaidOfDelivery, promise_id: int) -> service.Stands:
    """For what a promise stands."""
    return service.Stands(
        said.of_shop == promise_id,
        [key for key, one in said.of_types.items() if one == promise_id],
        [key for key, one in said.of_categories.items() if one == promise_id],
    )


def _zone_texts(zone: Zone, by: CostBy) -> dict[str, str]:
    return {
        "countries": ", ".join(sorted(zone.countries)),
        "days": str(zone.first) if zone.first == zone.last else f"{zone.first}-{zone.last}",
        "steps": delivery.show_steps(zone.steps, by),
        "free_from": format_money(zone.free_from),
    }


@router.post("/promises")
@router.post("/promises/{promise_id:int}")
def save_promise(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[PromiseTyped], promise_id: int | None = None
) -> Response:
    """Makes a delivery promise, or writes it."""
    raw = {"name": form.name, "cost_by": form.cost_by}
    tried = attempt(
        lambda: service.save_promise(ctx, signed.actor, promise_id, raw, form.rows, form.stands, form.marks),
        f"promise-{promise_id or 0}",
        {**raw, "rows": form.rows, "stands": form.stands},
        form.marks,
    )
    return _index(request, ctx, signed, tried)


@router.post("/promises/{promise_id:int}/delete")
def delete_promise(request: Request, ctx: Ctx, signed: Signed, promise_id: int) -> Response:
    """Takes a promise away."""
    tried = attempt(lambda: service.remove_promise(ctx, signed.actor, promise_id), f"promise-{promise_id}")
    return _index(request, ctx, signed, tried)


@router.post("/working")
def save_working(request: Request, ctx: Ctx, signed: Signed, form: FormOf[WorkingTyped]) -> Response:
    """Writes when the shop works."""
    raw = {"days": form.days, "cut_off": form.cut_off, "closed": form.closed}
    tried = attempt(lambda: service.save_working(ctx, signed.actor, raw, form.marks), "working", raw, form.marks)
    return _index(request, ctx, signed, tried)


# --- the part of the product editor ----------------------------------------------------------------------------


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows."""
    found = ctx.db.run(lambda tx: service.of_product(ctx, tx, product))
    return {
        "found": found,
        "of_type": delivery.way_of("", product.type.delivered if product.type else ""),
        "carriage": carriage.flat(found.carriage),
        "promises": list(found.said.promises.values()),
    }


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark."""
    found = data["found"]
    return "full" if found.way is not Way.SHIPPED or found.promise else "dash"


product_router = APIRouter(prefix="/products/{product_id}/delivery", dependencies=[Depends(from_our_own_page)])


@product_router.post("")
def save_carriage(request: Request, ctx: Ctx, signed: Signed, form: FormOf[CarriageTyped], product_id: int) -> Response:
    """Writes what delivery of a product costs by country."""
    tried = attempt(
        lambda: carriage.save(ctx, signed.actor, product_id, form.rows, form.marks),
        "carriage",
        form.rows,
        form.marks,
    )
    product = products.read(ctx, signed.actor, product_id)
    return page(
        request,
        "delivery/carriage.html",
        product=product,
        data=part_data(ctx, signed.actor, product, request.state.seen),
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown,
    )


def _texts(rate: Any) -> dict[str, str]:
    return {
        "country": rate.country,
        "begins": rate.begins.isoformat(),
        "percent": f"{rate.percent.normalize():f}" if rate.percent else "",
        "amount": f"{rate.amount:.2f}" if rate.amount else "",
    }


@router.post("/classes")
@router.post("/classes/{class_id:int}")
def save_class(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[TaxClassTyped], class_id: int | None = None
) -> Response:
    """Makes a tax class, or writes its name and rates."""
    tried = attempt(
        lambda: taxes.save(ctx, signed.actor, class_id, form.name, form.rows, form.marks),
        f"class-{class_id or 0}",
        {"name": form.name, "rows": form.rows},
        form.marks,
    )
    return _index(request, ctx, signed, tried)


@router.post("/classes/{class_id:int}/delete")
def delete_class(request: Request, ctx: Ctx, signed: Signed, class_id: int) -> Response:
    """Takes a class away that nothing has."""
    tried = attempt(lambda: taxes.remove(ctx, signed.actor, class_id), f"class-{class_id}")
    return _index(request, ctx, signed, tried)


@router.post("/terms/{code}")
def save_terms(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TaxTermsTyped], code: str) -> Response:
    """Writes how a shop keeps and shows prices; "main" is the first, with what holds for all."""
    where = "" if code == "main" else code
    tried = attempt(
        lambda: destination_terms.save(ctx, signed.actor, where, form.typed, form.marks),
        f"terms-{where}",
        form.typed,
        form.marks,
    )
    return _index(request, ctx, signed, tried)
