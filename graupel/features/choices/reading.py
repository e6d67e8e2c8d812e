"""Buyer choices as they are kept: with their entries, in the words of a lens, and where they are asked."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date

from graupel.context import Context
from graupel.core.choices import AddsBy, Choice, Entry, Kind, Limits, Looks, adds
from graupel.core.errors import NotFound
from graupel.core.quoting import Quote
from graupel.core.resolve import Lens
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.choices import store
from graupel.features.choices.rows import ChoiceRow, EntryRow
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.pricing.why import StepShown
from graupel.features.products.asking import Asking
from graupel.features.wording import service as wording

#: So many products that a choice is asked with are named.
NAMED = 6


def choice_of(row: ChoiceRow, entries: Sequence[EntryRow]) -> Choice:
    limits = Limits(
        row["least"],
        row["most"],
        row["places"],
        row["first_day"],
        row["last_day"],
        row["ahead_days"],
        row["within_days"],
        frozenset(int(one) for one in row["closed_weekdays"]),
        frozenset(date.fromisoformat(one) for one in row["closed_days"].split(",") if one),
        tuple(one for one in row["file_kinds"].split(",") if one),
        row["megabytes"],
    )
    return Choice(
        row["id"],
        row["name"],
        row["label"],
        Kind(row["kind"]),
        Looks(row["looks"]),
        row["help"],
        bool(row["needed"]),
        row["message"],
        row["default_text"],
        limits,
        tuple(entry_of(one) for one in entries),
        row["when_choice_id"],
        row["when_entry_id"],
        row["product_id"],
        row["version"],
    )


def entry_of(row: EntryRow) -> Entry:
    return Entry(
        row["id"],
        row["label"],
        AddsBy(row["adds_by"]),
        row["amount"],
        bool(row["once"]),
        row["weight_g"],
        row["sku_code"],
        bool(row["unshipped"]),
        bool(row["sold_out"]),
        bool(row["is_default"]),
        row["swatch"],
        row["media_id"],
    )


def with_entries(tx: Tx, rows: Sequence[ChoiceRow]) -> dict[int, Choice]:
    entries: dict[int, list[EntryRow]] = {}
    for one in store.entries(tx, [row["id"] for row in rows]):
        entries.setdefault(one["buyer_choice_id"], []).append(one)
    return {row["id"]: with_pictures(tx, choice_of(row, entries.get(row["id"], ()))) for row in rows}


def with_pictures(tx: Tx, choice: Choice) -> Choice:
    """The same with the addresses of its entries' pictures; an entry whose picture is not there has none."""
    ids = [one.media_id for one in choice.entries if one.media_id]
    if not ids:
        return choice
    faces = {key: one.face("thumb") or "" for key, one in media.by_ids(tx, ids).items()}

    def shown(entry: Entry) -> Entry:
        known = entry.media_id in faces
        return replace(
            entry,
            media_id=entry.media_id if known else None,
            swatch_picture=faces[entry.media_id] if known and entry.media_id else "",
        )

    return replace(choice, entries=tuple(shown(one) for one in choice.entries))


def shared(ctx: Context, tx: Tx) -> dict[int, Choice]:
    """The reusable choices by id, by name; kept until something is written."""
    return ctx.counts.get((history.written_stamp(tx), "choices"), lambda: with_entries(tx, store.shared(tx)))


def of_product(tx: Tx, product_id: int) -> list[Choice]:
    """The choices that are asked with a product, in their order."""
    found = with_entries(tx, store.asked_with(tx, [product_id]))
    return [found[one["buyer_choice_id"]] for one in store.uses(tx, [product_id])]


def of_products(tx: Tx, product_ids: Sequence[int]) -> dict[int, list[Choice]]:
    """The choices that are asked with each of these products, in their order; those that ask nothing are left out."""
    found = with_entries(tx, store.asked_with(tx, product_ids))
    asked: dict[int, list[Choice]] = {}
    for one in store.uses(tx, product_ids):
        asked.setdefault(one["product_id"], []).append(found[one["buyer_choice_id"]])
    return asked


def on_top(tx: Tx, asking: Asking, quote: Quote) -> list[StepShown]:
    """What each entry adds to a piece that is asked so much, for "why?"."""
    rule = asking.place.rule
    found = []
    for one in of_product(tx, asking.product.id):
        for entry in one.entries:
            amount = adds(entry, quote.asked, rule)
            if amount:
                words = f"{one.name}: {entry.label or 'when it is given'}{', once' if entry.once else ''}"
                found.append(StepShown(words, amount, f"/choices/{one.id}"))
    return found


def in_words(tx: Tx, choices: Iterable[Choice], lens: Lens) -> list[Choice]:
    """The same with the words that buyers read through a lens."""
    found = list(choices)
    if not lens.lang or not found:
        return found
    label, help_, message = (wording.in_lens(tx, "buyer_choice", name, lens) for name in ("label", "help", "message"))
    labels = wording.in_lens(tx, "choice_entry", "label", lens)
    return [
        replace(
            one,
            label=label.get(one.id) or one.label,
            help=help_.get(one.id) or one.help,
            message=message.get(one.id) or one.message,
            entries=tuple(replace(entry, label=labels.get(entry.id) or entry.label) for entry in one.entries),
        )
        for one in found
    ]


@dataclass(frozen=True)
class Listed:
    """A choice with the number of products that it is asked with."""

    choice: Choice
    products: int


def list_shared(ctx: Context, actor: Actor) -> list[Listed]:
    """The reusable choices, by name."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Listed]:
        counts = store.use_counts(tx)
        return [Listed(one, counts.get(one.id, 0)) for one in shared(ctx, tx).values()]

    return ctx.db.run(work)


@dataclass(frozen=True)
class Detail:
    """One choice with what stands around it. ``others``: it may wait for these; ``products``: the first, by name."""

    choice: Choice
    count: int
    products: Sequence[tuple[int, str]]
    others: Sequence[Choice]
    waiting: Sequence[str]


def read(ctx: Context, actor: Actor, choice_id: int) -> Detail:
    """One choice. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Detail:
        found = there(tx, choice_id)
        return Detail(
            found,
            store.use_counts(tx).get(choice_id, 0),
            [(one["id"], one["name"]) for one in store.products_with(tx, choice_id, ctx.settings.language, NAMED)],
            [one for one in others(ctx, tx, found).values() if one.id != choice_id],
            [one["name"] for one in store.waiting_for(tx, choice_id)],
        )

    return ctx.db.run(work)


def others_of(ctx: Context, product_id: int | None) -> list[Choice]:
    """The choices that a new one could wait for."""
    return ctx.db.run(lambda tx: list(others(ctx, tx, Choice(0, "", "", product_id=product_id)).values()))


def others(ctx: Context, tx: Tx, choice: Choice) -> dict[int, Choice]:
    """What a choice may wait for: a reusable one for reusable ones, a private one also for others of its product."""
    own = {one.id: one for one in of_product(tx, choice.product_id)} if choice.product_id else {}
    return {**shared(ctx, tx), **own}


def there(tx: Tx, choice_id: int, *, lock: bool = False) -> Choice:
    row = store.choice(tx, choice_id, lock=lock)
    if row is None:
        raise NotFound("This choice is not there any more.")
    return with_entries(tx, [row])[choice_id]
