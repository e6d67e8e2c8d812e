"""What varies: the part of the product editor, and a page of its own for wide grids."""

from collections.abc import Callable, Sequence
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.context import Context
from graupel.core import attributes as attribute_rules
from graupel.core.attributes import AttributeKind
from graupel.core.declarations.products import VARIANT
from graupel.core.errors import Refused
from graupel.core.pricing import price_range
from graupel.core.roles import Actor, Identity, Role
from graupel.core.variants import DEFAULT_PATTERN, Combination
from graupel.features.destinations.service import Seen
from graupel.features.products import asking, selling
from graupel.features.products import service as product_service
from graupel.features.products.service import Product
from graupel.features.variants import making, setting, taking, views
from graupel.features.variants.making import Wish
from graupel.features.variants.reading import read_value
from graupel.features.variants.schemas import FIELDS, Building, Gap, Grid, Making, Setting, Taking, Wished
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary import service as vocabulary
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/products/{product_id}/variants", dependencies=[Depends(from_our_own_page)])


def part_data(
    ctx: Context, actor: Actor, product: Product, seen: Seen, by: str = "stock", layer: Combination | None = None
) -> dict[str, Any]:
    words = vocabulary.seen(ctx, seen.lens, product.id)
    asked = ctx.db.run(lambda tx: asking.of_many(ctx, tx, [product.id], seen.lens)).get(product.id, {})
    product = product_service.through(product, seen.lens, words)
    sold = selling.read(ctx, product)
    shades = views.shades(sold.said.locations)
    by = by if by in shades else "stock"
    at = setting.at_location(ctx, actor, product, views.location_of(by))
    return {
        "product": product,
        "prices": price_range(one.asked for one in asked.values()),
        "view": views.view(product, by, layer, views.Seen(asked, sold.sells, at)),
        "candidates": views.candidates(words, product),
        "pattern": product.sku_pattern or DEFAULT_PATTERN,
        "may_edit": actor.may(Role.EDITOR),
        "shades": shades,
        "settable": FIELDS,
    }


def part_mark(data: dict[str, Any]) -> str:
    product = data["product"]
    if not product.varies:
        return "dash"
    return "crossed" if product.unpriced and product.values.price is None else "full"


def part(
    request: Request, ctx: Context, signed: Identity, product_id: int, *, status: int = 200, **data: Any
) -> Response:
    """The part of the editor, as it is under the lens and the grid of the page."""
    product = product_service.read(ctx, signed.actor, product_id)
    grid = data.pop("grid", None) or Grid.from_sent(request.query_params)
    return page(
        request,
        "variants/wide.html",
        part="variants/part.html",
        status=status,
        product=product,
        data=part_data(ctx, signed.actor, product, request.state.seen, grid.by, grid.layer or None),
        **{"said": "", "trouble": [], **data},
    )


@router.get("")
def show(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """The grid; for htmx the part alone."""
    return part(request, ctx, signed, product_id)


# --- what it differs by --------------------------------------------------------------------------------------


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
def build(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Building], product_id: int) -> Response:
    """The rows with one more, one less, or one made on the spot; writes nothing but that."""
    signed.actor.require(Role.EDITOR)
    wish = form.wish
    axes = [(key, choices) for key, choices in wish.axes if key != form.take_out]
    trouble: list[str] = []
    if form.add_axis is not None and form.add_axis not in dict(axes):
        axes.append((form.add_axis, ()))
    try:
        axes = _with_new_values(ctx, signed.actor, form, axes)
        if form.new_name.strip():
            axes.append(_private_axis(ctx, signed.actor, form, product_id))
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    wish = Wish(tuple(axes), wish.given, wish.pattern, wish.left_out)
    return _builder(request, ctx, signed, product_id, wish, trouble=trouble)


def _with_new_values(
    ctx: Context, actor: Actor, form: Building, axes: Sequence[tuple[int, tuple[int, ...]]]
) -> list[tuple[int, tuple[int, ...]]]:
    """Values typed beside an attribute are made, and ticked."""
    found = []
    for key, choices in axes:
        typed = form.values.get(key, "").strip()
        if typed:
            attributes.add_choices(ctx, actor, key, typed)
            labels = {label.casefold() for label in attribute_rules.split_list(typed)}
            known = attributes.read(ctx, actor, key).attribute.choices
            choices = (*choices, *(c.id for c in known if c.label.casefold() in labels and c.id not in choices))
        found.append((key, choices))
    return found


def _private_axis(ctx: Context, actor: Actor, form: Building, product_id: int) -> tuple[int, tuple[int, ...]]:
    """An attribute of this product only, with all its values ticked."""
    wanted = attributes.Definition(
        attribute_rules.parse_attribute_name(form.new_name),
        AttributeKind.ONE_CHOICE,
        choices=attribute_rules.split_list(form.new_values),
        product_id=product_id,
    )
    made = attributes.make(ctx, actor, wanted)
    return made.id, tuple(choice.id for choice in attributes.read(ctx, actor, made.id).attribute.choices)


@router.post("/plan")
def plan(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Wished], product_id: int) -> Response:
    """The grid that would result, before anything is made."""
    wish = form.wish
    try:
        planned = making.plan_making(ctx, signed.actor, product_id, wish)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
        return _builder(request, ctx, signed, product_id, wish, status=422, trouble=trouble)
    return _builder(request, ctx, signed, product_id, wish, planned=planned, sketch=views.sketch(planned))


