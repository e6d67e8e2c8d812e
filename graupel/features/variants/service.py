"""What a merchant does with the variants of a product."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import variants as rules
from graupel.core.declarations.products import AMOUNTS, CHOICES, VARIANT, VARIANT_WORDS
from graupel.core.errors import NotFound, Outdated, Refused
from graupel.core.problems import Problem
from graupel.core.products import BASE_FIELDS, Status, written_words
from graupel.core.quantities import format_money
from graupel.core.resolve import DEFAULT_LENS, Lens, key_of, split_key
from graupel.core.roles import Actor, Role
from graupel.core.variants import Axis, Combination, Holding, MakePlan, Taken
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.products import holds, skus
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.products.service import Product, Variant
from graupel.features.variants import store
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording import service as wording


@dataclass(frozen=True)
class Wish:
    """What a product is to differ by: attribute ids with the ids of the ticked choices, in order.

    ``given``: the choice, by attribute id, that the variants that are there get of an attribute that is new.
    """

    axes: tuple[tuple[int, tuple[int, ...]], ...]
    given: Mapping[int, int] = field(default_factory=dict)
    pattern: str = ""
    left_out: frozenset[Combination] = frozenset()


@dataclass(frozen=True)
class Planned:
    """A dry run: the axes then, what is made with its SKU, and what of the grid would stay a gap."""

    plan: MakePlan
    skus: Mapping[Combination, str]
    pattern: str
    proposed: frozenset[Combination]

    @property
    def labels(self) -> dict[Combination, str]:
        """What is made, in words."""
        return {combination: rules.label_of(self.plan.axes, combination) for combination in self.plan.new}


def holdings(tx: Tx, product: Product) -> list[Holding]:
    """The product's variants as far as a change of axes must know them."""
    held = holds.held_variants(tx, product.id)
    return [
        Holding(v.id, v.sku, v.combination, v.stock, v.id in held, bool(v.stock and v.stock < 0), v.archived)
        for v in product.variants
    ]


def plan_making(ctx: Context, actor: Actor, product_id: int, wish: Wish) -> Planned:
    """The dry run of giving a product axes and values. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan(tx, products.load(ctx, tx, product_id), wish))


def _plan(tx: Tx, product: Product, wish: Wish) -> Planned:
    assert product.vocabulary is not None
    wanted = _wanted_axes(product.vocabulary, wish)
    there = holdings(tx, product)
    plan = rules.plan_axes(product.axes, there, wanted, wish.given, wish.left_out)
    everything = plan.new if not wish.left_out else rules.plan_axes(product.axes, there, wanted, wish.given).new
    text = wish.pattern or product.sku_pattern or rules.DEFAULT_PATTERN
    pattern = rules.parse_pattern(text, plan.axes)
    made = _free_skus(tx, pattern, product.shown_code or f"P{product.id}", plan)
    return Planned(plan, made, pattern.text, frozenset(everything))


def _wanted_axes(words: Vocabulary, wish: Wish) -> list[Axis]:
    axes = []
    for attribute_id, choice_ids in wish.axes:
        attribute = words.attributes.get(attribute_id)
        if attribute is None:
            raise Refused.because("axes.unknown", "An attribute is not there any more. Choose another.", "axes")
        axes.append(Axis(attribute, tuple(choice for choice in attribute.choices if choice.id in choice_ids)))
    if not axes:
        raise Refused.because("axes.none", "Choose what the product differs by.", "axes")
    return axes


def _free_skus(tx: Tx, pattern: rules.Pattern, code: str, plan: MakePlan) -> dict[Combination, str]:
    """SKUs that were never given: what is found taken is left out, and all are made again, until none is."""
    taken: set[str] = set()
    while True:
        made = rules.make_skus(pattern, code, plan.axes, plan.new, taken)
        found = product_store.given_of(tx, list(made.values()))
        if not found - taken:
            return made
        taken |= found


@dataclass(frozen=True)
class Made:
    """What was made."""

    number: int


def make(ctx: Context, actor: Actor, product_id: int, wish: Wish, only: Collection[Combination] | None = None) -> Made:
    """Give a product axes and values, and make the variants that the dry run showed (``only``).

    What somebody else made meanwhile is there already and is not made again. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> Made:
        product = products.load(ctx, tx, product_id, lock=True)
        planned = _plan(tx, product, wish)
        new = [one for one in planned.plan.new if only is None or one in only]
        title = f"Variants made: {product.values.name}"
        with history.change_set(tx, actor, "variants.make", title) as recorder:
            _write_axes(ctx, tx, recorder, product, planned)
            _insert(tx, recorder, product, planned, new)
        return Made(len(new))

    return _trying_again(ctx, work)


