"""The dry run of a bulk edit, and how far it is."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from graupel.context import Context
from graupel.core import countries
from graupel.core.declarations.products import PRODUCT
from graupel.core.errors import Refused
from graupel.core.products import Status
from graupel.core.records import FieldKind
from graupel.core.roles import Actor, Role
from graupel.core.typed import numbers
from graupel.features.bulk import service
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.vocabulary import service as vocabulary
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(prefix="/products/bulk", dependencies=[Depends(from_our_own_page)])


@router.post("")
def plan(request: Request, ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Makes the dry run for the chosen products, or for all that match, and leads to it."""
    query = str(form.get("query", "")) if form.get("everything") else None
    ids = numbers(str(form.get("ids", "")).split("."))
    value = "\n".join(str(one) for one in form.getlist("value"))
    try:
        bulk_id = service.request_plan(ctx, signed.actor, str(form.get("field", "")), value, ids=ids, query=query)
    except Refused as refusal:
        return _not_done(request, refusal)
    return _to(bulk_id)


def _not_done(request: Request, refusal: Refused) -> Response:
    return page(request, "message.html", status=422, title="Not done", message=refusal.problems[0].message)


def _to(bulk_id: int) -> Response:
    return Response(status_code=204, headers={"HX-Redirect": f"/products/bulk/{bulk_id}"})


@router.get("/value")
def value(request: Request, ctx: Ctx, signed: Signed, field: str = "status") -> Response:
    """What a field is given a value with."""
    if field not in service.FIELDS:
        raise Refused.because("bulk.field", "Choose what the products are to be given.", "field")
    kind = PRODUCT.field(field).kind if field in PRODUCT.for_many else None
    words = {"category": "category", "place": "category", "brand": "brand"}.get(field, "tag")
    return page(
        request,
        "bulk/value.html",
        field=field,
        word=words,
        plain=field in PRODUCT.for_many and kind not in (FieldKind.COUNTRY, FieldKind.SWITCH),
        options=_options(ctx, signed.actor, field, kind),
    )


def _options(ctx: Context, actor: Actor, field: str, kind: FieldKind | None) -> list[tuple[str, str]]:
    """The values that can be chosen, as (value, words)."""
    if field == "status":
        return [(str(one), str(one).capitalize()) for one in Status]
    if field in ("category", "place"):
        return [(one.path, one.path) for one in categories.read_tree(ctx) if one.kind == "goods"]
    if field.startswith("shop"):
        return [(one.name, one.name) for one in destinations.list_shops(ctx, actor)]
    if kind is FieldKind.COUNTRY:
        return [(name, name) for name in countries.names().values()]
    if kind is FieldKind.SWITCH:
        return [("yes", "Yes"), ("no", "No")]
    words = vocabulary.read(ctx)
    known = words.brands if field == "brand" else words.tags if field.startswith("tag") else {}
    return [(name, name) for name in sorted(known.values(), key=str.casefold)]


@router.post("/word")
def word(ctx: Ctx, signed: Signed, form: Form) -> JSONResponse:
    """A new word for the chooser: it is made with the edit. Asks back where one looks much like it."""
    field, typed = str(form.get("field", "")), str(form.get("name", ""))
    try:
        value = service.read_value(field, typed)
        near = [one for new in service.to_make(ctx, signed.actor, field, value) for one in new.near]
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)
    if near and "sure" not in form:
        return JSONResponse({"near": [{"text": one.other, "why": one.why} for one in near]})
    return JSONResponse({"value": value, "text": value})


@router.get("/{bulk_id:int}")
def show(
    request: Request, ctx: Ctx, signed: Signed, bulk_id: int, show: str = "", q: str = "", after: str = ""
) -> Response:
    """The dry run; once it is being done, how far it is."""
    found = service.read(ctx, signed.actor, bulk_id, show, q.strip(), after)
    data: dict[str, Any] = {"plan": found, "may_edit": signed.actor.may(Role.EDITOR)}
    part = "bulk/rows.html" if request.headers.get("HX-Target") == "bulk-rows" else "bulk/plan_part.html"
    return page(request, "bulk/plan.html", part=part, **data)


@router.post("/{bulk_id:int}/again")
def again(request: Request, ctx: Ctx, signed: Signed, form: Form, bulk_id: int) -> Response:
    """Looks once more: with another value, or at the products that were left out."""
    given = form.getlist("value")
    try:
        wanted = "\n".join(str(one) for one in given) if given else None
        return _to(service.request_again(ctx, signed.actor, bulk_id, wanted))
    except Refused as refusal:
        return _not_done(request, refusal)


@router.post("/{bulk_id:int}/apply")
def apply(request: Request, ctx: Ctx, signed: Signed, bulk_id: int) -> Response:
    """Does what the dry run showed."""
    service.request_apply(ctx, signed.actor, bulk_id)
    return show(request, ctx, signed, bulk_id)
