"""What a product is made of is said, and what follows from it: its price and its weight."""

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from decimal import Decimal
from functools import partial
from typing import Any

from graupel.context import Context
from graupel.core import kits as rules
from graupel.core import stock, terms
from graupel.core.declarations.kits import KIT, KIT_PART
from graupel.core.declarations.products import VARIANT
from graupel.core.errors import NotFound, Refused
from graupel.core.kits import PricedBy
from graupel.core.problems import Problem
from graupel.core.product_fields import one_line
from graupel.core.resolve import DEFAULT_LENS
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.core.showing import plural
from graupel.db import Tx, declared
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.kits import reading, store
from graupel.features.kits.reading import Kit
from graupel.features.kits.rows import KitRow, PartRow
from graupel.features.products import many
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.products.summary import TouchedProducts
from graupel.features.variants.copying import Copied
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue_once

#: The job that brings prices and weights of kits after those of their parts.
FOLLOWS = "kits.follow"
NAMED = 5
#: So many kits are looked at at once.
CHUNK = 200


@dataclass(frozen=True)
class Wish:
    """A row of a kit as it is typed."""

    variant_id: int
    quantity: str = "1"
    pick: str = ""


def flat(kit: Kit) -> dict[str, Any]:
    """What the part of the editor shows, as plain data."""
    parts = [_key(one.variant_id, one.quantity, one.pick) for one in kit.parts]
    return {"parts": parts, "priced_by": str(kit.priced_by), "percent": f"{kit.percent:f}"}


def _key(variant_id: int, quantity: Decimal, pick: str) -> str:
    return f"{variant_id} {stock.plain(quantity):f} {pick}".rstrip()


def save(
    ctx: Context,
    actor: Actor,
    product_id: int,
    wishes: Sequence[Wish],
    priced_by: PricedBy,
    percent: str,
    marks: Marks = None,
) -> None:
    """Make a product of these parts, in this order; of none it is no kit any more.

    Raises Refused, Outdated, NotFound.
    """
    actor.require(Role.EDITOR)
    mine = {"parts": _read(wishes), "priced_by": str(priced_by), "percent": f"{_percent(percent):f}"}

    def work(tx: Tx) -> None:
        store.hold(tx)
        product = products.load(ctx, tx, product_id, lock=True)
        rows = store.parts(tx, [product_id], lock=True)
        row = store.kits(tx, [product_id], lock=True).get(product_id)
        theirs = flat(reading.of_product(ctx, tx, product_id, DEFAULT_LENS))
        now = meeting.bring_together(tx, {"product": [product_id]}, marks, mine, theirs, _label)
        wanted = [_row(product_id, place, key) for place, key in enumerate(now["parts"])]
        _check(ctx, tx, product, wanted, PricedBy(now["priced_by"]))
        title = f"Parts of the kit changed: {product.values.name}"
        with history.change_set(tx, actor, "product.kit", title) as recorder:
            _write(tx, recorder, rows, wanted)
            _write_kit(tx, recorder, product_id, row, now, kept=bool(wanted))
            _bring_after(ctx, tx, recorder, product)

    ctx.db.run(work)


def _label(name: str) -> str:
    return "What it is made of" if name == "parts" else KIT.field(name).label


def _percent(text: str) -> Decimal:
    try:
        found = terms.percentage(text) if text.strip() else Decimal(0)
    except Refused as error:
        raise Refused([Problem(one.code, one.message, "percent") for one in error.problems]) from error
    if not 0 <= found < 100:
        raise Refused.because("kit.percent", "Write how many percent less than its parts, from 0 to 99.", "percent")
    return found


