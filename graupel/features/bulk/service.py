"""Giving one value to many products: the dry run, and doing it in the background."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qs

from graupel.context import Context
from graupel.core import product_fields, showing
from graupel.core.declarations.products import PRODUCT
from graupel.core.errors import NotFound, Refused
from graupel.core.imports import parse_category_path
from graupel.core.products import Status
from graupel.core.roles import Actor, Role
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.bulk import store
from graupel.features.bulk.rows import BulkEditRow
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Shop
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.products import table
from graupel.features.vocabulary import service as vocabulary
from graupel.jobs import JobRequest, enqueue

FIELDS = {
    "status": "Status",
    "category": "Main category",
    "place": "Put in category",
    "brand": "Brand",
    "tag_on": "Tag put on",
    "tag_off": "Tag taken off",
    "shop_on": "Shown in shop",
    "shop_off": "Left out of shop",
} | {name: PRODUCT.field(name).label for name in PRODUCT.for_many}
SHOWN = 20


def request_plan(
    ctx: Context, actor: Actor, field: str, value: str, *, ids: Collection[int] = (), query: str | None = None
) -> int:
    """The dry run for chosen products, or for all that a table's address (``query``) shows; returns its id.

    Raises Refused.
    """
    actor.require(Role.EDITOR)
    value = read_value(field, value)
    if field.startswith("shop"):
        _shop(ctx, actor, value)

    def work(tx: Tx) -> int:
        found = table.matching(ctx, tx, TableState.read(parse_qs(query))) if query is not None else sorted(set(ids))
        if not found:
            raise Refused.because("bulk.none", "Choose the products first.")
        store.forget_old(tx)
        bulk_id = store.insert(tx, field, value, query or "", actor.user_id)
        store.plan(tx, bulk_id, found, field, value, _id_of(ctx, tx, field, value))
        return bulk_id

    return ctx.db.run(work)


def read_value(field: str, value: str) -> str:
    """The value as it is kept: a status, a category's path, a brand's, tag's or shop's name. Raises Refused."""
    value = value.strip()
    if field not in FIELDS:
        raise Refused.because("bulk.field", "Choose what the products are to be given.", "field")
    if field == "status":
        if value not in tuple(Status):
            raise Refused.because("status.unknown", "A status is draft, live or archived.", "value")
        return value
    if field == "brand":
        return vocabulary.parse_name("brand", value) if value else ""
    if field in ("category", "place"):
        return parse_category_path(value)
    if field.startswith("shop"):
        return value
    if field in PRODUCT.for_many:
        return str(product_fields.readers("")[field](value) or "")
    return vocabulary.parse_name("tag", value)


def _shop(ctx: Context, actor: Actor, name: str) -> Shop:
    """The shop of a name. Raises Refused."""
    found = next((one for one in destinations.list_shops(ctx, actor) if one.name == name), None)
    if found is None:
        raise Refused.because("shop.unknown", f"There is no shop “{name[:60]}”.", "value")
    return found


def _id_of(ctx: Context, tx: Tx, field: str, value: str) -> int | None:
    """The record that a value names, None where it is still to be made."""
    if field in ("category", "place"):
        return categories.current(ctx, tx).find(value)
    if field.startswith("shop"):
        return next((one.id for one in destinations.shops(ctx, tx) if one.name == value), None)
    words = vocabulary.current(ctx, tx)
    known = words.brands if field == "brand" else words.tags if field.startswith("tag") else {}
    return next((record_id for record_id, name in known.items() if name == value), None)


@dataclass(frozen=True)
class BulkPlan:
    """A dry run: counts, why products are refused, and the first products of each kind. ``job``: doing it, if asked."""

    bulk: BulkEditRow
    label: str
    counts: dict[str, int]
    reasons: dict[str, int]
    changed: list[tuple[int, str, str, str]]
    refused: list[tuple[int, str]]
    job: dict[str, Any] | None

    @property
    def changing(self) -> int:
        """How many products would change."""
        return self.counts.get("changed", 0)


def read(ctx: Context, actor: Actor, bulk_id: int) -> BulkPlan:
    """A dry run as it was made. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> BulkPlan:
        bulk = store.read(tx, bulk_id)
        if bulk is None:
            raise NotFound("This dry run is not there any more. Choose the products again.")
        lang, tree = ctx.settings.language, categories.current(ctx, tx)
        changed = store.samples(tx, bulk_id, "changed", lang, SHOWN)
        return BulkPlan(
            bulk,
            FIELDS[bulk["field"]],
            store.counts(tx, bulk_id),
            store.reasons(tx, bulk_id) if bulk["field"] == "status" else {},
            [(row["id"], row["name"], _now(bulk["field"], row, tree), _then(bulk)) for row in changed],
            [(row["id"], row["name"]) for row in store.samples(tx, bulk_id, "refused", lang, SHOWN)],
            None,
        )

    plan = ctx.db.run(work)
    if plan.bulk["job_id"]:
        job = jobs.read(ctx, actor, plan.bulk["job_id"])
        return BulkPlan(**{**vars(plan), "job": job})
    return plan