def _trying_again(ctx: Context, work: Callable[[Tx], Made]) -> Made:
    """Two at once: the second finds what the first made, and a SKU that was taken meanwhile is made anew."""
    for _ in range(3):
        try:
            return ctx.db.run(work)
        except DuplicateKey:
            continue
    return ctx.db.run(work)


def _write_axes(ctx: Context, tx: Tx, recorder: history.Recorder, product: Product, planned: Planned) -> None:
    if not product.varies:
        _move_up(ctx, tx, recorder, product, planned.pattern)
    elif planned.pattern != product.sku_pattern:
        _update_product(ctx, tx, recorder, product, {"sku_pattern": planned.pattern})
    rows = {row["attribute_id"]: row for row in product_store.axes(tx, [product.id])}
    for position, axis in enumerate(planned.plan.axes, start=1):
        _write_axis(tx, recorder, product.id, axis.attribute.id, position, rows.get(axis.attribute.id))
    before = {variant.id: variant.combination for variant in product.variants}
    moved = {key: combination for key, combination in planned.plan.moved.items() if before[key] != combination}
    store.move(tx, recorder, moved)


def _write_axis(
    tx: Tx, recorder: history.Recorder, product_id: int, attribute_id: int, position: int, row: dict[str, Any] | None
) -> None:
    if row is None:
        axis_id = product_store.insert_axis(tx, product_id, attribute_id, position)
        recorder.made(
            "product_axis", axis_id, {"product_id": product_id, "attribute_id": attribute_id, "position": position}
        )
    elif recorder.changed(
        "product_axis", row["id"], {"position": row["position"]}, {"position": position}, row["version"] + 1
    ):
        product_store.update_axis(tx, row["id"], position)


def _move_up(ctx: Context, tx: Tx, recorder: history.Recorder, product: Product, pattern: str) -> None:
    """The only variant's price, weight and part number: its product has them from now on, or it keeps them itself."""
    only = product.variants[0]
    base = {name: getattr(only, name) for name in BASE_FIELDS}
    _update_product(ctx, tx, recorder, product, {**base, "mpn": "", "sku_pattern": pattern}, dict.fromkeys(BASE_FIELDS))
    store.change(tx, recorder, [only.id], {**dict.fromkeys(BASE_FIELDS), "mpn": product.values.mpn})


def _update_product(
    ctx: Context,
    tx: Tx,
    recorder: history.Recorder,
    product: Product,
    after: dict[str, Any],
    base: Mapping[str, Any] | None = None,
) -> None:
    """Write some columns of the product. ``base``: what its prices and weight are now, where it does not vary."""
    before = {name: product.sku_pattern if name == "sku_pattern" else getattr(product.values, name) for name in after}
    if recorder.changed("product", product.id, before | dict(base or {}), after, product.version + 1):
        product_store.update_product(tx, product.id, after, ctx.settings.language)


def _insert(tx: Tx, recorder: history.Recorder, product: Product, planned: Planned, new: Sequence[Combination]) -> None:
    if not new:
        return
    rows = []
    for combination in new:
        padded = (*combination, *[None] * rules.MOST_AXES)[: rules.MOST_AXES]
        rows.append(
            {
                "product_id": product.id,
                "sku": planned.skus[combination],
                **dict(zip(CHOICES, padded, strict=True)),
            }
        )
    store.journal_made(tx, recorder, product_store.insert_variants(tx, rows))


