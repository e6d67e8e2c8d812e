"""Giving one value to many products: the dry run, and doing it in the background."""

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qs

from graupel.context import Context
from graupel.core import doubles, price_changes, product_fields, showing
from graupel.core.categories import parse_category_path
from graupel.core.declarations.products import PRODUCT
from graupel.core.doubles import Double
from graupel.core.errors import NotFound, Refused
from graupel.core.products import Status
from graupel.core.roles import Actor, Role
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.bulk import price_store, prices, sides, store
from graupel.features.bulk.rows import BulkEditRow
from graupel.features.categories import service as categories
from graupel.features.choices import reading as choices
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Shop
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.products import table
from graupel.features.vocabulary import service as vocabulary
from graupel.jobs import JobRequest, enqueue
from graupel.web import preparing
from graupel.web.preparing import Later

FIELDS = {
    "status": "Status",
    "category": "Main category",
    "place": "Put in category",
    "brand": "Brand",
    "tag_on": "Tag put on",
    "tag_off": "Tag taken off",
    "shop_on": "Shown in shop",
    "shop_off": "Left out of shop",
    "choice_on": "Choice asked",
    "choice_off": "Choice no longer asked",
    "price": "Price",
} | {name: PRODUCT.field(name).label for name in PRODUCT.for_many}
#: Whose values are words that are made where they are not there yet.
MADE = {"category": "category", "place": "category", "brand": "brand", "tag_on": "tag"}
MOST_TAGS = 20
#: So many words that a new one is much like are offered.
MOST_NEAR = 3
SHOWN = 50


def request_plan(
    ctx: Context, actor: Actor, field: str, value: str, *, ids: Collection[int] = (), query: str | None = None
) -> int:
    """The dry run for chosen products, or for all that a table's address (``query``) shows; returns its id.

    Raises Refused.
    """
    actor.require(Role.EDITOR)
    value = read_value(field, value, ctx.settings.currency)
    if field.startswith("shop"):
        _shop(ctx, actor, value)
    if field.startswith("choice"):
        ctx.db.run(lambda tx: _choice(ctx, tx, value))

    def work(tx: Tx) -> int:
        found = table.matching(ctx, tx, TableState.read(parse_qs(query))) if query is not None else sorted(set(ids))
        if not found:
            raise Refused.because("bulk.none", "Choose the products first.")
        return _plan(ctx, tx, actor, found, field, value, query or "")

    return ctx.db.run(work)


def request_again(ctx: Context, actor: Actor, bulk_id: int, value: str | None = None) -> int:
    """The dry run once more, as the products are now: with another value for all, else for those that were left out
    because they had changed. Returns its id. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        bulk = _there(tx, bulk_id)
        found = store.product_ids(tx, bulk_id, "moved" if value is None else None)
        if not found:
            raise Refused.because("bulk.none", "None of them was left out. Choose the products again.")
        wanted = bulk["value"] if value is None else read_value(bulk["field"], value, ctx.settings.currency)
        return _plan(ctx, tx, actor, found, bulk["field"], wanted, bulk["query"])

    return ctx.db.run(work)


def _plan(ctx: Context, tx: Tx, actor: Actor, product_ids: Sequence[int], field: str, value: str, query: str) -> int:
    store.forget_old(tx)
    made = "\n".join(one.name for one in _to_make(ctx, tx, field, value))
    bulk_id = store.insert(tx, field, value, query, made, actor.user_id)
    changes = price_store.would_change(*prices.change(ctx, tx, value)) if field == "price" else ""
    store.plan(tx, bulk_id, product_ids, field, value, _ids_of(ctx, tx, field, value), changes)
    return bulk_id


def _there(tx: Tx, bulk_id: int, *, lock: bool = False) -> BulkEditRow:
    bulk = store.read(tx, bulk_id, lock=lock)
    if bulk is None:
        raise NotFound("This dry run is not there any more. Choose the products again.")
    return bulk


def read_value(field: str, value: str, currency: str = "") -> str:
    """The value as it is kept: a status, a category's path, a brand's or shop's name, a change of prices; tags one a
    line. ``currency``: of prices.

    Raises Refused.
    """
    value = value.strip()
    if field not in FIELDS:
        raise Refused.because("bulk.field", "Choose what the products are to be given.", "field")
    if field == "status":
        if value not in tuple(Status):
            raise Refused.because("status.unknown", "A status is draft, live or archived.", "value")
        return value
    if field == "price":
        return str(price_changes.parse(value, currency))
    if field == "brand":
        return vocabulary.parse_name("brand", value) if value else ""
    if field in ("category", "place"):
        return parse_category_path(value)
    if field.startswith(("shop", "choice")):
        return value
    if field in PRODUCT.for_many:
        return str(product_fields.readers("")[field](value) or "")
    tags = [vocabulary.parse_name("tag", one) for one in re.split(r"[\n,]", value) if one.strip()]
    if not tags or len(tags) > MOST_TAGS:
        raise Refused.because("bulk.tags", f"A tag needs a name. Choose 1 to {MOST_TAGS} of them.", "value")
    return "\n".join(dict.fromkeys(tags))


def _shop(ctx: Context, actor: Actor, name: str) -> Shop:
    """The shop of a name. Raises Refused."""
    found = next((one for one in destinations.list_shops(ctx, actor) if one.name == name), None)
    if found is None:
        raise Refused.because("shop.unknown", f"There is no shop “{name[:60]}”.", "value")
    return found


def _choice(ctx: Context, tx: Tx, name: str) -> int:
    """The id of the reusable choice of a name. Raises Refused."""
    found = next((one.id for one in choices.shared(ctx, tx).values() if one.name == name), None)
    if found is None:
        raise Refused.because("choice.unknown", f"There is no choice “{name[:60]}” that any product can ask.", "value")
    return found


def _ids_of(ctx: Context, tx: Tx, field: str, value: str) -> list[int | None]:
    """The records that a value names, None for what is still to be made."""
    if field in ("category", "place"):
        return [categories.current(ctx, tx).find(value)]
    if field.startswith("shop"):
        return [next((one.id for one in destinations.shops(ctx, tx) if one.name == value), None)]
    if field.startswith("choice"):
        return [_choice(ctx, tx, value)]
    if field == "brand" or field.startswith("tag"):
        by_name = {name.casefold(): key for key, name in _known(vocabulary.current(ctx, tx), field).items()}
        return [by_name.get(name.casefold()) for name in value.split("\n")]
    return [None]


def _known(words: vocabulary.Vocabulary, field: str) -> Mapping[int, str]:
    return words.brands if field == "brand" else words.tags


@dataclass(frozen=True)
class ToMake:
    """A word that is not there yet and would be made, with those that are there and much like it.

    ``instead``: for each of them, its name and the values with it in the place of the new word.
    """

    kind: str
    name: str
    near: Sequence[Double]
    value: str = ""

    @property
    def instead(self) -> list[tuple[str, list[str]]]:
        """As the class says; of categories the one path."""
        if self.kind == "category":
            return [(one.other, [one.other]) for one in self.near[:MOST_NEAR]]
        names = self.value.split("\n")
        return [
            (one.other, [one.other if name == self.name else name for name in names]) for one in self.near[:MOST_NEAR]
        ]


def to_make(ctx: Context, actor: Actor, field: str, value: str) -> list[ToMake]:
    """What would be made for a value. Raises Refused."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _to_make(ctx, tx, field, read_value(field, value)))