@router.post("/make")
def make(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Making], product_id: int) -> Response:
    """Makes what the dry run showed."""
    wish = form.wish
    shown = set(form.shown) - set(wish.left_out)
    try:
        made = making.make(ctx, signed.actor, product_id, wish, shown)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
        return _builder(request, ctx, signed, product_id, wish, status=422, trouble=trouble)
    said = f"{made.number:,} variants made." if made.number != 1 else "One variant made."
    return part(request, ctx, signed, product_id, said=said)


@router.post("/fill")
def fill(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Gap], product_id: int) -> Response:
    """Makes the variant of one gap."""

    def act() -> str:
        made = making.fill_gap(ctx, signed.actor, product_id, form.combination)
        return "Made." if made.number else "It is there already."

    return _acting(request, ctx, signed, form, product_id, act)


def _acting(
    request: Request, ctx: Context, signed: Identity, grid: Grid, product_id: int, act: Callable[[], str]
) -> Response:
    """Do something, and show the part again: with what ``act`` says of it, or why it was not done."""
    try:
        said = act()
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
        return part(request, ctx, signed, product_id, status=422, trouble=trouble, grid=grid)
    return part(request, ctx, signed, product_id, said=said, grid=grid)


# --- setting values ------------------------------------------------------------------------------------------


def _setting(currency: str, form: Setting, product: Product) -> tuple[set[int], str, Any]:
    """Which variants, which field, which value: a selection, or all with a choice."""
    name, ids = form.field, set(form.ids)
    if form.with_choice is not None:
        ids = {v.id for v in product.for_sale if form.with_choice in v.combination}
    if form.inherit:
        if not VARIANT.field(name).inherits:
            what = (
                f"{FIELDS[name]} is each variant’s own, nothing is inherited: type a value, or leave it blank for none."
            )
            raise Refused.because("variants.own", what, "field")
        return ids, name, None
    if not form.value.strip() and name in ("price", "weight_g"):
        raise Refused.because("variants.value", "Type a value, or press Back to inherited.", "value")
    return ids, name, read_value(name, form.value, currency)


def currency(ctx: Context, request: Request) -> str:
    """In which currency amounts are typed under the lens of the page."""
    return request.state.seen.lens.currency or ctx.settings.currency


@router.post("/set/plan")
def plan_setting(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Setting], product_id: int) -> Response:
    """What setting a field in some variants would do."""
    product = product_service.read(ctx, signed.actor, product_id)
    found, trouble = None, []
    ids: set[int] = set()
    try:
        ids, name, value = _setting(currency(ctx, request), form, product)
        lens, at = request.state.seen.lens, views.location_of(form.by)
        found = setting.plan_setting(ctx, signed.actor, product_id, ids, name, value, lens, at)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    return page(
        request,
        "variants/setting.html",
        status=422 if trouble else 200,
        plan=found,
        product=product,
        ids=".".join(map(str, sorted(ids))),
        inherit=form.inherit,
        raw=form.value,
        labels=FIELDS,
        place=views.shades(selling.read(ctx, product).said.locations).get(form.by, "") if found and found.at else "",
        trouble=trouble,
    )


@router.post("/set")
def set_values(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Setting], product_id: int) -> Response:
    """Sets a field in some variants."""
    product = product_service.read(ctx, signed.actor, product_id)

    def act() -> str:
        ids, name, value = _setting(currency(ctx, request), form, product)
        lens, at = request.state.seen.lens, views.location_of(form.by)
        setting.set_values(ctx, signed.actor, product_id, ids, name, value, lens, at)
        return "Set."

    return _acting(request, ctx, signed, form, product_id, act)


# --- taking away ---------------------------------------------------------------------------------------------


@router.post("/take/plan")
def plan_taking(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Taking], product_id: int) -> Response:
    """What taking variants away would do: by selection, by a value, or by giving up an attribute."""
    product = product_service.read(ctx, signed.actor, product_id)
    found: taking.Going | taking.Dropping | None = None
    trouble = []
    given_up = form.given_up
    try:
        if given_up:
            found = taking.plan_dropping(ctx, signed.actor, product_id, *given_up)
        else:
            found = taking.plan_taking(ctx, signed.actor, product_id, ids=set(form.ids), choice=form.choice or 0)
    except Refused as refusal:
        trouble = [problem.message for problem in refusal.problems]
    return page(
        request,
        "variants/taking.html",
        status=422 if trouble else 200,
        plan=found,
        product=product,
        ids=".".join(map(str, form.ids)),
        choice=form.choice or "",
        axis=given_up[0] if given_up else "",
        keep=given_up[1] if given_up else "",
        trouble=trouble,
    )


@router.post("/take")
def take(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Taking], product_id: int) -> Response:
    """Takes variants away as the dry run showed."""

    def act() -> str:
        if form.given_up:
            taking.drop_axis(ctx, signed.actor, product_id, *form.given_up, form.signature)
        else:
            ids, choice = set(form.ids), form.choice or 0
            taking.take_away(ctx, signed.actor, product_id, form.signature, ids=ids, choice=choice)
        return "Taken away. History can bring them back."

    return _acting(request, ctx, signed, form, product_id, act)
