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
from graupel.features.bulk import service
from graupel.features.bulk.schemas import Again, FieldAsked, NewWord, Shown, Wanted
from graupel.features.categories import service as categories
from graupel.features.choices import reading as choices
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms
from graupel.features.vocabulary import service as vocabulary
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/products/bulk", dependencies=[Depends(from_our_own_page)])


@router.post("")
def plan(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Wanted]) -> Response:
    """Makes the dry run for the chosen products, or for all that match, and leads to it."""
    query = form.query if form.everything else None
    try:
        bulk_id = service.request_plan(ctx, signed.actor, form.field, form.typed, ids=form.ids, query=query)
    except Refused as refusal:
        return _not_done(request, refusal)
    return _to(bulk_id)


def _not_done(request: Request, refusal: Refused) -> Response:
    return page(request, "message.html", status=422, title="Not done", message=refusal.problems[0].message)


def _to(bulk_id: int) -> Response:
    return Response(status_code=204, headers={"HX-Redirect": f"/products/bulk/{bulk_id}"})


@router.get("/value")
def value(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[FieldAsked]) -> Response:
    """What a field is given a value with."""
    field = asked.field
    kind = PRODUCT.field(field).kind if field in PRODUCT.for_many else None
    words = {"category": "category", "place": "category", "brand": "brand"}.get(field, "tag")
    return page(
        request,
        "bulk/value.html",
        field=field,
        word=words,
        plain=field in PRODUCT.for_many and kind not in (FieldKind.COUNTRY, FieldKind.SWITCH),
        options=_options(ctx, signed.actor, field, kind),
        ending=ctx.db.run(terms.of_catalogue).price_ending if field == "price" else None,
    )


def _options(ctx: Context, actor: Actor, field: str, kind: FieldKind | None) -> list[tuple[str, str]]:
    """The values that can be chosen, as (value, words)."""
    if field == "status":
        return [(str(one), str(one).capitalize()) for one in Status]
    if field in ("category", "place"):
        return [(one.path, one.path) for one in categories.read_tree(ctx) if one.kind == "goods"]
    if field.startswith("shop"):
        return [(one.name, one.name) for one in destinations.list_shops(ctx, actor)]
    if field.startswith("choice"):
        return [(one.choice.name, one.choice.name) for one in choices.list_shared(ctx, actor)]
    if kind is FieldKind.COUNTRY:
        return [(name, name) for name in countries.names().values()]
    if kind is FieldKind.SWITCH:
        return [("yes", "Yes"), ("no", "No")]
    if field == "price":
        return []
    words = vocabulary.read(ctx)
    known = words.brands if field == "brand" else words.tags if field.startswith("tag") else {}
    return [(name, name) for name in sorted(known.values(), key=str.casefold)]


@router.post("/word")
def word(ctx: Ctx, signed: Signed, form: FormOf[NewWord]) -> JSONResponse:
    """A new word for the chooser: it is made with the edit. Asks back where one looks much like it."""
    try:
        value = service.read_value(form.field, form.name)
        near = [one for new in service.to_make(ctx, signed.actor, form.field, value) for one in new.near]
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)
    if near and not form.sure:
        return JSONResponse({"near": [{"text": one.other, "why": one.why} for one in near]})
    return JSONResponse({"value": value, "text": value})


@router.get("/{bulk_id:int}")
def show(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Shown], bulk_id: int) -> Response:
    """The dry run; once it is being done, how far it is."""
    found = service.read(ctx, signed.actor, bulk_id, asked.show, asked.q, asked.after)
    data: dict[str, Any] = {"plan": found, "may_edit": signed.actor.may(Role.EDITOR)}
    part = "bulk/rows.html" if request.headers.get("HX-Target") == "bulk-rows" else "bulk/plan_part.html"
    return page(request, "bulk/plan.html", part=part, **data)


@router.post("/{bulk_id:int}/again")
def again(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Again], bulk_id: int) -> Response:
    """Looks once more: with another value, or at the products that were left out."""
    wanted = "\n".join(form.value) if form.value else None
    try:
        return _to(service.request_again(ctx, signed.actor, bulk_id, wanted))
    except Refused as refusal:
        return _not_done(request, refusal)


@router.post("/{bulk_id:int}/apply")
def apply(request: Request, ctx: Ctx, signed: Signed, bulk_id: int) -> Response:
    """Does what the dry run showed."""
    service.request_apply(ctx, signed.actor, bulk_id)
    return show(request, ctx, signed, Shown(), bulk_id)