def fill_gap(ctx: Context, actor: Actor, product_id: int, combination: Combination) -> Made:
    """Make the one variant that a gap of the grid stands for. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> Made:
        product = products.load(ctx, tx, product_id, lock=True)
        _check_combination(product, combination)
        if any(variant.combination == combination for variant in product.variants):
            return Made(0)
        plan = MakePlan(product.axes, {}, (combination,))
        pattern = rules.parse_pattern(product.sku_pattern, product.axes)
        made = _free_skus(tx, pattern, product.shown_code or f"P{product.id}", plan)
        planned = Planned(plan, made, pattern.text, frozenset())
        title = f"Variant made: {product.values.name}, {rules.label_of(product.axes, combination)}"
        with history.change_set(tx, actor, "variants.make", title) as recorder:
            _insert(tx, recorder, product, planned, [combination])
        return Made(1)

    return _trying_again(ctx, work)


def _check_combination(product: Product, combination: Combination) -> None:
    fits = len(combination) == len(product.axes) and all(
        choice in axis.ids for axis, choice in zip(product.axes, combination, strict=True)
    )
    if not fits:
        raise Refused.because("variants.combination", "This place of the grid is not there any more. Load it again.")
    if len(product.variants) >= rules.MOST_VARIANTS:
        raise rules.too_many(len(product.variants) + 1)


# --- taking away ---------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Going:
    """The dry run of taking variants away. ``signature``: another where something changed since."""

    taken: Taken
    what: str

    @property
    def signature(self) -> str:
        """Which variants are deleted and which archived."""
        return f"{_ids(self.taken.deleted)}/{_ids(self.taken.archived)}"


def _ids(gone: Sequence[Holding]) -> str:
    return ".".join(str(holding.id) for holding in sorted(gone, key=lambda h: h.id))


def plan_taking(ctx: Context, actor: Actor, product_id: int, *, ids: Collection[int] = (), choice: int = 0) -> Going:
    """What taking away some variants, or all with a choice, does. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _going(tx, products.load(ctx, tx, product_id), ids, choice))


def _going(tx: Tx, product: Product, ids: Collection[int], choice: int) -> Going:
    there = holdings(tx, product)
    gone = [one for one in there if one.id in ids or choice in one.combination]
    if not gone:
        raise Refused.because("variants.none", "Choose the variants that are to go.")
    staying = [one for one in there if one not in gone and not one.archived]
    if not staying and not all(one.archived for one in gone):
        raise Refused.because(
            "variants.last", "At least one variant must stay. Archive the product instead, or give up the axis."
        )
    label = next((c.label for axis in product.axes for c in axis.choices if c.id == choice), "")
    return Going(rules.take(gone), label)


def take_away(
    ctx: Context, actor: Actor, product_id: int, signature: str, *, ids: Collection[int] = (), choice: int = 0
) -> Taken:
    """Delete the variants that nobody knows outside, archive the others, as the dry run showed.

    Raises Refused where something changed since, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> Taken:
        product = products.load(ctx, tx, product_id, lock=True)
        going = _going(tx, product, ids, choice)
        if going.signature != signature:
            raise _outdated()
        with history.change_set(tx, actor, "variants.take", f"Variants taken away: {product.values.name}") as recorder:
            store.change(tx, recorder, [one.id for one in going.taken.archived], {"archived": 1})
            store.remove(tx, recorder, [one.id for one in going.taken.deleted])
        return going.taken

    return ctx.db.run(work)


def _outdated() -> Refused:
    return Refused.because(
        "plan.outdated", "The variants changed since you looked, so nothing was written. Look again what would happen."
    )


@dataclass(frozen=True)
class Dropping:
    """The dry run of giving up an axis: how many stay, and what goes."""

    axis: Axis
    keep: int
    staying: Mapping[int, Combination]
    taken: Taken

    @property
    def signature(self) -> str:
        """Which variants are deleted."""
        return _ids(self.taken.deleted)


def plan_dropping(ctx: Context, actor: Actor, product_id: int, attribute_id: int, keep: int) -> Dropping:
    """What giving up an axis does, where only the variants with the choice ``keep`` stay. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _dropping(tx, products.load(ctx, tx, product_id), attribute_id, keep))


def _dropping(tx: Tx, product: Product, attribute_id: int, keep: int) -> Dropping:
    place = next((place for place, axis in enumerate(product.axes) if axis.attribute.id == attribute_id), None)
    if place is None:
        raise NotFound("The product does not differ by this attribute any more.")
    stay, taken = rules.without_axis(holdings(tx, product), place, keep)
    return Dropping(product.axes[place], keep, stay, taken)


