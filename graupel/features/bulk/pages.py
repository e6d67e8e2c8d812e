"""The dry run of a bulk edit, and how far it is."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.core.errors import Refused
from graupel.core.roles import Role
from graupel.core.typed import numbers
from graupel.features.bulk import service
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(prefix="/products/bulk", dependencies=[Depends(from_our_own_page)])


@router.post("")
def plan(request: Request, ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Makes the dry run for the chosen products, or for all that match, and leads to it."""
    field = str(form.get("field", ""))
    where = "status" if field == "status" else "shop" if field.startswith("shop") else "value"
    value = str(form.get(where, ""))
    query = str(form.get("query", "")) if form.get("everything") else None
    ids = numbers(str(form.get("ids", "")).split("."))
    try:
        bulk_id = service.request_plan(ctx, signed.actor, field, value, ids=ids, query=query)
    except Refused as refusal:
        return page(request, "message.html", status=422, title="Not done", message=refusal.problems[0].message)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/bulk/{bulk_id}"})


@router.get("/{bulk_id}")
def show(request: Request, ctx: Ctx, signed: Signed, bulk_id: int) -> Response:
    """The dry run; once it is being done, how far it is."""
    found = service.read(ctx, signed.actor, bulk_id)
    return page(
        request, "bulk/plan.html", part="bulk/plan_part.html", plan=found, may_edit=signed.actor.may(Role.EDITOR)
    )


@router.post("/{bulk_id}/apply")
def apply(request: Request, ctx: Ctx, signed: Signed, bulk_id: int) -> Response:
    """Does what the dry run showed."""
    service.request_apply(ctx, signed.actor, bulk_id)
    return show(request, ctx, signed, bulk_id)