def _read(wishes: Sequence[Wish]) -> list[str]:
    """Rows as plain data; a pick that is written otherwise in a later row is the first one's. Raises Refused."""
    found, problems = [], []
    picks: dict[str, str] = {}
    for place, one in enumerate(wishes):
        try:
            quantity = stock.quantity(one.quantity or "1")
            if not 0 < quantity < rules.MOST_OF_ONE:
                said = f"How many of it are in a kit is a number above 0 and below {rules.MOST_OF_ONE:,}."
                raise Refused.because("kit.quantity", said)
            pick = one_line(one.pick, rules.PICK_LENGTH, "What the buyer picks", "kit")
        except Refused as error:
            problems += [Problem(each.code, each.message, f"part-{place}") for each in error.problems]
            continue
        found.append(_key(one.variant_id, quantity, picks.setdefault(pick.casefold(), pick)))
    if problems:
        raise Refused(problems)
    return found


def _row(product_id: int, place: int, key: str) -> PartRow:
    variant_id, quantity, pick = (*key.split(" ", 2), "")[:3]
    return {
        "id": 0,
        "product_id": product_id,
        "variant_id": int(variant_id),
        "quantity": Decimal(quantity),
        "pick": pick,
        "position": place,
        "version": 1,
    }


def _check(ctx: Context, tx: Tx, product: Product, wanted: Sequence[PartRow], priced_by: PricedBy) -> None:
    parts = reading.parts_of(ctx, tx, wanted, DEFAULT_LENS)
    known = store.are_kits(tx, {one.product_id for one in parts} - {product.id})
    used_by = [one["name"] for one in store.used_by(tx, product.id, ctx.settings.language, NAMED)]
    problems = rules.problems_of(parts, product.id, known, used_by)
    if parts and product.varies and priced_by is PricedBy.PARTS:
        said = "Its variants have prices of their own, so they can’t follow from parts. Choose the price that is typed."
        problems.append(Problem("kit.varies", said, "priced_by"))
    if problems:
        raise Refused(problems)


def _write(tx: Tx, recorder: history.Recorder, rows: Sequence[PartRow], wanted: Sequence[PartRow]) -> None:
    """Rows that stand for the same part of the same pick stay what they are, so that what buyers picked still holds."""
    left: dict[tuple[int, str], list[PartRow]] = {}
    for row in rows:
        left.setdefault((row["variant_id"], row["pick"]), []).append(row)
    pairs = [(left.get((one["variant_id"], one["pick"])), one) for one in wanted]
    matched = [(there.pop(0) if there else None, one) for there, one in pairs]
    for row in [row for rest in left.values() for row in rest]:
        recorder.removed("kit_part", row["id"], _values(row), row["version"])
        declared.delete(tx, KIT_PART, row["id"])
    for there, one in matched:
        if there is None:
            insert(tx, recorder, one)
            continue
        before = {"quantity": there["quantity"], "position": there["position"]}
        after = {"quantity": one["quantity"], "position": one["position"]}
        if recorder.changed("kit_part", there["id"], before, after, there["version"] + 1):
            declared.update(tx, KIT_PART, there["id"], after)


def _values(row: PartRow) -> dict[str, Any]:
    return {name: row[name] for name in KIT_PART.columns()}  # type: ignore[literal-required]


def insert(tx: Tx, recorder: history.Recorder, row: PartRow) -> None:
    """A new part."""
    values = _values(row)
    recorder.made("kit_part", declared.insert(tx, KIT_PART, values), values)


def _write_kit(
    tx: Tx, recorder: history.Recorder, product_id: int, row: KitRow | None, now: Mapping[str, Any], *, kept: bool
) -> None:
    after = {"priced_by": now["priced_by"], "percent": Decimal(now["percent"])}
    if row is None:
        if kept:
            values = after | {"product_id": product_id}
            recorder.made("kit", declared.insert(tx, KIT, values), values)
        return
    before = {name: row[name] for name in after}  # type: ignore[literal-required]
    if not kept:
        recorder.removed("kit", row["id"], before | {"product_id": product_id}, row["version"])
        declared.delete(tx, KIT, row["id"])
    elif recorder.changed("kit", row["id"], before, after, row["version"] + 1):
        declared.update(tx, KIT, row["id"], after)


# --- what follows from the parts -----------------------------------------------------------------------------