def _to_make(ctx: Context, tx: Tx, field: str, value: str) -> list[ToMake]:
    kind = MADE.get(field)
    if not kind or not value:
        return []
    if kind == "category":
        tree = categories.current(ctx, tx)
        missing = tree.missing(value) if tree.find(value) is None else []
        return [ToMake(kind, path, tree.near(value) if path == missing[0] else [], value) for path in missing]
    ids, known = _ids_of(ctx, tx, field, value), _known(vocabulary.current(ctx, tx), field)
    names = [name for name, there in zip(value.split("\n"), ids, strict=True) if there is None]
    return [ToMake(kind, name, doubles.near(name, known.values()), value) for name in names]


@dataclass(frozen=True)
class BulkPlan:
    """A dry run: counts, why products are refused, what would be made, and a page of the products of one action.

    ``rows``: id, name, before, after; ``next``: where the next page begins, None at the end. ``job``: doing it, if
    asked.
    """

    bulk: BulkEditRow
    label: str
    value: str
    counts: dict[str, int]
    reasons: dict[str, int]
    makes: list[ToMake]
    action: str
    search: str
    rows: list[tuple[int, str, str, str]]
    next: str | None
    job: dict[str, Any] | None

    @property
    def changing(self) -> int:
        """How many products would change."""
        return self.counts.get("changed", 0)


def read(ctx: Context, actor: Actor, bulk_id: int, action: str = "", search: str = "", after: str = "") -> BulkPlan:
    """A dry run as it was made. ``action``: whose products are shown, at first those that change, or were left out;
    ``search``: in their names; ``after``: where a page begins. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> BulkPlan:
        bulk = _there(tx, bulk_id)
        lang, tree = ctx.settings.language, categories.current(ctx, tx)
        counts = store.counts(tx, bulk_id)
        first = "moved" if counts.get("moved") else "changed"
        shown = action if action in store.ACTIONS else first
        found = store.page(tx, bulk_id, shown, lang, search, after, SHOWN + 1)
        rows = found[:SHOWN]
        priced = prices.samples(ctx, tx, bulk, [row["id"] for row in rows])
        return BulkPlan(
            bulk,
            FIELDS[bulk["field"]],
            bulk["value"].replace("\n", ", "),
            counts,
            store.reasons(tx, bulk_id, bulk["field"]),
            [] if bulk["change_set_id"] else _to_make(ctx, tx, bulk["field"], bulk["value"]),
            shown,
            search,
            [(row["id"], row["name"], *(priced.get(row["id"]) or sides.of(bulk, row, tree))) for row in rows],
            f"{rows[-1]['id']}.{rows[-1]['name']}" if len(found) > SHOWN else None,
            None,
        )

    plan = ctx.db.run(work)
    if plan.bulk["job_id"]:
        job = jobs.read(ctx, actor, plan.bulk["job_id"])
        return BulkPlan(**{**vars(plan), "job": job})
    return plan


def request_apply(ctx: Context, actor: Actor, bulk_id: int) -> int:
    """Do what the dry run showed, in the background; returns the job's id, 0 where that is prepared.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        bulk = _there(tx, bulk_id, lock=True)
        if bulk["job_id"]:
            return int(bulk["job_id"])
        number = store.counts(tx, bulk_id).get("changed", 0)
        if not number:
            raise Refused.because("bulk.nothing", "Nothing would change.")
        title = _title(bulk, number)
        if preparation := preparing.current():
            preparation.later.append(Later(actor, "bulk", title, bulk_id))
            return 0
        job_id = enqueue(tx, actor, JobRequest("bulk.apply", title, {"bulk_id": bulk_id}, f"/products/bulk/{bulk_id}"))
        store.set_job(tx, bulk_id, job_id)
        return job_id

    return ctx.db.run(work)


