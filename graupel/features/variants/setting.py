"""Setting values of variants: of many at once, each its own, or one variant whole."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from dataclasses import field as dataclass_field
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import ordering
from graupel.core.declarations.products import AMOUNTS, VARIANT, VARIANT_WORDS
from graupel.core.errors import Outdated, Refused
from graupel.core.problems import Problem
from graupel.core.products import Status, lacks_for_live
from graupel.core.quantities import format_money
from graupel.core.resolve import DEFAULT_LENS, Lens, key_of
from graupel.core.roles import Actor, Role
from graupel.core.stock import How, Typed
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.products import service as products
from graupel.features.products import skus
from graupel.features.products.service import Product, Variant
from graupel.features.terms import booking, stock_store
from graupel.features.terms.booking import Wish
from graupel.features.variants import service, store
from graupel.features.wording import service as wording

#: What can be set for many variants at once, and for one alone.
FOR_MANY = VARIANT.for_many


FOR_ONE = ("sku", "gtin", "elsewhere", "mpn", *FOR_MANY)


@dataclass(frozen=True)
class SetPlan:
    """What setting a field of some variants does: how many change, and from what. ``value`` None: back to inherited;
    of stock it is what was typed (core.stock.Typed), of ``held`` at a location ``at``."""

    field: str
    value: Any
    changing: list[Variant]
    same: int
    at: int | None = None
    held: Mapping[int, Decimal] = dataclass_field(default_factory=dict)

    def now(self, variant: Variant) -> Any:
        """What a variant has of it."""
        if self.at and variant.stock is not None:
            return self.held.get(variant.id, Decimal(0))
        return getattr(variant, self.field)

    def then(self, variant: Variant) -> Any:
        """What a variant has of it afterwards."""
        if not isinstance(self.value, Typed):
            return self.value
        if self.value.how is How.NOT_COUNTED:
            return None
        held = self.now(variant) or Decimal(0)
        return held + self.value.change(held)


def plan_setting(
    ctx: Context,
    actor: Actor,
    product_id: int,
    ids: Collection[int],
    name: str,
    value: Any,
    lens: Lens = DEFAULT_LENS,
    at: int | None = None,
) -> SetPlan:
    """The dry run of setting one field in some variants, for the destination of a lens; of stock at a location.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _set_plan(tx, products.load(ctx, tx, product_id), ids, name, value, lens, at))