def _now(field: str, row: Mapping[str, Any], tree: categories.Tree) -> str:
    if field == "status":
        return str(row["status"]).capitalize()
    if field == "category":
        return tree.path(row["category_id"]) or "none"
    if field == "place":
        return tree.path(row["category_id"]) or "none"
    if field.startswith("shop"):
        return "otherwise"
    if field in PRODUCT.for_many:
        return showing.show(PRODUCT.field(field).kind, row[field]) if row[field] else "none"
    return row["brand"] or "none" if field == "brand" else "without" if field == "tag_on" else "with"


def _then(bulk: BulkEditRow) -> str:
    value = str(bulk["value"])
    if bulk["field"] == "status":
        return value.capitalize()
    if bulk["field"].startswith("tag"):
        return f"{'with' if bulk['field'] == 'tag_on' else 'without'} {value}"
    if bulk["field"] in PRODUCT.for_many:
        return showing.show(PRODUCT.field(bulk["field"]).kind, value) if value else "none"
    said = {"place": f"also in {value}", "shop_on": f"shown in {value}", "shop_off": f"left out of {value}"}
    return said.get(bulk["field"]) or value or "none"


def request_apply(ctx: Context, actor: Actor, bulk_id: int) -> int:
    """Do what the dry run showed, in the background; returns the job's id. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        bulk = store.read(tx, bulk_id, lock=True)
        if bulk is None:
            raise NotFound("This dry run is not there any more. Choose the products again.")
        if bulk["job_id"]:
            return int(bulk["job_id"])
        number = store.counts(tx, bulk_id).get("changed", 0)
        if not number:
            raise Refused.because("bulk.nothing", "Nothing would change.")
        title = f"{FIELDS[bulk['field']]} {bulk['value'] or 'none'}: {number:,} products"
        job_id = enqueue(tx, actor, JobRequest("bulk.apply", title, {"bulk_id": bulk_id}, f"/products/bulk/{bulk_id}"))
        store.set_job(tx, bulk_id, job_id)
        return job_id

    return ctx.db.run(work)


def apply(ctx: Context, tx: Tx, actor: Actor, bulk_id: int) -> int:
    """Write what the dry run showed, whole; returns the change set's id.

    Raises Refused where a product changed since; then nothing is written.
    """
    actor.require(Role.EDITOR)
    bulk = store.read(tx, bulk_id, lock=True)
    if bulk is None:
        raise NotFound("This dry run is not there any more.")
    if moved := store.moved(tx, bulk_id):
        what = "One product was" if moved == 1 else f"{moved:,} products were"
        raise Refused.because(
            "plan.outdated", f"{what} changed since the dry run, so nothing was written. Choose the products again."
        )
    field, value = str(bulk["field"]), str(bulk["value"])
    number = store.counts(tx, bulk_id).get("changed", 0)
    title = f"{FIELDS[field]} {_then(bulk) or 'none'}: {number:,} products"
    with history.change_set(tx, actor, "bulk.apply", title) as recorder:
        _write(ctx, tx, recorder, bulk_id, field, value)
        store.set_done(tx, bulk_id, recorder.change_set_id)
    return recorder.change_set_id


def _write(ctx: Context, tx: Tx, recorder: history.Recorder, bulk_id: int, field: str, value: str) -> None:
    if field == "status":
        store.write_column(tx, recorder, bulk_id, field, value)
    elif field == "category":
        store.write_column(tx, recorder, bulk_id, field, categories.make_path(tx, recorder, value))
    elif field == "place":
        store.put_in_category(tx, recorder, bulk_id, categories.make_path(tx, recorder, value))
    elif field.startswith("shop"):
        shop_id = _id_of(ctx, tx, field, value)
        if shop_id is None:
            raise Refused.because("shop.unknown", f"The shop “{value}” is not there any more.")
        store.say_for_shop(tx, recorder, bulk_id, shop_id, left_out=field == "shop_off")
    elif field in PRODUCT.for_many:
        store.write_field(tx, recorder, bulk_id, field, value)
    elif field == "brand":
        brand = vocabulary.make_within(tx, recorder, "brand", value) if value else None
        store.write_column(tx, recorder, bulk_id, field, brand)
    else:
        tag_id = vocabulary.make_within(tx, recorder, "tag", value)
        (store.put_tag if field == "tag_on" else store.take_tag)(tx, recorder, bulk_id, tag_id)
