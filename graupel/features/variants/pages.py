"""What varies: the part of the product editor, and a page of its own for wide grids."""

import json
from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response
from starlette.datastructures import FormData

from graupel.context import Context
from graupel.core import attributes as attribute_rules
from graupel.core import quantities
from graupel.core.attributes import Kind
from graupel.core.declarations.products import AMOUNTS, VARIANT, VARIANT_WORDS
from graupel.core.errors import Outdated, Refused
from graupel.core.problems import Problem, by_field
from graupel.core.resolve import Level, key_of
from graupel.core.roles import Actor, Identity, Role
from graupel.core.showing import typed_text
from graupel.core.tables import read_columns
from graupel.core.variants import DEFAULT_PATTERN, Combination, label_of, order_key
from graupel.features.destinations.service import Seen
from graupel.features.products import service as product_service
from graupel.features.products.service import Product, Variant
from graupel.features.variants import cells, making, service, setting, taking, views
from graupel.features.variants.making import Wish
from graupel.features.variants.reading import read_value
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import lensing
from graupel.features.wording.lensing import FieldSeen, Held
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(prefix="/products/{product_id}/variants", dependencies=[Depends(from_our_own_page)])

#: What can be set for several variants, and what it is called.
FIELDS = {name: VARIANT.field(name).label for name in VARIANT.for_many}


def part_data(
    ctx: Context, actor: Actor, product: Product, seen: Seen, by: str = "stock", layer: Combination | None = None
) -> dict[str, Any]:
    words = vocabulary.seen(ctx, seen.lens, product.id)
    product = product_service.through(product, seen.lens, words)
    return {
        "product": product,
        "view": views.view(product, by, layer),
        "candidates": views.candidates(words, product),
        "pattern": product.sku_pattern or DEFAULT_PATTERN,
        "may_edit": actor.may(Role.EDITOR),
        "shades": views.SHADES_BY,
        "settable": FIELDS,
    }


def part_mark(data: dict[str, Any]) -> str:
    product = data["product"]
    if not product.varies:
        return "dash"
    return "crossed" if product.unpriced and product.values.price is None else "full"


def _part(
    request: Request, ctx: Context, signed: Identity, product_id: int, *, status: int = 200, **data: Any
) -> Response:
    product = product_service.read(ctx, signed.actor, product_id)
    form_or_query = data.pop("state", request.query_params)
    layer = _combination(str(form_or_query.get("layer", "")))
    return page(
        request,
        "variants/wide.html",
        part="variants/part.html",
        status=status,
        product=product,
        data=part_data(
            ctx, signed.actor, product, request.state.seen, str(form_or_query.get("by", "stock")), layer or None
        ),
        **{"said": "", "trouble": [], **data},
    )


def _combination(text: str) -> Combination:
    return tuple(int(one) for one in text.split(".") if one.isdecimal() and len(one) < 11)


def _ids(form: FormData) -> set[int]:
    return {int(one) for one in str(form.get("ids", "")).split(".") if one.isdecimal() and len(one) < 11}