def drop_axis(ctx: Context, actor: Actor, product_id: int, attribute_id: int, keep: int, signature: str) -> None:
    """Give up an axis, as the dry run showed. With the last one the product does not vary any more.

    Raises Refused where something changed since, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        product = products.load(ctx, tx, product_id, lock=True)
        dropping = _dropping(tx, product, attribute_id, keep)
        if dropping.signature != signature:
            raise _outdated()
        title = f"{product.values.name} does not differ by {dropping.axis.attribute.name} any more"
        with history.change_set(tx, actor, "variants.axis", title) as recorder:
            store.remove(tx, recorder, [one.id for one in dropping.taken.deleted])
            store.move(tx, recorder, dropping.staying)
            _remove_axis(tx, recorder, product, attribute_id)
            if len(product.axes) == 1:
                _move_down(ctx, tx, recorder, product, next(iter(dropping.staying)))

    ctx.db.run(work)


def _remove_axis(tx: Tx, recorder: history.Recorder, product: Product, attribute_id: int) -> None:
    position = 0
    for row in product_store.axes(tx, [product.id]):
        if row["attribute_id"] == attribute_id:
            values = {name: row[name] for name in ("product_id", "attribute_id", "position")}
            recorder.removed("product_axis", row["id"], values, row["version"] + 1)
            product_store.delete_axis(tx, row["id"])
            continue
        position += 1
        _write_axis(tx, recorder, product.id, row["attribute_id"], position, row)


def _move_down(ctx: Context, tx: Tx, recorder: history.Recorder, product: Product, variant_id: int) -> None:
    """The product's price and weight: the only variant that is left has them from now on."""
    only = next(variant for variant in product.variants if variant.id == variant_id)
    own = {name: getattr(only, name) for name in BASE_FIELDS}
    kept = {name: getattr(product.values, name) if value is None else value for name, value in own.items()}
    store.change(tx, recorder, [variant_id], {**kept, "mpn": "", "archived": 0})
    after = {**dict.fromkeys(BASE_FIELDS), "mpn": only.mpn or product.values.mpn}
    _update_product(ctx, tx, recorder, product, after)
    _move_own_amounts_down(tx, recorder, product, only)


def _move_own_amounts_down(tx: Tx, recorder: history.Recorder, product: Product, only: Variant) -> None:
    """What was written of the variant for a destination holds for its product, where that is all that is left of it."""
    amounts = {key: value for key, value in only.own.items() if split_key(key)[2] in AMOUNTS}
    if not amounts:
        return
    words = {key: value for key, value in only.own.items() if key not in amounts}
    wording.save(tx, recorder, "variant", only.id, words, {})
    originals = written_words(product.values)
    wording.save(tx, recorder, "product", product.id, {**product.values.own, **amounts}, originals)


# --- setting values ------------------------------------------------------------------------------------------

#: What can be set for many variants at once, and for one alone.
FOR_MANY = VARIANT.for_many
FOR_ONE = ("sku", "gtin", "mpn", *FOR_MANY)


@dataclass(frozen=True)
class SetPlan:
    """What setting a field of some variants does: how many change, and from what. ``value`` None: back to inherited."""

    field: str
    value: Any
    changing: list[Variant]
    same: int