def _due(kit: Kit, product: Product) -> dict[str, Any]:
    """What the only variant of a kit costs and weighs by its parts; where a part says nothing, what was typed stays."""
    if not kit.parts or product.varies:
        return {}
    only = product.variants[0]
    price = kit.price if kit.priced_by is PricedBy.PARTS else None
    due = {"price": only.price if price is None else price}
    return due | {"weight_g": only.weight_g if kit.weight_g is None else kit.weight_g}


def _bring_after(ctx: Context, tx: Tx, recorder: history.Recorder, product: Product) -> None:
    """Have a kit cost, where it is priced by its parts, and weigh what they come to. ``product``: as it was before."""
    due = _due(reading.of_product(ctx, tx, product.id, DEFAULT_LENS), product)
    only = product.variants[0]
    before = {name: getattr(only, name) for name in due}
    if due and recorder.changed("variant", only.id, before, due, only.version + 1):
        declared.update(tx, VARIANT, only.id, due)


_FOLLOWED = ("price", "weight_g")


def follow(tx: Tx, touched: TouchedProducts) -> None:
    """Have kits follow where prices or weights of their parts, or their own, may have changed: as a change of its own,
    so that whoever prices a part waits for no kit."""
    wrote = touched.wrote
    if not (wrote.any_of("variant", _FOLLOWED) or wrote.any_of("product", _FOLLOWED)):
        return
    if tx.value("SELECT 1 FROM kit_part LIMIT 1") and store.concerned(tx, touched.table):
        enqueue_once(tx, SYSTEM, JobRequest(FOLLOWS, "Bring kits after their parts", urgency=Urgency.OFFERS))


def bring_after(run: JobRun) -> None:
    """Bring prices and weights of all kits after those of their parts. Only those that are behind are locked."""
    ctx = run.ctx
    every = ctx.db.run(store.all_kits)
    behind: list[int] = []
    for at in range(0, len(every), CHUNK):
        behind += ctx.db.run(partial(_behind, ctx, every[at : at + CHUNK]))

    def work(tx: Tx) -> None:
        with history.change_set(tx, SYSTEM, "kits.follow", "Kits cost and weigh what their parts do") as recorder:
            for key in behind:
                with suppress(NotFound):  # it went meanwhile
                    _bring_after(ctx, tx, recorder, products.load(ctx, tx, key, lock=True))
        run.finish(tx, f"{plural(len(behind), 'kit')} changed." if behind else "All kits are as their parts are.")

    ctx.db.run(work)


def _behind(ctx: Context, product_ids: Sequence[int], tx: Tx) -> list[int]:
    """Those of some kits that cost or weigh otherwise than their parts come to."""
    found = many.load_priced(ctx, tx, product_ids)
    kits = reading.of_products(ctx, tx, list(found), DEFAULT_LENS)
    due = {key: _due(kit, found[key]) for key, kit in kits.items()}
    return [key for key, one in due.items() if any(getattr(found[key].variants[0], name) != one[name] for name in one)]


def copy(copied: Copied) -> None:
    """A copy is made of what its original is made of."""
    for row in store.parts(copied.tx, [copied.original]):
        insert(copied.tx, copied.recorder, {**row, "product_id": copied.copy})
    kit = store.kits(copied.tx, [copied.original]).get(copied.original)
    if kit:
        values = {"product_id": copied.copy, "priced_by": kit["priced_by"], "percent": kit["percent"]}
        copied.recorder.made("kit", declared.insert(copied.tx, KIT, values), values)


def taken_apart(tx: Tx, lines: Mapping[str, Decimal]) -> dict[str, Decimal]:
    """Quantities by SKU, kits taken apart into their parts: of a pick the first one, for nobody said which."""
    found: dict[str, list[rules.Part]] = {}
    skus: dict[int, str] = {}
    for row in store.with_skus(tx, [sku for sku in lines if sku.isascii()]):
        part = rules.Part(row["part_id"], row["variant_id"], row["quantity"], row["pick"])
        found.setdefault(row["kit_sku"].upper(), []).append(part)
        skus[row["variant_id"]] = row["sku"].upper()
    each = {sku: {skus[key]: n for key, n in rules.needs(parts, {}).items()} for sku, parts in found.items()}
    return rules.spread(lines, each)
