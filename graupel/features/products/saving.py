"""Making and saving products: checked, written and recorded; two people's work brought together."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any, TypeVar

from graupel.context import Context
from graupel.core import changes, products, stock
from graupel.core.attributes import Fact
from graupel.core.changes import Conflict, Merge
from graupel.core.errors import Outdated, Refused
from graupel.core.pictures import Picture
from graupel.core.problems import Problem
from graupel.core.product_types import ProductType
from graupel.core.products import BASE_FIELDS, OWN_FIELDS, PRODUCT_FIELDS, SWITCHES, ProductValues
from graupel.core.roles import Actor, Role
from graupel.core.stock import How, Reason, Typed
from graupel.db import DuplicateKey, Tx
from graupel.features.categories import service as categories
from graupel.features.history import service as history
from graupel.features.products import checking, claims, pictures, removal, service, skus, store
from graupel.features.products.service import Product
from graupel.features.terms import booking, stocks
from graupel.features.terms.booking import Wish
from graupel.features.vocabulary import facts as fact_rows
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary import types
from graupel.features.wording import service as wording

T = TypeVar("T")


def _product_columns(values: ProductValues, brand_id: int | None) -> dict[str, Any]:
    """The columns of a product and its text, as the journal has them."""
    columns = {name: getattr(values, name) for name in PRODUCT_FIELDS}
    return columns | {
        "code": values.code or None,
        "status": str(values.status),
        "key_points": "\n".join(values.key_points),
        **{name: int(getattr(values, name)) for name in SWITCHES},
        "brand_id": brand_id,
    }


def create(ctx: Context, actor: Actor, values: ProductValues) -> int:
    """A new product with its one variant; returns its id.

    A blank product code is made from the type's scheme, a blank SKU from the code or name. Raises Refused.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        words = vocabulary.current(ctx, tx)
        filled = _fill_blanks(tx, values, words.type_of(values.type_id))
        checking.refuse_problems(ctx, tx, filled, None, words)
        with history.change_set(tx, actor, "product.make", f"Product made: {values.name}") as recorder:
            return make_within(ctx, tx, recorder, filled)

    return _naming_sku_owner(ctx, values, work)


def make_within(ctx: Context, tx: Tx, recorder: history.Recorder, values: ProductValues) -> int:
    """Make and record a product of checked values with its one variant; returns its id."""
    columns = _product_columns(values, _brand_id(tx, recorder, values.brand))
    product_id = store.insert_product(tx, columns, ctx.settings.language)
    recorder.made("product", product_id, columns)
    variant = {name: getattr(values, name) for name in (*OWN_FIELDS, *BASE_FIELDS)} | {"product_id": product_id}
    variant_id = store.insert_variants(tx, [variant])[0]
    recorder.made("variant", variant_id, variant)
    if values.stock is not None:
        typed = stock.Typed(How.COUNT, values.stock)
        booking.book_typed(tx, recorder, [Wish(variant_id, typed, Reason.COUNTED)])
    pictures.save(tx, recorder, product_id, values.pictures)
    wording.save(tx, recorder, "product", product_id, values.own, products.written_words(values))
    _save_belongings(tx, recorder, product_id, values)
    return product_id


def _brand_id(tx: Tx, recorder: history.Recorder, name: str) -> int | None:
    return vocabulary.make_within(tx, recorder, "brand", name) if name else None


def _fill_blanks(tx: Tx, values: ProductValues, kind: ProductType | None, *, varies: bool = False) -> ProductValues:
    code = values.code or types.next_code(tx, kind) or ""
    sku = values.sku if values.sku or varies or not values.name else skus.free(tx, code or skus.suggest(values.name))
    return replace(values, code=code, sku=sku)


@dataclass(frozen=True)
class Saved:
    """What a save changed, as (label, before, after); empty where nothing differed.

    ``taken``: the fields, in words, that ``by`` changed meanwhile and that stay as they made them.
    """

    changed: list[tuple[str, str, str]] = field(default_factory=list)
    taken: list[str] = field(default_factory=list)
    by: str = ""