@router.get("")
def show(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """The grid; for htmx the part alone."""
    return _part(request, ctx, signed, product_id)


# --- what it differs by --------------------------------------------------------------------------------------


def _wish(form: FormData) -> Wish:
    axes = []
    given = {}
    for text in form.getlist("axis"):
        if not str(text).isdecimal():
            continue
        key = int(str(text))
        axes.append((key, tuple(int(str(one)) for one in form.getlist(f"choice-{key}") if str(one).isdecimal())))
        chosen = str(form.get(f"given-{key}", ""))
        if chosen.isdecimal():
            given[key] = int(chosen)
    left = frozenset(_combination(one) for one in str(form.get("left_out", "")).split() if one)
    return Wish(tuple(axes), given, str(form.get("pattern", "")), left)


def _builder(
    request: Request, ctx: Context, signed: Identity, product_id: int, wish: Wish, *, status: int = 200, **data: Any
) -> Response:
    """The rows of attributes with their values to tick."""
    product = product_service.read(ctx, signed.actor, product_id)
    words = vocabulary.read(ctx, product_id)
    chosen = dict(wish.axes)
    rows = [words.attributes[key] for key in chosen if key in words.attributes]
    return page(
        request,
        "variants/builder.html",
        status=status,
        product=product,
        rows=rows,
        chosen=chosen,
        wish=wish,
        used={axis.attribute.id: axis.ids for axis in product.axes},
        candidates=views.candidates(words, product),
        pattern=wish.pattern or product.sku_pattern or DEFAULT_PATTERN,
        may_edit=True,
        **{"planned": None, "trouble": [], **data},
    )


@router.get("/build")
def begin(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """The attributes that the product differs by, or those that its type proposes."""
    signed.actor.require(Role.EDITOR)
    product = product_service.read(ctx, signed.actor, product_id)
    words = vocabulary.read(ctx, product_id)
    axes = [(axis.attribute.id, axis.ids) for axis in product.axes]
    if not axes:
        axes = [(attribute.id, ()) for attribute in views.candidates(words, product)["of its type"]]
    return _builder(request, ctx, signed, product_id, Wish(tuple(axes)))


@router.post("/build")
def build(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """The rows with one more, one less, or one made on the spot; writes nothing but that."""
    signed.actor.require(Role.EDITOR)
    wish = _wish(form)
    gone = str(form.get("take_out", ""))
    axes = [(key, choices) for key, choices in wish.axes if str(key) != gone]
    trouble: list[str] = []
    if (added := str(form.get("add_axis", ""))).isdecimal() and int(added) not in dict(axes):
        axes.append((int(added), ()))
    try:
        axes = _with_new_values(ctx, signed.actor, form, axes)
        if str(form.get("new_name", "")).strip():
            axes.append(_private_axis(ctx, signed.actor, form, product_id))
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    wish = Wish(tuple(axes), wish.given, wish.pattern, wish.left_out)
    return _builder(request, ctx, signed, product_id, wish, trouble=trouble)


def _with_new_values(
    ctx: Context, actor: Actor, form: FormData, axes: Sequence[tuple[int, tuple[int, ...]]]
) -> list[tuple[int, tuple[int, ...]]]:
    """Values typed beside an attribute are made, and ticked."""
    found = []
    for key, choices in axes:
        typed = str(form.get(f"values-{key}", "")).strip()
        if typed:
            attributes.add_choices(ctx, actor, key, typed)
            labels = {label.casefold() for label in attribute_rules.split_list(typed)}
            known = attributes.read(ctx, actor, key).attribute.choices
            choices = (*choices, *(c.id for c in known if c.label.casefold() in labels and c.id not in choices))
        found.append((key, choices))
    return found


def _private_axis(ctx: Context, actor: Actor, form: FormData, product_id: int) -> tuple[int, tuple[int, ...]]:
    """An attribute of this product only, with all its values ticked."""
    wanted = attributes.Definition(
        attribute_rules.parse_attribute_name(str(form.get("new_name", ""))),
        Kind.ONE_CHOICE,
        choices=attribute_rules.split_list(str(form.get("new_values", ""))),
        product_id=product_id,
    )
    made = attributes.make(ctx, actor, wanted)
    return made.id, tuple(choice.id for choice in attributes.read(ctx, actor, made.id).attribute.choices)


@router.post("/plan")
def plan(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """The grid that would result, before anything is made."""
    wish = _wish(form)
    try:
        planned = making.plan_making(ctx, signed.actor, product_id, wish)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
        return _builder(request, ctx, signed, product_id, wish, status=422, trouble=trouble)
    return _builder(request, ctx, signed, product_id, wish, planned=planned, sketch=views.sketch(planned))


@router.post("/make")
def make(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Makes what the dry run showed."""
    wish = _wish(form)
    shown = {_combination(one) for one in str(form.get("shown", "")).split()} - set(wish.left_out)
    try:
        made = making.make(ctx, signed.actor, product_id, wish, shown)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
        return _builder(request, ctx, signed, product_id, wish, status=422, trouble=trouble)
    said = f"{made.number:,} variants made." if made.number != 1 else "One variant made."
    return _part(request, ctx, signed, product_id, said=said)


@router.post("/fill")
def fill(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Makes the variant of one gap."""
    combination = _combination(str(form.get("combination", "")))
    return _acting(
        request,
        ctx,
        signed,
        form,
        product_id,
        lambda: making.fill_gap(ctx, signed.actor, product_id, combination),
        "Made.",
    )


def _acting(
    request: Request, ctx: Context, signed: Identity, form: FormData, product_id: int, act: Any, said: str
) -> Response:
    """Do something, and show the part again: with what was said, or why it was not done."""
    try:
        act()
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
        return _part(request, ctx, signed, product_id, status=422, trouble=trouble, state=form)
    return _part(request, ctx, signed, product_id, said=said, state=form)


# --- setting values ------------------------------------------------------------------------------------------


def _setting(currency: str, form: FormData, product: Product) -> tuple[set[int], str, Any]:
    """Which variants, which field, which value: a selection, or all with a choice."""
    name = str(form.get("field", "price"))
    if name not in FIELDS:
        raise Refused.because("variants.field", "Choose what is to be set.", "field")
    choice = str(form.get("with_choice", ""))
    ids = _ids(form)
    if choice.isdecimal():
        ids = {v.id for v in product.for_sale if int(choice) in v.combination}
    if form.get("inherit"):
        return ids, name, None
    text = str(form.get("value", ""))
    if not text.strip() and name in ("price", "weight_g"):
        raise Refused.because("variants.value", "Type a value, or press Back to inherited.", "value")
    return ids, name, read_value(name, text, currency)


def _currency(ctx: Context, request: Request) -> str:
    """In which currency amounts are typed under the lens of the page."""
    return request.state.seen.lens.currency or ctx.settings.currency


@router.post("/set/plan")
def plan_setting(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """What setting a field in some variants would do."""
    product = product_service.read(ctx, signed.actor, product_id)
    found, trouble = None, []
    ids: set[int] = set()
    try:
        ids, name, value = _setting(_currency(ctx, request), form, product)
        found = setting.plan_setting(ctx, signed.actor, product_id, ids, name, value, request.state.seen.lens)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    return page(
        request,
        "variants/setting.html",
        status=422 if trouble else 200,
        plan=found,
        product=product,
        ids=".".join(map(str, sorted(ids))),
        inherit=bool(form.get("inherit")),
        raw=str(form.get("value", "")),
        labels=FIELDS,
        trouble=trouble,
    )


@router.post("/set")
def set_values(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Sets a field in some variants."""
    product = product_service.read(ctx, signed.actor, product_id)

    def act() -> None:
        ids, name, value = _setting(_currency(ctx, request), form, product)
        setting.set_values(ctx, signed.actor, product_id, ids, name, value, request.state.seen.lens)

    return _acting(request, ctx, signed, form, product_id, act, "Set.")


# --- taking away ---------------------------------------------------------------------------------------------


@router.post("/take/plan")
def plan_taking(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """What taking variants away would do: by selection, by a value, or by giving up an attribute."""
    product = product_service.read(ctx, signed.actor, product_id)
    found: taking.Going | taking.Dropping | None = None
    trouble = []
    choice, axis, keep = (str(form.get(name, "")) for name in ("choice", "axis", "keep"))
    try:
        if axis.isdecimal() and keep.isdecimal():
            found = taking.plan_dropping(ctx, signed.actor, product_id, int(axis), int(keep))
        else:
            wanted = int(choice) if choice.isdecimal() else 0
            found = taking.plan_taking(ctx, signed.actor, product_id, ids=_ids(form), choice=wanted)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    return page(
        request,
        "variants/taking.html",
        status=422 if trouble else 200,
        plan=found,
        product=product,
        ids=str(form.get("ids", "")),
        choice=choice,
        axis=axis,
        keep=keep,
        trouble=trouble,
    )


@router.post("/take")
def take(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Takes variants away as the dry run showed."""
    choice, axis, keep, signature = (str(form.get(name, "")) for name in ("choice", "axis", "keep", "signature"))

    def act() -> None:
        if axis.isdecimal() and keep.isdecimal():
            taking.drop_axis(ctx, signed.actor, product_id, int(axis), int(keep), signature)
        else:
            wanted = int(choice) if choice.isdecimal() else 0
            taking.take_away(ctx, signed.actor, product_id, signature, ids=_ids(form), choice=wanted)

    return _acting(request, ctx, signed, form, product_id, act, "Taken away. History can bring them back.")


# --- one variant ---------------------------------------------------------------------------------------------

OWN = (
    "sku", "gtin", "mpn", *(name for name in VARIANT.for_many if name != "archived"), "name", "short_text",
)  # fmt: skip


def _at(
    ctx: Context, product: Product, variant: Variant, texts: dict[str, str], typed: dict[str, str], seen: Seen
) -> dict[str, FieldSeen]:
    """The variant's fields that may be written for the lens, by name."""
    written = {name: texts[name] for name in VARIANT_WORDS}
    written |= {name: quantities.format_money(getattr(variant, name)) for name in AMOUNTS}
    base = {name: getattr(product.values, name) for name in VARIANT_WORDS}
    base |= {name: quantities.format_money(getattr(product.values, name)) for name in AMOUNTS}
    if not product.varies:
        written |= dict.fromkeys(AMOUNTS, "")
    above = Held(Level.PRODUCT, base, product.values.own, {})
    return lensing.fields(Held(Level.VARIANT, written, variant.own, {}, above), typed, seen)


def _one(
    request: Request,
    ctx: Context,
    signed: Identity,
    product: Product,
    variant: Variant,
    *,
    typed: Any = None,
    **data: Any,
) -> Response:
    refusal: Refused | None = data.pop("refusal", None)
    seen: Seen = request.state.seen
    own_texts = service.texts_of(ctx, variant.id)
    return page(
        request,
        "variants/one.html",
        at=_at(ctx, product, variant, own_texts, typed or {}, seen),
        status=422 if refusal else 200,
        headers={"HX-Retarget": "#one-variant", "HX-Reswap": "innerHTML"} if refusal else None,
        product=product,
        variant=variant,
        typed=typed or _typed_of(variant) | own_texts,
        problems=by_field(refusal.problems) if refusal else {},
        label=views.view(product, "stock", None).label(variant.combination),
        pictures=views.pictures_of(product, variant),
        may_edit=signed.actor.may(Role.EDITOR),
        **{"said": "", **data},
    )


def _typed_of(variant: Variant) -> dict[str, str]:
    """Its fields as the form has them."""
    sells = variant.sells_without_stock
    typed = {name: typed_text(VARIANT.field(name).kind, getattr(variant, name)) for name in setting.FOR_ONE}
    return typed | {"sells_without_stock": "" if sells is None else "yes" if sells else "no"}


SHOWN_ROWS = 100


@router.get("/rows")
def show_rows(request: Request, ctx: Ctx, signed: Signed, product_id: int, columns: str = "") -> Response:
    """The variants as rows of the products table, under their product's."""
    seen: Seen = request.state.seen
    product = product_service.read(ctx, signed.actor, product_id)
    through = product_service.through(product, seen.lens, vocabulary.seen(ctx, seen.lens, product_id))
    order = order_key(product.axes)
    variants = sorted(product.variants, key=lambda v: tuple(order.get(choice, 0) for choice in v.combination))
    return page(
        request,
        "variants/rows.html",
        product=product,
        variants=variants[:SHOWN_ROWS],
        more=max(0, len(variants) - SHOWN_ROWS),
        labels={v.id: label_of(through.axes, v.combination) for v in variants},
        shown={one.id: one for one in through.variants},
        base=through.values,
        locale=seen.locale,
        keys={name: key_of(seen.lens, name) for name in AMOUNTS} if seen.lens.destination else {},
        columns=read_columns(columns.split(",")),
        may_edit=signed.actor.may(Role.EDITOR),
    )


@router.get("/{variant_id}")
def show_one(request: Request, ctx: Ctx, signed: Signed, product_id: int, variant_id: int) -> Response:
    """One variant: its own values, and those it takes from its product."""
    product = product_service.product_of_variant(ctx, signed.actor, variant_id)
    return _one(request, ctx, signed, product, next(v for v in product.variants if v.id == variant_id))


@router.post("/{variant_id}")
def save_one(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int, variant_id: int) -> Response:
    """Saves one variant; blank fields are inherited."""
    product = product_service.product_of_variant(ctx, signed.actor, variant_id)
    variant = next(v for v in product.variants if v.id == variant_id)
    typed = {name: str(form.get(name, "")) for name in OWN if name in form}
    values: dict[str, Any] = {}
    own, problems = _own_typed(ctx, request, form)
    for name, text in typed.items():
        try:
            values[name] = read_value(name, text, ctx.settings.currency)
        except Refused as refusal:
            problems += [problem.at(field=name) for problem in refusal.problems]
    try:
        if problems:
            raise Refused(problems)
        version = str(form.get("version", ""))
        setting.save_one(ctx, signed.actor, variant_id, values, int(version) if version.isdecimal() else None, own)
    except Refused as refusal:
        typed |= {name: str(value) for name, value in form.items() if name.startswith("own-")}
        return _one(request, ctx, signed, product, variant, typed=typed, refusal=refusal)
    except Outdated as outdated:
        late = Refused.because("outdated", str(outdated))
        return _one(request, ctx, signed, product, variant, typed=typed, refusal=late)
    return _part(request, ctx, signed, product.id, said="Variant saved.")


def _own_typed(ctx: Context, request: Request, form: FormData) -> tuple[dict[str, str], list[Problem]]:
    """What was typed for the lens, by key, and what of it can't be taken."""
    own: dict[str, str] = {}
    problems: list[Problem] = []
    for name, text in form.items():
        key = name.removeprefix("own-")
        field = key.rpartition(".")[2]
        if key == name or field not in (*VARIANT_WORDS, *AMOUNTS):
            continue
        try:
            value = read_value(field, str(text), _currency(ctx, request))
            own[key] = "" if value is None else quantities.format_money(value) if field in AMOUNTS else str(value)
        except Refused as refusal:
            problems += [problem.at(field=field) for problem in refusal.problems]
    return own, problems


# --- cells of the table --------------------------------------------------------------------------------------

table_router = APIRouter(dependencies=[Depends(from_our_own_page)])


@table_router.post("/products/cells")
def save_cells(request: Request, ctx: Ctx, signed: Signed, form: Form) -> JSONResponse:
    """Saves cells of the table that were edited in place: all of them, or none and why."""
    try:
        typed = json.loads(str(form.get("cells", "[]")))
        changed = cells.save(ctx, signed.actor, cells.read_cells(typed), request.state.seen.lens)
    except Refused as refusal:
        problems = [{"cell": problem.field or "", "message": problem.message} for problem in refusal.problems]
        return JSONResponse({"problems": problems}, 422)
    except ValueError:
        return JSONResponse({"problems": [{"cell": "", "message": "This was not sent by our page."}]}, 422)
    return JSONResponse({"changed": changed})
