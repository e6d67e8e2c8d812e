"""Making variants: what a product is to differ by, and single ones that are missing."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from graupel.context import Context
from graupel.core import variants as rules
from graupel.core.declarations.products import CHOICES
from graupel.core.errors import Refused
from graupel.core.products import BASE_FIELDS
from graupel.core.roles import Actor, Role
from graupel.core.variants import Axis, Combination, MakePlan
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.products.rows import AxisRow
from graupel.features.products.service import Product
from graupel.features.variants import service, store
from graupel.features.vocabulary.service import Vocabulary


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


def plan_making(ctx: Context, actor: Actor, product_id: int, wish: Wish) -> Planned:
    """The dry run of giving a product axes and values. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan(tx, products.load(ctx, tx, product_id), wish))


def _plan(tx: Tx, product: Product, wish: Wish) -> Planned:
    assert product.vocabulary is not None
    wanted = _wanted_axes(product.vocabulary, wish)
    there = service.holdings(tx, product)
    plan = rules.plan_axes(product.axes, there, wanted, wish.given, wish.left_out)
    everything = plan.new if not wish.left_out else rules.plan_axes(product.axes, there, wanted, wish.given).new
    text = wish.pattern or product.sku_pattern or rules.DEFAULT_PATTERN
    pattern = rules.parse_pattern(text, plan.axes)
    made = free_skus(tx, pattern, product.shown_code or f"P{product.id}", plan.axes, plan.new)
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


def free_skus(
    tx: Tx, pattern: rules.Pattern, code: str, axes: Sequence[Axis], new: Sequence[Combination]
) -> dict[Combination, str]:
    """SKUs that were never given: what is found taken is left out, and all are made again, until none is."""
    taken: set[str] = set()
    while True:
        made = rules.make_skus(pattern, code, axes, new, taken)
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
        update_product(ctx, tx, recorder, product, {"sku_pattern": planned.pattern})
    rows = {row["attribute_id"]: row for row in product_store.axes(tx, [product.id])}
    for position, axis in enumerate(planned.plan.axes, start=1):
        write_axis(tx, recorder, product.id, axis.attribute.id, position, rows.get(axis.attribute.id))
    before = {variant.id: variant.combination for variant in product.variants}
    moved = {key: combination for key, combination in planned.plan.moved.items() if before[key] != combination}
    store.move(tx, recorder, moved)


def write_axis(
    tx: Tx, recorder: history.Recorder, product_id: int, attribute_id: int, position: int, row: AxisRow | None
) -> None:
    """Write and record the place of an attribute that a product differs by; ``row``: what is there of it."""
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
    update_product(ctx, tx, recorder, product, {**base, "mpn": "", "sku_pattern": pattern}, dict.fromkeys(BASE_FIELDS))
    store.change(tx, recorder, [only.id], {**dict.fromkeys(BASE_FIELDS), "mpn": product.values.mpn})


def update_product(
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
        made = free_skus(tx, pattern, product.shown_code or f"P{product.id}", plan.axes, plan.new)
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
