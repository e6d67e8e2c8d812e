"""The vocabulary's pages: attributes, product types, brands, tags, near-doubles."""

from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from graupel.context import Context
from graupel.core import attributes as rules
from graupel.core import doubles, units
from graupel.core.attributes import KIND_WORDS
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import by_field
from graupel.core.product_types import LAYOUT_WORDS
from graupel.core.roles import Identity, Role
from graupel.features.vocabulary import attributes, carriers, joining, service, sharing, types
from graupel.features.vocabulary.schemas import (
    AttributeTyped,
    Into,
    NameTyped,
    NewAttribute,
    NewChoices,
    NewName,
    TypeTyped,
)
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/vocabulary", dependencies=[Depends(from_our_own_page)])

#: The last part of an address -> the kind of record.
NAMED = {"brands": "brand", "tags": "tag", "types": "type"}


def _frame(signed: Identity, **data: Any) -> dict[str, Any]:
    return {"may_edit": signed.actor.may(Role.EDITOR), "kinds": KIND_WORDS, "unit_list": units.all_units(), **data}


def _to(address: str) -> Response:
    return Response(status_code=204, headers={"HX-Redirect": address})


@router.get("")
def home() -> Response:
    """Leads to the attributes."""
    return RedirectResponse("/vocabulary/attributes", 303)


# --- attributes ----------------------------------------------------------------------------------------------


def _attribute_list(
    request: Request, ctx: Context, signed: Identity, *, problems: Any = None, typed: Any = None
) -> Response:
    words = service.read(ctx)
    return page(
        request,
        "vocabulary/attributes.html",
        part="vocabulary/attributes_part.html",
        status=422 if problems else 200,
        attributes=list(words.attributes.values()),
        private=attributes.list_private(ctx, signed.actor),
        uses=service.product_counts(ctx, "attribute"),
        problems=by_field(problems or []),
        typed=typed or {},
        **_frame(signed),
    )