def _refuse_unannounced(ctx: Context, tx: Tx, bulk: BulkEditRow) -> None:
    """Nothing is made that the dry run did not name: a word may have been renamed or deleted since."""
    announced = bulk["makes"].split("\n")
    for one in _to_make(ctx, tx, bulk["field"], bulk["value"]):
        if one.name not in announced:
            what = f"The {one.kind} “{one.name}” was renamed or deleted since the dry run. Choose the products again."
            raise Refused.because("plan.outdated", what)


def _title(bulk: BulkEditRow, number: int) -> str:
    return f"{FIELDS[bulk['field']]} {sides.then(bulk) or 'none'}: {showing.plural(number, 'product')}"


@dataclass(frozen=True)
class Applied:
    """What was done. ``change_set_id``: None where nothing was left to do; ``moved``: how many were left out."""

    change_set_id: int | None
    moved: int

    @property
    def said(self) -> str:
        """In words."""
        left_out = showing.plural(self.moved, "product that was", "products that were")
        tail = f" {left_out} changed since the dry run stayed as {'it is' if self.moved == 1 else 'they are'}."
        done = "Done. History can roll it back." if self.change_set_id else "Nothing was written."
        return done + (tail if self.moved else "")


def apply(ctx: Context, tx: Tx, actor: Actor, bulk_id: int) -> Applied:
    """Write what the dry run showed, whole, but for products that changed since: these stay as they are.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    bulk = _there(tx, bulk_id, lock=True)
    _refuse_unannounced(ctx, tx, bulk)
    moved = store.leave_out_moved(tx, bulk_id)
    number = store.counts(tx, bulk_id).get("changed", 0)
    if not number:
        return Applied(None, moved)
    with history.change_set(tx, actor, "bulk.apply", _title(bulk, number)) as recorder:
        _write(ctx, tx, recorder, bulk_id, str(bulk["field"]), str(bulk["value"]))
        store.set_done(tx, bulk_id, recorder.change_set_id)
    return Applied(recorder.change_set_id, moved)


def _write(ctx: Context, tx: Tx, recorder: history.Recorder, bulk_id: int, field: str, value: str) -> None:
    if field == "price":
        price_store.write(tx, recorder, bulk_id, *prices.change(ctx, tx, value))
    elif field.startswith("tag"):
        _write_tags(ctx, tx, recorder, bulk_id, field, value)
    elif field == "status":
        store.write_column(tx, recorder, bulk_id, field, value)
    elif field == "category":
        store.write_column(tx, recorder, bulk_id, field, categories.make_path(tx, recorder, value))
    elif field == "place":
        store.put_in_category(tx, recorder, bulk_id, categories.make_path(tx, recorder, value))
    elif field.startswith("shop"):
        shop_id = _ids_of(ctx, tx, field, value)[0]
        if shop_id is None:
            raise Refused.because("shop.unknown", f"The shop “{value}” is not there any more.")
        store.say_for_shop(tx, recorder, bulk_id, shop_id, left_out=field == "shop_off")
    elif field.startswith("choice"):
        put = store.ask_choice if field == "choice_on" else store.drop_choice
        put(tx, recorder, bulk_id, _choice(ctx, tx, value))
    elif field in PRODUCT.for_many:
        store.write_field(tx, recorder, bulk_id, field, value)
    else:
        brand = vocabulary.make_within(tx, recorder, "brand", value) if value else None
        store.write_column(tx, recorder, bulk_id, field, brand)


def _write_tags(ctx: Context, tx: Tx, recorder: history.Recorder, bulk_id: int, field: str, value: str) -> None:
    put = store.put_tag if field == "tag_on" else store.take_tag
    for name, known in zip(value.split("\n"), _ids_of(ctx, tx, field, value), strict=True):
        if known or field == "tag_on":
            put(tx, recorder, bulk_id, known or vocabulary.make_within(tx, recorder, "tag", name))
