"""One variant by itself, the rows of variants in the table, and cells that are edited in place."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response

from graupel.context import Context
from graupel.core import availability, quantities, stock
from graupel.core.declarations.products import AMOUNTS, VARIANT, VARIANT_WORDS
from graupel.core.errors import Outdated, Refused
from graupel.core.problems import Problem, by_field
from graupel.core.resolve import Level
from graupel.core.roles import Identity, Role
from graupel.core.showing import typed_text
from graupel.core.stock import How, Typed
from graupel.core.tables import read_columns
from graupel.core.variants import label_of, order_key
from graupel.features.destinations import terms
from graupel.features.destinations.service import Seen
from graupel.features.products import asking, selling
from graupel.features.products import service as product_service
from graupel.features.products.service import Product, Variant
from graupel.features.variants import cells, pages, service, setting, views
from graupel.features.variants.reading import read_value
from graupel.features.variants.schemas import Cells, One, RowsAsked
from graupel.features.variants.table_cells import VariantRow
from graupel.features.vocabulary import service as vocabulary
from graupel.features.wording import lensing
from graupel.features.wording.lensing import FieldSeen, Held
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/products/{product_id}/variants", dependencies=[Depends(from_our_own_page)])


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
    sold = selling.read(ctx, product)
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
        label=label_of(product.axes, variant.combination),
        pictures=views.pictures_of(product, variant),
        may_edit=signed.actor.may(Role.EDITOR),
        sells=availability.sentence(sold.sells[variant.id]) if variant.id in sold.sells else "",
        above=selling.above(sold.said, product.values.type_id, product.values if product.varies else None),
        ending=ctx.db.run(terms.of_catalogue).price_ending,
        **{"said": "", **data},
    )


def _typed_of(variant: Variant) -> dict[str, str]:
    """Its fields as the form has them."""
    return {name: typed_text(VARIANT.field(name).kind, getattr(variant, name)) for name in setting.FOR_ONE}


SHOWN_ROWS = 100


@router.get("/rows")
def show_rows(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[RowsAsked], product_id: int) -> Response:
    """The variants as rows of the products table, under their product's."""
    seen: Seen = request.state.seen
    product = product_service.read(ctx, signed.actor, product_id)
    through = product_service.through(product, seen.lens, vocabulary.seen(ctx, seen.lens, product_id))
    order = order_key(product.axes)
    variants = sorted(product.variants, key=lambda v: tuple(order.get(choice, 0) for choice in v.combination))
    shown = {one.id: one for one in through.variants}
    now = ctx.db.run(lambda tx: asking.of_many(ctx, tx, [product_id], seen.lens)).get(product_id, {})
    rows = [
        VariantRow(one, product, shown[one.id], through, label_of(through.axes, one.combination), seen, now.get(one.id))
        for one in variants[:SHOWN_ROWS]
    ]
    return page(
        request,
        "variants/rows.html",
        product=product,
        rows=rows,
        more=max(0, len(variants) - SHOWN_ROWS),
        columns=read_columns(asked.columns.split(",")),
        may_edit=signed.actor.may(Role.EDITOR),
    )


@router.get("/{variant_id}")
def show_one(request: Request, ctx: Ctx, signed: Signed, product_id: int, variant_id: int) -> Response:
    """One variant: its own values, and those it takes from its product."""
    product = product_service.product_of_variant(ctx, signed.actor, variant_id)
    return _one(request, ctx, signed, product, next(v for v in product.variants if v.id == variant_id))


@router.post("/{variant_id}")
def save_one(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[One], product_id: int, variant_id: int
) -> Response:
    """Saves one variant; blank fields are inherited."""
    product = product_service.product_of_variant(ctx, signed.actor, variant_id)
    variant = next(v for v in product.variants if v.id == variant_id)
    values: dict[str, Any] = {}
    own, problems = _own_typed(ctx, request, form.own)
    for name, text in form.typed.items():
        try:
            values[name] = _read(name, text, form.stock_shown, ctx.settings.currency)
        except Refused as refusal:
            problems += [problem.at(field=name) for problem in refusal.problems]
    try:
        if problems:
            raise Refused(problems)
        setting.save_one(ctx, signed.actor, variant_id, values, form.version, own)
    except Refused as refusal:
        typed = form.typed | {f"own-{key}": text for key, text in form.own.items()}
        return _one(request, ctx, signed, product, variant, typed=typed, refusal=refusal)
    except Outdated as outdated:
        late = Refused.because("outdated", str(outdated))
        return _one(request, ctx, signed, product, variant, typed=form.typed, refusal=late)
    return pages.part(request, ctx, signed, product.id, said="Variant saved.")


def _read(name: str, text: str, stock_shown: str, currency: str) -> Any:
    """A field as typed; of stock by what stood there. Raises Refused."""
    if name != "stock":
        return read_value(name, text, currency)
    shown = stock.count(stock_shown) if stock_shown.strip() else None
    return stock.parse(text, shown) if text.strip() or shown is not None else Typed(How.BY)


def _own_typed(ctx: Context, request: Request, typed: dict[str, str]) -> tuple[dict[str, str], list[Problem]]:
    """What was typed for the lens, by key, and what of it can't be taken."""
    own: dict[str, str] = {}
    problems: list[Problem] = []
    for key, text in typed.items():
        field = key.rpartition(".")[2]
        if field not in (*VARIANT_WORDS, *AMOUNTS):
            continue
        try:
            value = read_value(field, text, pages.currency(ctx, request))
            own[key] = "" if value is None else quantities.format_money(value) if field in AMOUNTS else str(value)
        except Refused as refusal:
            problems += [problem.at(field=field) for problem in refusal.problems]
    return own, problems


table_router = APIRouter(dependencies=[Depends(from_our_own_page)])


@table_router.post("/products/cells")
def save_cells(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Cells]) -> JSONResponse:
    """Saves cells of the table that were edited in place: all of them, or none and why."""
    try:
        changed = cells.save(ctx, signed.actor, [one.typed for one in form.cells], request.state.seen.lens)
    except Refused as refusal:
        problems = [{"cell": problem.field or "", "message": problem.message} for problem in refusal.problems]
        return JSONResponse({"problems": problems}, 422)
    return JSONResponse({"changed": changed})