@router.get("/attributes")
def list_attributes(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All shared attributes, and the private ones."""
    return _attribute_list(request, ctx, signed)


@router.post("/attributes")
def make_attribute(request: Request, ctx: Ctx, signed: Signed, form: FormOf[NewAttribute]) -> Response:
    """Makes an attribute and opens it."""
    try:
        made = attributes.make(ctx, signed.actor, attributes.read_definition(form.typed))
    except Refused as refusal:
        return _attribute_list(request, ctx, signed, problems=refusal.problems, typed=form.typed)
    return _to(f"/vocabulary/attributes/{made.id}")


def _attribute(request: Request, ctx: Context, signed: Identity, attribute_id: int, **data: Any) -> Response:
    detail = attributes.read(ctx, signed.actor, attribute_id)
    return page(
        request,
        "vocabulary/attribute.html",
        part="vocabulary/attribute_part.html",
        detail=detail,
        showing=attributes.flat(detail.attribute),
        problems={},
        families=units.FAMILIES,
        **_frame(signed, **{"said": "", "added": None, **data}),
    )


@router.get("/attributes/{attribute_id:int}")
def show_attribute(request: Request, ctx: Ctx, signed: Signed, attribute_id: int) -> Response:
    """One attribute with its choices."""
    return _attribute(request, ctx, signed, attribute_id)


@router.post("/attributes/{attribute_id:int}")
def change_attribute(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[AttributeTyped], attribute_id: int
) -> Response:
    """Saves name, help and unit, and the choices with their order."""
    attributes.save(
        ctx,
        signed.actor,
        attribute_id,
        form.name,
        form.help,
        form.unit,
        form.choices,
        marks=form.marks,
        unit_fixed=form.unit_fixed,
    )
    return _attribute(request, ctx, signed, attribute_id, said="Saved.")


@router.post("/attributes/{attribute_id:int}/choices")
def add_choices(request: Request, ctx: Ctx, signed: Signed, form: FormOf[NewChoices], attribute_id: int) -> Response:
    """Adds one choice, or a pasted list."""
    added = attributes.add_choices(ctx, signed.actor, attribute_id, form.choices)
    return _attribute(request, ctx, signed, attribute_id, added=added)


@router.get("/attributes/{attribute_id:int}/share")
def plan_share(request: Request, ctx: Ctx, signed: Signed, attribute_id: int) -> Response:
    """What making a private attribute shared would do."""
    plan = sharing.plan_share(ctx, signed.actor, attribute_id)
    return page(request, "vocabulary/share.html", plan=plan, **_frame(signed))


@router.post("/attributes/{attribute_id:int}/share")
def share(ctx: Ctx, signed: Signed, attribute_id: int) -> Response:
    """Makes it shared."""
    return _to(f"/vocabulary/attributes/{sharing.share(ctx, signed.actor, attribute_id)}")


# --- types ---------------------------------------------------------------------------------------------------


def _type(request: Request, ctx: Context, signed: Identity, type_id: int, **data: Any) -> Response:
    detail = types.read(ctx, signed.actor, type_id)
    return page(
        request,
        "vocabulary/type.html",
        part="vocabulary/type_part.html",
        detail=detail,
        showing=types.flat(detail.type),
        others=[a for a in detail.vocabulary.attributes.values() if not detail.type.has(a.id)],
        conditions=[
            (f"{one.attribute.name} is {choice.label}", choice.id, one.attribute.id)
            for one in detail.type.attributes
            for choice in one.attribute.choices
        ],
        problems={},
        layouts=LAYOUT_WORDS,
        **_frame(signed, **{"said": "", **data}),
    )


@router.get("/types/{type_id:int}")
def show_type(request: Request, ctx: Ctx, signed: Signed, type_id: int) -> Response:
    """One product type."""
    return _type(request, ctx, signed, type_id)


@router.post("/types/{type_id:int}")
def save_type(request: Request, ctx: Ctx, signed: Signed, form: FormOf[TypeTyped], type_id: int) -> Response:
    """Saves a type with its attributes; those that are chosen below are added at the end."""
    types.save(
        ctx,
        signed.actor,
        type_id,
        form.name,
        form.code_prefix,
        form.members,
        form.marks,
        form.delivered,
        form.layout,
    )
    return _type(request, ctx, signed, type_id, said="Saved.")


# --- brands, tags, types: lists, names -----------------------------------------------------------------------


def _list(request: Request, ctx: Context, signed: Identity, which: str, **data: Any) -> Response:
    refusal: Refused | None = data.pop("refusal", None)
    return page(
        request,
        "vocabulary/names.html",
        part="vocabulary/names_part.html",
        status=422 if refusal else 200,
        which=which,
        word=service.WORDS[NAMED[which]],
        example=service.EXAMPLES[NAMED[which]],
        found=service.list_named(ctx, signed.actor, NAMED[which]),
        problems=by_field(refusal.problems) if refusal else {},
        **_frame(signed, **{"near": [], "typed": "", **data}),
    )


def _kind(which: str) -> str:
    if which not in NAMED:
        raise NotFound("There is no such part of the vocabulary.")
    return NAMED[which]


@router.get("/doubles")
def show_doubles(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Near-doubles over the whole vocabulary."""
    pairs = joining.all_doubles(ctx, signed.actor)
    return page(request, "vocabulary/doubles.html", pairs=pairs, words=joining.WORDS, **_frame(signed))


@router.get("/units")
def show_units(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """The families of units, and the attributes that use each."""
    words = service.read(ctx)
    uses: dict[tuple[str | None, str | None], list[Any]] = {}
    for attribute in words.attributes.values():
        uses.setdefault((attribute.measure, attribute.unit), []).append(attribute)
    return page(request, "vocabulary/units.html", families=units.FAMILIES, uses=uses, **_frame(signed))


@router.get("/{which}")
def list_names(request: Request, ctx: Ctx, signed: Signed, which: str) -> Response:
    """All brands, tags or types."""
    _kind(which)
    return _list(request, ctx, signed, which)


@router.post("/{which}")
def make_name(request: Request, ctx: Ctx, signed: Signed, form: FormOf[NewName], which: str) -> Response:
    """Makes a brand, tag or type; where one looks much like it, asks first."""
    try:
        near = _near(ctx, _kind(which), form)
        if near:
            return _list(request, ctx, signed, which, near=near, typed=form.name)
        made = service.make(ctx, signed.actor, _kind(which), form.name)
    except Refused as refusal:
        return _list(request, ctx, signed, which, refusal=refusal, typed=form.name)
    if which == "types":
        return _to(f"/vocabulary/types/{made.id}")
    return _list(request, ctx, signed, which)


def _near(ctx: Context, kind: str, form: NewName) -> list[doubles.Double]:
    """Names much like a new one, unless the person is sure."""
    if form.sure:
        return []
    words = service.read(ctx)
    known = {"brand": words.brands, "tag": words.tags}.get(kind) or {i: t.name for i, t in words.types.items()}
    name = service.parse_name(kind, form.name)
    return [] if name in known.values() else doubles.near(name, known.values())


@router.get("/brands/{record_id:int}")
@router.get("/tags/{record_id:int}")
def show_name(request: Request, ctx: Ctx, signed: Signed, record_id: int) -> Response:
    """One brand or tag: where it is used, and its name."""
    return _name(request, ctx, signed, request.url.path.split("/")[2], record_id)


def _name(request: Request, ctx: Context, signed: Identity, which: str, record_id: int, **data: Any) -> Response:
    kind = _kind(which)
    detail = service.read_named(ctx, signed.actor, kind, record_id)
    return page(
        request,
        "vocabulary/name.html",
        part="vocabulary/name_part.html",
        which=which,
        kind=kind,
        word=service.WORDS[kind],
        detail=detail,
        showing=service.flat_name(detail.name, detail.tags),
        carriers=carriers.of_tag(ctx, record_id) if kind == "tag" else [],
        problems={},
        **_frame(signed, **{"said": "", **data}),
    )


@router.post("/brands/{record_id:int}")
@router.post("/tags/{record_id:int}")
def rename(request: Request, ctx: Ctx, signed: Signed, form: FormOf[NameTyped], record_id: int) -> Response:
    """Another name; of a brand, its tags too."""
    which = request.url.path.split("/")[2]
    tags = form.tags.split(",") if which == "brands" else None
    service.rename(ctx, signed.actor, _kind(which), record_id, form.name, tags, form.marks)
    return _name(request, ctx, signed, which, record_id, said="Saved.")


# --- made in place, from wherever they are chosen ------------------------------------------------------------


def _answer(value: Any, text: str) -> JSONResponse:
    return JSONResponse({"value": str(value), "text": text})


def _asks(near: Sequence[doubles.Double]) -> JSONResponse:
    return JSONResponse({"near": [{"text": one.other, "why": one.why} for one in near]})


@router.post("/{which}/in-place")
def make_in_place(ctx: Ctx, signed: Signed, form: FormOf[NewName], which: str) -> JSONResponse:
    """A brand, tag or type for a chooser; asks back where one looks much like it."""
    try:
        near = _near(ctx, _kind(which), form)
        if near:
            return _asks(near)
        made = service.make(ctx, signed.actor, _kind(which), form.name)
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)
    return _answer(made.id if which == "types" else made.name, made.name)


@router.post("/attributes/{attribute_id:int}/in-place")
def make_choice_in_place(ctx: Ctx, signed: Signed, form: FormOf[NewName], attribute_id: int) -> JSONResponse:
    """A choice for a chooser; asks back where one looks much like it."""
    try:
        label = rules.parse_label(form.name)
        known = attributes.read(ctx, signed.actor, attribute_id).attribute.choices
        near = doubles.near(label, [choice.label for choice in known]) if not form.sure else []
        if near and label.casefold() not in [choice.label.casefold() for choice in known]:
            return _asks(near)
        added = attributes.add_choice(ctx, signed.actor, attribute_id, label)
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)
    return _answer(added.id, added.label)


# --- joining and deleting ------------------------------------------------------------------------------------


@router.get("/join/{kind}/{gone}")
def plan_join(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Into], kind: str, gone: int) -> Response:
    """The dry run: what joining or deleting does."""
    if kind not in joining.WORDS:
        raise NotFound("There is no such part of the vocabulary.")
    plan = joining.plan(ctx, signed.actor, kind, gone, asked.into)
    back = joining.address(ctx, kind, gone)
    return page(
        request, "vocabulary/join.html", part="vocabulary/join_part.html", plan=plan, words=joining.WORDS, back=back,
        **_frame(signed),
    )  # fmt: skip


@router.post("/join/{kind}/{gone}")
def join(ctx: Ctx, signed: Signed, form: FormOf[Into], kind: str, gone: int) -> Response:
    """Joins or deletes."""
    if kind not in joining.WORDS:
        raise NotFound("There is no such part of the vocabulary.")
    back = joining.address(ctx, kind, gone)
    joining.join(ctx, signed.actor, kind, gone, form.into)
    return _to(back if kind == "attribute_choice" else back.rpartition("/")[0])
