"""Taking variants away, and giving up what a product differs by."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from graupel.context import Context
from graupel.core import variants as rules
from graupel.core.declarations.products import AMOUNTS
from graupel.core.errors import NotFound, Refused
from graupel.core.products import BASE_FIELDS, written_words
from graupel.core.resolve import split_key
from graupel.core.roles import Actor, Role
from graupel.core.variants import Axis, Combination, Holding, Taken
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.products import service as products
from graupel.features.products import store as product_store
from graupel.features.products.service import Product, Variant
from graupel.features.variants import making, service, store
from graupel.features.wording import service as wording


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
    there = service.holdings(tx, product)
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
    stay, taken = rules.without_axis(service.holdings(tx, product), place, keep)
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
        making.write_axis(tx, recorder, product.id, row["attribute_id"], position, row)


def _move_down(ctx: Context, tx: Tx, recorder: history.Recorder, product: Product, variant_id: int) -> None:
    """The product's price and weight: the only variant that is left has them from now on."""
    only = next(variant for variant in product.variants if variant.id == variant_id)
    own = {name: getattr(only, name) for name in BASE_FIELDS}
    kept = {name: getattr(product.values, name) if value is None else value for name, value in own.items()}
    store.change(tx, recorder, [variant_id], {**kept, "mpn": "", "archived": 0})
    after = {**dict.fromkeys(BASE_FIELDS), "mpn": only.mpn or product.values.mpn}
    making.update_product(ctx, tx, recorder, product, after)
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
