"""The product editor."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from graupel.context import Context
from graupel.core import units
from graupel.core.attributes import KIND_WORDS
from graupel.core.errors import Refused
from graupel.core.pictures import Picture, guess_choices
from graupel.core.problems import Problem
from graupel.core.products import ProductValues, Status
from graupel.core.roles import Identity, Role
from graupel.core.tables import TableState
from graupel.core.typed import number
from graupel.features.destinations.service import Seen
from graupel.features.media import service as media_service
from graupel.features.products import checking, editor, facts, forms, meeting, mirrors, saving, service, table
from graupel.features.products.editor import shown_in
from graupel.features.products.forms import Typed
from graupel.features.products.page_schemas import (
    AttributeAdded,
    MediaUsed,
    PictureRow,
    ProductTyped,
    Said,
    Words,
    belongs_of,
)
from graupel.features.products.saving import SaveConflict, Saved
from graupel.features.products.service import Product
from graupel.features.vocabulary import service as vocabulary
from graupel.web.frame import page
from graupel.web.looking import at_once
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])


@router.get("/products/new")
def new(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """An empty editor."""
    signed.actor.require(Role.EDITOR)
    return _editor(request, ctx, signed, Typed(forms.texts_of(ProductValues(), {}), []))


@router.post("/products")
def create(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ProductTyped]) -> Response:
    """Makes a product of what was typed, or shows it again with what is wrong."""
    typed, values = forms.read(ctx, form, None, vocabulary.read(ctx).attributes)
    try:
        if typed.problems:
            raise Refused(_with_rules(ctx, typed.problems, values))
        product_id = saving.create(ctx, signed.actor, values)
    except Refused as refusal:
        typed.problems, typed.status = refusal.problems, Status.DRAFT
        return _editor(request, ctx, signed, typed, status=422)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{product_id}?made=1"})


def _with_rules(
    ctx: Context, problems: list[Problem], values: ProductValues, product_id: int | None = None
) -> list[Problem]:
    """Unreadable fields, and the rules that the others break: everything at once, so it is mended at once."""
    unreadable = {problem.field for problem in problems}
    return problems + [p for p in checking.check(ctx, values, product_id) if p.field not in unreadable]


@router.get("/products/{product_id:int}")
@at_once
def edit(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Said], product_id: int) -> Response:
    """The editor of one product."""
    product = service.read(ctx, signed.actor, product_id)
    copied = "This is the copy: a draft, with codes and an address of its own." if asked.copied else ""
    said = "Made." if asked.made else copied
    return _editor(request, ctx, signed, forms.typed_of(product), product=product, said=said)


@router.post("/products/{product_id:int}")
def save(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ProductTyped], product_id: int) -> Response:
    """Saves what was typed, or shows it again with what is wrong or what somebody else saved meanwhile."""
    product = service.read(ctx, signed.actor, product_id)
    assert product.vocabulary is not None
    typed, values = forms.read(ctx, form, product.values, product.vocabulary.attributes)
    settled = form.settled
    try:
        if typed.problems:
            raise Refused(_with_rules(ctx, typed.problems, values, product_id))
        saved = saving.save(
            ctx, signed.actor, product_id, values, form.version, form.seen, list(form.still), settled, typed.stocked
        )
    except Refused as refusal:
        typed.problems, typed.status = refusal.problems, product.values.status
        both = ctx.db.run(lambda tx: saving.meet(tx, product, values, typed.version, typed.seen, settled))
        return _editor(request, ctx, signed, typed, product=product, conflict=both, status=422)
    except SaveConflict as conflict:
        together = meeting.merged(ctx, conflict, typed.version)
        together.chosen = typed.chosen
        return _editor(request, ctx, signed, together, product=conflict.theirs, conflict=conflict, status=409)
    product = service.read(ctx, signed.actor, product_id)
    return _editor(request, ctx, signed, forms.typed_of(product), product=product, said=_what_was_saved(saved))


@router.post("/products/{product_id:int}/delete")
def delete(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """Deletes a product that was never live."""
    try:
        saving.delete(ctx, signed.actor, product_id)
    except Refused as refusal:
        product = service.read(ctx, signed.actor, product_id)
        typed = forms.typed_of(product)
        typed.problems = refusal.problems
        return _editor(request, ctx, signed, typed, product=product, status=422)
    return Response(status_code=204, headers={"HX-Redirect": "/products"})


def _what_was_saved(saved: Saved) -> str:
    taken = f" Taken over from {saved.by}: {', '.join(saved.taken)}." if saved.taken else ""
    if not saved.changed:
        return f"Nothing had changed.{taken}"
    parts_of_it = [
        f"{label} {before} → {after}" if before and len(before) + len(after) < 40 else label
        for label, before, after in saved.changed
    ]
    return f"Saved: {', '.join(parts_of_it)}.{taken}"


def _editor(
    request: Request,
    ctx: Context,
    signed: Identity,
    typed: Typed,
    *,
    product: Product | None = None,
    said: str = "",
    conflict: SaveConflict | None = None,
    status: int = 200,
) -> Response:
    seen: Seen = request.state.seen
    shown = ctx.db.look(lambda _: editor.view(ctx, signed, seen, typed, product, conflict))
    data = {**shown.__dict__, **shown_in(seen)}
    return page(request, "products/editor.html", part="products/editing.html", status=status, said=said, **data)


@router.get("/products/{product_id:int}/variants-named")
def variants_named(ctx: Ctx, signed: Signed, asked: QueryOf[Words], product_id: int) -> JSONResponse:
    """Variants whose names hold a text, for a chooser."""
    return JSONResponse(
        editor.single_variants(service.read(ctx, signed.actor, product_id), asked.q)[: editor.MOST_OFFERED]
    )


@router.get("/products/picture-row/{product_id}")
@router.get("/products/picture-row/new")
def picture_row(
    request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[PictureRow], product_id: int | None = None
) -> Response:
    """The row of one file in the editor."""
    file = media_service.read(ctx, signed.actor, asked.media)
    product = service.read(ctx, signed.actor, product_id) if product_id else None
    choices, variants = belongs_of(asked.belongs)
    if asked.guess and product:
        choices = guess_choices(file.file_name, product.axes)
    said = Picture(asked.media, asked.alt[:300], asked.title[:200], choices, variants)
    return page(
        request,
        "products/picture_row.html",
        file=file,
        said=said,
        suggestion="",
        **editor.belonging(product, [said]),
        may_edit=True,
    )


@router.get("/products/for-media/{media_id}")
def products_for_media(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Words], media_id: int) -> Response:
    """Products that a file could be used in as well."""
    found = table.read(ctx, signed.actor, TableState.read({"q": [asked.q]})).rows[:8] if asked.q else []
    return page(request, "products/for_media.html", rows=found, media_id=media_id, q=asked.q)


@router.post("/products/{product_id:int}/media")
def use_media(ctx: Ctx, signed: Signed, form: FormOf[MediaUsed], product_id: int) -> Response:
    """Puts a file of the library behind a product's other pictures."""
    saving.add_picture(ctx, signed.actor, product_id, form.media)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{product_id}#pictures"})