class SaveConflict(Outdated):
    """Somebody else changed the same fields meanwhile; ``merge`` brings both together, ``theirs`` is what is kept.

    ``seen``: what the page is to say it has seen from now on. Where both changed a field that is what stood there
    before, so that it is asked about until it is settled.
    """

    def __init__(self, merge: Merge, theirs: Product, by: str) -> None:
        super().__init__(f"{by} saved this product while you were working on it.", {})
        self.merge, self.theirs, self.by = merge, theirs, by
        self.seen = products.flat(theirs.values) | {one.field: one.was for one in merge.conflicts}

    @property
    def open(self) -> list[Conflict]:
        """The fields of which nobody has said yet which value is to stay."""
        return [one for one in self.merge.conflicts if not one.settled]


def save(
    ctx: Context,
    actor: Actor,
    product_id: int,
    values: ProductValues,
    version: int | None,
    seen: Mapping[str, Any] | None = None,
    confirmed: Collection[str] = (),
    settled: Mapping[str, str] | None = None,
    stock_typed: Typed | None = None,
) -> Saved:
    """Write a product's values.

    ``version``: that of the product when the values were read; None: whatever it is. ``seen``: the values as they
    were then (products.flat), for telling what this one changed from what others did: what only others changed stays.
    ``settled``: fields of which this one chose, with the mark of the other's value that was shown (changes.marks).
    ``confirmed``: keys of translations that hold for the original as it is now. ``stock_typed``: what was typed of the
    stock; without it, a stock of the values that differs is a count.
    Raises SaveConflict where both changed a field that is not settled, or nothing is known of what was seen; Refused,
    NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> Saved:
        current = service.load(ctx, tx, product_id, lock=True)
        both = meet(tx, current, values, version, seen, settled or {})
        if both and (both.open or not seen):
            raise both
        wanted = replace(products.unflat(both.merge.values), stock=current.values.stock) if both else values
        assert current.vocabulary is not None
        filled = _fill_blanks(tx, wanted, current.vocabulary.type_of(wanted.type_id), varies=current.varies)
        checking.refuse_problems(ctx, tx, filled, current, current.vocabulary)
        with history.change_set(tx, actor, "product.save", f"Product changed: {wanted.name}") as recorder:
            saved = save_within(ctx, tx, recorder, current, filled, confirmed, stock_typed)
        taken = [label_of(name, current) for name in both.merge.taken] if both else []
        return replace(saved, taken=taken, by=both.by if both else "")

    return _naming_sku_owner(ctx, values, work)


def label_of(name: str, product: Product) -> str:
    """What a field of a product's form is called."""
    known = product.vocabulary.attributes if product.vocabulary else {}
    attribute = known.get(int(name[5:])) if name.startswith("fact-") else None
    return attribute.name if attribute else products.label_of(name)


def meet(
    tx: Tx,
    current: Product,
    mine: ProductValues,
    version: int | None,
    seen: Mapping[str, Any] | None,
    settled: Mapping[str, str],
) -> SaveConflict | None:
    """What two people wrote, brought together; None where nobody else wrote anything since ``version``."""
    if not version or version == current.version:
        return None
    base, ours, theirs = dict(seen or {}), products.flat(mine), products.flat(current.values)
    for side in (base, ours, theirs):  # stock is booked: what both did of it counts
        side["stock"] = None
    for key in {*base, *ours, *theirs}:  # a fact that one of them has not is empty there
        if key.startswith(("fact-", "own-")):
            for side in (base, ours, theirs):
                side.setdefault(key, None)
    merge = changes.merge(base, ours, theirs, settled)
    return SaveConflict(merge, current, history.last_actor(tx, current.history_keys))


