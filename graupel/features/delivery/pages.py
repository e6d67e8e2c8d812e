"""Delivery and tax."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core.errors import Outdated, Refused
from graupel.core.problems import Problem, by_field
from graupel.core.roles import Identity, Role
from graupel.features.delivery.schemas import TaxClassTyped, TaxTermsTyped
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as destination_terms
from graupel.features.terms import taxes
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/delivery", dependencies=[Depends(from_our_own_page)])


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Taxes."""
    return _index(request, ctx, signed)


def _index(request: Request, ctx: Context, signed: Identity, *, status: int = 200, **data: Any) -> Response:
    written = taxes.read(ctx, signed.actor)
    shops = [one for one in destinations.read_all(ctx).all if one.is_shop]
    return page(
        request,
        "delivery/delivery.html",
        part="delivery/delivery_part.html",
        status=status,
        classes=list(written.classes.values()),
        rows={one.id: [_texts(rate) for rate in one.rates] for one in written.classes.values()},
        class_marks=ctx.db.run(lambda tx: {one: taxes.flat(tx, one) for one in written.classes}),
        shops=shops,
        catalogue=written.catalogue,
        marks={one.code: destination_terms.flat(one.terms) for one in shops},
        may_change=signed.actor.may(Role.OWNER),
        may_edit=signed.actor.may(Role.EDITOR),
        **{"wrong": {}, "wrong_at": None, "typed": None, "said": {}, **data},
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
    try:
        taxes.save(ctx, signed.actor, class_id, form.name, form.rows, form.marks)
    except Refused as refusal:
        return _again(request, ctx, signed, class_id, form, refusal.problems, 422)
    except Outdated as outdated:
        return _again(request, ctx, signed, class_id, form, [Problem("tax.changed", str(outdated), "name")], 409)
    return _index(request, ctx, signed)


def _again(
    request: Request,
    ctx: Context,
    signed: Identity,
    class_id: int | None,
    form: TaxClassTyped,
    problems: list[Problem],
    status: int,
) -> Response:
    typed = {"name": form.name, "rows": form.rows}
    at = f"class-{class_id or 0}"
    return _index(request, ctx, signed, wrong=by_field(problems), wrong_at=at, typed=typed, status=status)


@router.post("/classes/{class_id:int}/delete")
def delete_class(request: Request, ctx: Ctx, signed: Signed, class_id: int) -> Response:
    """Takes a class away that nothing has."""
    try:
        taxes.remove(ctx, signed.actor, class_id)
    except Refused as refusal:
        wrong = by_field(refusal.problems)
        return _index(request, ctx, signed, wrong=wrong, wrong_at=f"class-{class_id}", status=422)
    return _index(request, ctx, signed)


@router.post("/terms/{code}")
def save_terms(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TaxTermsTyped], code: str) -> Response:
    """Writes how a shop keeps and shows prices; "main" is the first, with what holds for all."""
    where = "" if code == "main" else code
    try:
        changed = destination_terms.save(ctx, signed.actor, where, form.typed, form.marks)
    except Refused as refusal:
        return _index(request, ctx, signed, wrong=by_field(refusal.problems), wrong_at=f"terms-{where}", status=422)
    except Outdated as outdated:
        wrong = by_field([Problem("terms.changed", str(outdated), "")])
        return _index(request, ctx, signed, wrong=wrong, wrong_at=f"terms-{where}", status=409)
    return _index(request, ctx, signed, said={} if changed else {f"terms-{where}": "Nothing had changed."})