def plan_setting(
    ctx: Context,
    actor: Actor,
    product_id: int,
    ids: Collection[int],
    name: str,
    value: Any,
    lens: Lens = DEFAULT_LENS,
) -> SetPlan:
    """The dry run of setting one field in some variants, for the destination of a lens. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    lensed = bool(lens.destination) and name in AMOUNTS

    def work(tx: Tx) -> SetPlan:
        product = _at_lens(products.load(ctx, tx, product_id), name, lens)
        return _set_plan(product, ids, name, value, lensed=lensed)

    return ctx.db.run(work)


def _at_lens(product: Product, name: str, lens: Lens) -> Product:
    """The product with what its variants have of an amount at the very destination of a lens, where it has one."""
    if not lens.destination or name not in AMOUNTS:
        return product
    key = key_of(lens, name)

    def at_lens(variant: Variant) -> Variant:
        held: dict[str, Any] = {name: Decimal(variant.own[key]) if key in variant.own else None}
        return replace(variant, **held)

    variants = tuple(map(at_lens, product.variants))
    return replace(product, variants=variants)


def _set_plan(product: Product, ids: Collection[int], name: str, value: Any, *, lensed: bool = False) -> SetPlan:
    if name not in FOR_MANY:
        raise Refused.because("variants.field", "This is set for one variant at a time.", "field")
    chosen = [variant for variant in product.variants if variant.id in ids]
    if not chosen:
        raise Refused.because(
            "variants.none", "Choose the variants first: click cells, a heading, or a value.", "field"
        )
    changing = [variant for variant in chosen if getattr(variant, name) != value]
    if not lensed:
        _refuse_unpriced(product, {v.id: {name: value} for v in changing})
    if name == "archived" and value and not [v for v in product.for_sale if v not in changing]:
        raise Refused.because("variants.last", "At least one variant must stay for sale. Archive the product instead.")
    return SetPlan(name, value, changing, len(chosen) - len(changing))


def _refuse_unpriced(product: Product, changes: Mapping[int, Mapping[str, Any]]) -> None:
    """A live product's variants all have a price, their own or the product's."""
    if product.values.status is not Status.LIVE or product.values.price is not None:
        return
    for variant in product.variants:
        after = changes.get(variant.id, {})
        if not after.get("archived", variant.archived) and after.get("price", variant.price) is None:
            raise Refused.because(
                "price.missing", f"{variant.sku} would have no price, and the product is live. Give it one.", "price"
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
) -> int:
    """Set one field in some variants, None: back to inherited; returns how many changed. Raises Refused, NotFound.

    An amount is written for the destination of the lens alone, where it is not the default one.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        product = products.load(ctx, tx, product_id, lock=True)
        lensed = bool(lens.destination) and name in AMOUNTS
        plan = _set_plan(_at_lens(product, name, lens), ids, name, value, lensed=lensed)
        title = f"{len(plan.changing)} variants changed: {product.values.name}"
        with history.change_set(tx, actor, "variants.set", title) as recorder:
            if lensed:
                texts = dict.fromkeys((variant.id for variant in plan.changing), format_money(value))
                return wording.put_all(tx, recorder, "variant", texts, key_of(lens, name), {})
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
        plain = {key: int(value) if isinstance(value, bool) else value for key, value in values.items()}
        title = f"{len(values)} variants changed: {product.values.name}"
        with history.change_set(tx, actor, "variants.set", title) as recorder:
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
    by key, "" takes it away. Raises Refused, Outdated, NotFound.
    """
    actor.require(Role.EDITOR)
    fields = {name: int(v) if isinstance(v, bool) else v for name, v in values.items() if name in FOR_ONE}

    def work(tx: Tx) -> None:
        product = load_product_of(ctx, tx, variant_id, lock=True)
        if version and version != product.version:
            raise Outdated("The product was changed meanwhile. Load it again, then repeat the change.", {})
        problems = _problems_of_one(ctx, tx, product, variant_id, fields)
        if problems:
            raise Refused(problems)
        title = f"Variant changed: {product.values.name}"
        with history.change_set(tx, actor, "variants.set", title) as recorder:
            store.change(tx, recorder, [variant_id], fields)
            _save_text(ctx, tx, recorder, variant_id, values)
            if own:
                there = next(one.own for one in product.variants if one.id == variant_id)
                texts = store.texts(tx, [variant_id], ctx.settings.language).get(variant_id, {})
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


def load_product_of(ctx: Context, tx: Tx, variant_id: int, *, lock: bool = False) -> Product:
    """The product of a variant. Raises NotFound."""
    product_id = product_store.product_of_variant(tx, variant_id)
    if product_id is None:
        raise NotFound(f"There is no variant {variant_id}.")
    return products.load(ctx, tx, product_id, lock=lock)


def texts_of(ctx: Context, variant_id: int) -> dict[str, str]:
    """A variant's own name and short text, "" where it takes its product's."""
    row = ctx.db.run(lambda tx: store.texts(tx, [variant_id], ctx.settings.language)).get(variant_id)
    return {name: row[name] if row else "" for name in ("name", "short_text")}