def at_location(ctx: Context, actor: Actor, product: Product, location_id: int | None) -> dict[int, Decimal]:
    """What lies of the variants at a location, by their ids; nothing where none is asked for."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _at_location(tx, product, location_id))


def _at_location(tx: Tx, product: Product, location_id: int | None) -> dict[int, Decimal]:
    rows = stock_store.at_locations(tx, [one.id for one in product.variants]) if location_id else []
    return {row["variant_id"]: row["on_hand"] for row in rows if row["location_id"] == location_id}


def _is_at_destination(name: str, lens: Lens) -> bool:
    """Whether a field is set for the destination of a lens alone."""
    return bool(lens.destination) and name in AMOUNTS


def _at_lens(product: Product, name: str, lens: Lens) -> Product:
    """The product with what its variants have of an amount at the very destination of a lens, where it has one."""
    if not _is_at_destination(name, lens):
        return product
    key = key_of(lens, name)

    def at_lens(variant: Variant) -> Variant:
        held: dict[str, Any] = {name: Decimal(variant.own[key]) if key in variant.own else None}
        return replace(variant, **held)

    variants = tuple(map(at_lens, product.variants))
    return replace(product, variants=variants)


def _set_plan(
    tx: Tx, product: Product, ids: Collection[int], name: str, value: Any, lens: Lens, at: int | None
) -> SetPlan:
    product = _at_lens(product, name, lens)
    if name not in FOR_MANY:
        raise Refused.because("variants.field", "This is set for one variant at a time.", "field")
    chosen = [variant for variant in product.variants if variant.id in ids]
    if not chosen:
        raise Refused.because(
            "variants.none", "Choose the variants first: click cells, a heading, or a value.", "field"
        )
    at = at if name == "stock" else None
    if at is not None and at not in {row["id"] for row in stock_store.locations(tx)}:
        raise Refused.because("location.gone", "This location is not there any more.", "field")
    plan = SetPlan(name, value, [], 0, at, _at_location(tx, product, at))
    changing = [variant for variant in chosen if plan.now(variant) != plan.then(variant)]
    if name == "price" and not _is_at_destination(name, lens):
        _refuse_unpriced(product, {v.id: {name: value} for v in changing})
    if name == "archived" and value and not [v for v in product.for_sale if v not in changing]:
        raise Refused.because("variants.last", "At least one variant must stay for sale. Archive the product instead.")
    return replace(plan, changing=changing, same=len(chosen) - len(changing))


def _refuse_unpriced(product: Product, changes: Mapping[int, Mapping[str, Any]]) -> None:
    """A live product's variants all have a price, their own or the product's; named is the first that would not."""
    if product.values.status is not Status.LIVE:
        return
    then = [replace(variant, **changes.get(variant.id, {})) for variant in product.variants]
    unpriced = [variant for variant in then if not variant.archived and variant.price is None]
    for problem in lacks_for_live(product.values, len(unpriced)):
        if problem.code == "price.missing":
            raise Refused.because(
                problem.code, f"{unpriced[0].sku} would have no price, and the product is live. Give it one.", "price"
            )


def check_whole(product: Product) -> None:
    """Refuses a product whose variants break a rule together."""
    _refuse_unpriced(product, {})
    if not product.for_sale:
        raise Refused.because("variants.last", "At least one variant must stay for sale. Archive the product instead.")


def set_values(
    ctx: Context,
    actor: Actor,
    product_id: int,
    ids: Collection[int],
    name: str,
    value: Any,
    lens: Lens = DEFAULT_LENS,
    at: int | None = None,
) -> int:
    """Set one field in some variants, None: back to inherited; returns how many changed. Raises Refused, NotFound.

    An amount is written for the destination of the lens alone, where it is not the default one; stock is booked ``at``
    a location.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        product = products.load(ctx, tx, product_id, lock=True)
        plan = _set_plan(tx, product, ids, name, value, lens, at)
        title = f"{len(plan.changing)} variants changed: {product.values.name}"
        with history.change_set(tx, actor, "variants.set", title) as recorder:
            if _is_at_destination(name, lens):
                texts = dict.fromkeys((variant.id for variant in plan.changing), format_money(value))
                return wording.write_several(tx, recorder, "variant", texts, key_of(lens, name), {})
            if name == "stock":
                return booking.book_typed(
                    tx, recorder, [Wish(one.id, value, location=plan.at) for one in plan.changing]
                )
            written = int(value) if isinstance(value, bool) else value
            return store.change(tx, recorder, [variant.id for variant in plan.changing], {name: written})

    return ctx.db.run(work)