def add_picture(ctx: Context, actor: Actor, product_id: int, media_id: int) -> None:
    """Put a file of the library behind a product's pictures, where it is not among them. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        current = service.load(ctx, tx, product_id, lock=True)
        if any(one.media_id == media_id for one in current.values.pictures):
            return
        values = replace(current.values, pictures=(*current.values.pictures, Picture(media_id)))
        with history.change_set(tx, actor, "product.save", f"Product changed: {values.name}") as recorder:
            save_checked(ctx, tx, recorder, current, values)

    ctx.db.run(work)


def save_checked(ctx: Context, tx: Tx, recorder: history.Recorder, current: Product, values: ProductValues) -> Saved:
    """Check, write and record values of a product that is locked. Raises Refused."""
    assert current.vocabulary is not None
    checking.refuse_problems(ctx, tx, values, current, current.vocabulary)
    return save_within(ctx, tx, recorder, current, values)


def save_within(
    ctx: Context,
    tx: Tx,
    recorder: history.Recorder,
    current: Product,
    values: ProductValues,
    confirmed: Collection[str] = (),
    stock_typed: Typed | None = None,
) -> Saved:
    """Write and record checked values of a product."""
    assert current.vocabulary is not None
    brands = {name: brand_id for brand_id, name in current.vocabulary.brands.items()}
    before = _product_columns(current.values, brands.get(current.values.brand))
    after = _product_columns(values, _brand_id(tx, recorder, values.brand))
    if current.varies:
        before |= {name: getattr(current.values, name) for name in BASE_FIELDS}
        after |= {name: getattr(values, name) for name in BASE_FIELDS}
    else:
        _save_only_variant(tx, recorder, current, values)
    if recorder.changed("product", current.id, before, after, current.version + 1):
        store.update_product(tx, current.id, after, ctx.settings.language)
    pictures.save(tx, recorder, current.id, values.pictures)
    wording.save(tx, recorder, "product", current.id, values.own, products.written_words(values), confirmed)
    _save_belongings(tx, recorder, current.id, values)
    stocked = replace(values, stock=_book(tx, recorder, current, values, stock_typed))
    return Saved(_in_words(ctx, tx, current, stocked))


def _book(
    tx: Tx, recorder: history.Recorder, current: Product, values: ProductValues, typed: Typed | None
) -> Decimal | None:
    """Book what was typed of the only variant's stock; what is there then."""
    if current.varies:
        return None
    if typed is None and values.stock != current.values.stock:
        typed = Typed(How.NOT_COUNTED) if values.stock is None else Typed(How.COUNT, values.stock)
    only = current.variants[0].id
    if typed is None or not booking.book_typed(tx, recorder, [Wish(only, typed)]):
        return current.values.stock
    return stocks.on_hand(stocks.held(tx, [only]).get(only))


def _save_only_variant(tx: Tx, recorder: history.Recorder, current: Product, values: ProductValues) -> None:
    was, becomes = ({name: getattr(v, name) for name in (*OWN_FIELDS, *BASE_FIELDS)} for v in (current.values, values))
    only = current.variants[0]
    if recorder.changed("variant", only.id, was, becomes, only.version + 1):
        store.update_variant(tx, only.id, becomes)


def _in_words(ctx: Context, tx: Tx, current: Product, values: ProductValues) -> list[tuple[str, str, str]]:
    """What differs, as (label, before, after); of what is too long for a line, the label alone."""
    old, new = changes.diff(products.flat(current.values), products.flat(values) | _gone(current.values, values))
    words = current.vocabulary
    assert words is not None
    paths = categories.current(ctx, tx)

    def shown(name: str, value: Any) -> str:
        if name == "category_id":
            return paths.path(value) or "(empty)"
        if name == "type_id":
            return words.types[value].name if value in words.types else "(empty)"
        return products.show(name, value)

    said = []
    for name in new:
        if name.startswith("fact-"):
            attribute = words.attributes.get(int(name[5:]))
            said.append((attribute.name if attribute else "A fact", "", "changed"))
        elif name in ("pictures", "categories"):
            said.append((products.LABELS[name], "", "changed"))
        elif name.startswith("own-"):
            said.append((products.label_of(name), "", "changed"))
        else:
            said.append((products.label_of(name), shown(name, old.get(name)), shown(name, new[name])))
    return said