@router.post("/products/mirror/{product_id}")
@router.post("/products/mirror/new")
@at_once
def mirror(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[ProductTyped], product_id: int | None = None
) -> Response:
    """The mirror for what is typed at this moment; writes nothing."""
    product = service.read(ctx, signed.actor, product_id) if product_id else None
    known = vocabulary.read(ctx, product_id).attributes
    typed, _ = forms.read(ctx, form, product.values if product else None, known)
    look = mirrors.look(ctx, typed.fields, typed.pictures, product, request.state.seen)
    return page(
        request,
        "products/mirror.html",
        product=product,
        look=look,
        marks=editor.own_marks(look.findings),
        may_edit=signed.actor.may(Role.EDITOR),
        swap=True,
        **shown_in(request.state.seen),
    )


@router.post("/products/facts/{product_id}")
@router.post("/products/facts/new")
def show_facts(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[ProductTyped], product_id: int | None = None
) -> Response:
    """The facts for the type that is chosen at this moment, with what was typed; writes nothing."""
    product = service.read(ctx, signed.actor, product_id) if product_id else None
    words = vocabulary.read(ctx, product_id)
    typed, _ = forms.read(ctx, form, product.values if product else None, words.attributes)
    return _fact_part(request, signed, words, typed, product)


def _fact_part(
    request: Request, signed: Identity, words: Any, typed: Typed, product: Product | None, **data: Any
) -> Response:
    return page(
        request,
        "products/facts.html",
        typed=typed,
        product=product,
        words=words,
        sheet=facts.sheet(words, typed.fields, product),
        kinds=KIND_WORDS,
        unit_list=units.all_units(),
        problems={},
        may_edit=signed.actor.may(Role.EDITOR),
        **data,
    )


@router.post("/products/facts/{product_id}/attribute")
def add_attribute(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[AttributeAdded], product_id: int
) -> Response:
    """Makes an attribute for this product alone or for its type, or takes one into the type; shows the facts again."""
    product = service.read(ctx, signed.actor, product_id)
    trouble, for_type, type_id = [], form.of == "type", number(form.lines.get("type_id", ""))
    try:
        facts.add_attribute(ctx, signed.actor, product, form.new, known=form.known, for_type=for_type, type_id=type_id)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    words = vocabulary.read(ctx, product_id)
    typed, _ = forms.read(ctx, form, product.values, words.attributes)
    return _fact_part(request, signed, words, typed, product, trouble=trouble)