def set_each(ctx: Context, actor: Actor, product_id: int, name: str, values: Mapping[int, Any]) -> int:
    """Set one field to a value of its own in each variant (id -> value), as a pasted column does.

    Returns how many changed. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        product = products.load(ctx, tx, product_id, lock=True)
        known = {variant.id: variant for variant in product.variants}
        if name not in (*FOR_MANY, "gtin") or not values.keys() <= known.keys():
            raise Refused.because("variants.field", "A variant is not there any more, or this field can't be pasted.")
        _refuse_unpriced(product, {key: {name: value} for key, value in values.items()})
        plain: dict[int, Any] = {key: int(value) if isinstance(value, bool) else value for key, value in values.items()}
        title = f"{len(values)} variants changed: {product.values.name}"
        with history.change_set(tx, actor, "variants.set", title) as recorder:
            if name == "stock":
                return booking.book_typed(tx, recorder, [Wish(key, typed) for key, typed in plain.items()])
            return store.change_each(tx, recorder, name, plain)

    return ctx.db.run(work)


def save_one(
    ctx: Context,
    actor: Actor,
    variant_id: int,
    values: Mapping[str, Any],
    version: int | None = None,
    own: Mapping[str, str] | None = None,
) -> None:
    """Write some fields of one variant, and its own name and short text where given.

    ``version``: its product's, when the values were read; ``own``: what is written for a destination or a language,
    by key, "" takes it away. Stock is what was typed of it (core.stock.Typed). Raises Refused, Outdated, NotFound.
    """
    actor.require(Role.EDITOR)
    fields: dict[str, Any] = {
        name: int(v) if isinstance(v, bool) else v for name, v in values.items() if name in FOR_ONE
    }
    typed: Typed | None = fields.pop("stock", None)

    def work(tx: Tx) -> None:
        product = service.load_product_of(ctx, tx, variant_id, lock=True)
        if version and version != product.version:
            raise Outdated("The product was changed meanwhile. Load it again, then repeat the change.", {})
        problems = _problems_of_one(ctx, tx, product, variant_id, fields)
        if problems:
            raise Refused(problems)
        title = f"Variant changed: {product.values.name}"
        with history.change_set(tx, actor, "variants.set", title) as recorder:
            store.change(tx, recorder, [variant_id], fields)
            booking.book_typed(tx, recorder, [Wish(variant_id, typed)] if typed else [])
            _save_text(ctx, tx, recorder, variant_id, values)
            if own:
                there = next(one.own for one in product.variants if one.id == variant_id)
                texts: Mapping[str, Any] = store.texts(tx, [variant_id], ctx.settings.language).get(variant_id) or {}
                originals = {name: texts.get(name, "") for name in VARIANT_WORDS}
                wording.save(tx, recorder, "variant", variant_id, {**there, **own}, originals)

    try:
        ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("sku.taken", f"The SKU {values.get('sku')} was just taken.", "sku") from error


def _problems_of_one(
    ctx: Context, tx: Tx, product: Product, variant_id: int, fields: Mapping[str, Any]
) -> list[Problem]:
    problems = []
    if "sku" in fields:
        problems += skus.problems(tx, [(fields["sku"], variant_id)], ctx.settings.language)
        if not fields["sku"]:
            problems.append(Problem("sku.missing", "A variant needs its SKU.", "sku"))
    try:
        _refuse_unpriced(product, {variant_id: fields})
    except Refused as refusal:
        problems += refusal.problems
    if any(name in fields for name in ordering.FIELDS):
        one = next(variant for variant in product.variants if variant.id == variant_id)
        problems += ordering.problems({name: fields.get(name, getattr(one, name)) for name in ordering.FIELDS})
    if fields.get("archived") and not [v for v in product.for_sale if v.id != variant_id]:
        problems.append(Problem("variants.last", "It is the only variant for sale. Archive the product instead."))
    return problems


def _save_text(ctx: Context, tx: Tx, recorder: history.Recorder, variant_id: int, values: Mapping[str, Any]) -> None:
    wanted = {name: str(values[name]) for name in ("name", "short_text") if name in values}
    if not wanted:
        return
    lang = ctx.settings.language
    row = store.texts(tx, [variant_id], lang).get(variant_id)
    before = {name: row[name] if row else "" for name in ("name", "short_text")}
    after = before | wanted
    if row is None and any(after.values()):
        whole = {"variant_id": variant_id, "lang": lang, **after}
        recorder.made("variant_text", store.insert_text(tx, whole), whole)
    elif row is not None and not any(after.values()):
        gone = {"variant_id": variant_id, "lang": lang, **before}
        recorder.removed("variant_text", row["id"], gone, row["version"] + 1)
        store.delete_text(tx, row["id"])
    elif row is not None and recorder.changed("variant_text", row["id"], before, after, row["version"] + 1):
        store.update_text(tx, row["id"], after)