def _gone(before: ProductValues, after: ProductValues) -> dict[str, Any]:
    gone = {f"fact-{key}": None for key in before.facts.keys() - after.facts.keys()}
    return gone | {f"own-{key}": None for key in before.own.keys() - after.own.keys()}


def _save_belongings(tx: Tx, recorder: history.Recorder, product_id: int, values: ProductValues) -> None:
    """Make tags, further categories and facts what is wanted."""
    tag_ids = [vocabulary.make_within(tx, recorder, "tag", name) for name in values.tags]
    vocabulary.set_tags(tx, recorder, "product", product_id, tag_ids)
    wanted = {category_id for category_id in values.categories if category_id != values.category_id}
    there = {row["category_id"]: row for row in store.further_categories(tx, product_id)}
    for category_id in there.keys() - wanted:
        row = there[category_id]
        gone = {"product_id": product_id, "category_id": category_id}
        recorder.removed("product_category", row["id"], gone, row["version"] + 1)
        store.delete_further_category(tx, row["id"])
    for category_id in sorted(wanted - there.keys()):
        row_id = store.insert_further_category(tx, product_id, category_id)
        recorder.made("product_category", row_id, {"product_id": product_id, "category_id": category_id})
    save_facts(tx, recorder, product_id, values.facts)


def save_facts(tx: Tx, recorder: history.Recorder, product_id: int, facts: Mapping[int, Fact]) -> None:
    """Make a product's facts what is wanted."""
    there = {(row["attribute_id"], row["choice_id"]): fact_rows.as_kept(row) for row in store.facts(tx, [product_id])}
    wanted = fact_rows.rows_of({"product_id": product_id}, facts)
    for key in there.keys() - wanted.keys():
        row = there[key]
        recorder.removed(
            "fact", row["id"], {k: v for k, v in row.items() if k not in ("id", "version")}, row["version"] + 1
        )
        store.delete_fact(tx, row["id"])
    for key, values in wanted.items():
        known = there.get(key)
        if known is None:
            recorder.made("fact", store.insert_fact(tx, values), values)
        elif recorder.changed(
            "fact",
            known["id"],
            {name: known[name] for name in fact_rows.FIELDS},
            {name: values[name] for name in fact_rows.FIELDS},
            known["version"] + 1,
        ):
            store.update_fact(tx, known["id"], values)


def _naming_sku_owner(ctx: Context, values: ProductValues, work: Callable[[Tx], T]) -> T:
    """Run ``work``; where another transaction took the SKU at the same moment, say whose it is now."""
    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        if error.key == "product_code":
            raise Refused.because("code.taken", f"The product code {values.code} was just taken.", "code") from error
        if error.key not in ("variant_sku", "PRIMARY"):
            raise
        found = ctx.db.run(lambda tx: skus.problems(tx, [(values.sku, None)], ctx.settings.language))
        raise Refused(found or [Problem("sku.taken", f"The SKU {values.sku} was just taken.", "sku")]) from error


def delete(ctx: Context, actor: Actor, product_id: int) -> None:
    """Delete a product that was never live, with all that belongs to it. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        current = service.load(ctx, tx, product_id, lock=True)
        if current.was_live:
            raise Refused.because(
                "product.was_live",
                "This product was live once. Archive it instead: its page and SKU are known outside.",
            )
        if claims.claimed_variants(tx, product_id):
            raise Refused.because("product.held", "This product is on a channel. Archive it instead.")
        with history.change_set(tx, actor, "product.delete", f"Product deleted: {current.values.name}") as recorder:
            removal.remove_product(tx, recorder, product_id, ctx.settings.language)

    ctx.db.run(work)
