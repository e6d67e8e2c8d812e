"""Cells of the products table that are edited in place: one, or a pasted column."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from graupel.context import Context
from graupel.core import product_fields, stock
from graupel.core import products as rules
from graupel.core.declarations.products import AMOUNTS
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.products import Status
from graupel.core.quantities import format_money
from graupel.core.resolve import DEFAULT_LENS, Lens, key_of
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.products.service import Product
from graupel.features.terms import booking
from graupel.features.terms.booking import Wish
from graupel.features.variants import setting, store
from graupel.features.variants.reading import read_value
from graupel.features.wording import service as wording

OF_PRODUCT = ("name", "price", "list_price", "stock", "status")
OF_VARIANT = ("price", "list_price", "stock", "archived")
MOST = 500


@dataclass(frozen=True)
class Cell:
    """A cell and what was typed into it. ``was``: the value that it showed; ``of``: "p" product, "v" variant."""

    of: str
    id: int
    field: str
    text: str
    was: str

    @property
    def key(self) -> str:
        """As the table's page names it."""
        return f"{self.of}{self.id}:{self.field}"


def save(ctx: Context, actor: Actor, cells: Sequence[Cell], lens: Lens = DEFAULT_LENS) -> int:
    """Write all cells or none; returns how many records changed. Names and amounts are written for the lens alone.

    Raises Refused with a problem for each cell that can't be taken (its field is the cell's key): text that is no
    value, a value that somebody else changed since it was shown, a rule of the product that it would break.
    """
    actor.require(Role.EDITOR)
    if not cells or len(cells) > MOST:
        raise Refused.because("cells.number", f"Between one and {MOST} cells are saved at once.")

    def work(tx: Tx) -> int:
        grouped = _by_product(tx, cells)
        names = {cell.field for cell in cells}
        title = f"{len(cells)} {'cells' if len(cells) > 1 else 'cell'} edited: {', '.join(sorted(names))}"
        with history.change_set(tx, actor, "products.cells", title) as recorder:
            problems: list[Problem] = []
            for product_id, of_it in grouped.items():
                product = products.load(ctx, tx, product_id, lock=True)
                problems += _save_product(ctx, tx, recorder, product, of_it, lens)
            if problems:
                raise Refused(problems)
        return len(grouped)

    return ctx.db.run(work)


def _by_product(tx: Tx, cells: Sequence[Cell]) -> dict[int, list[Cell]]:
    """Cells by product, in ascending order: two who save at once lock in the same order."""
    owners = store.products_of(tx, [cell.id for cell in cells if cell.of == "v"])
    grouped: dict[int, list[Cell]] = {}
    for cell in cells:
        allowed = OF_PRODUCT if cell.of == "p" else OF_VARIANT
        product_id = cell.id if cell.of == "p" else owners.get(cell.id)
        if cell.field not in allowed or product_id is None:
            raise Refused([Problem("cell.unknown", "This row is not there any more. Load the table again.", cell.key)])
        grouped.setdefault(product_id, []).append(cell)
    return dict(sorted(grouped.items()))


def _save_product(
    ctx: Context, tx: Tx, recorder: history.Recorder, product: Product, cells: Sequence[Cell], lens: Lens
) -> list[Problem]:
    lensed = [cell for cell in cells if key_for(cell, lens)]
    cells = [cell for cell in cells if cell not in lensed]
    problems = _save_lensed(ctx, tx, recorder, product, lensed, lens)
    return problems or (_save_plain(ctx, tx, recorder, product, cells) if cells else [])


def key_for(cell: Cell, lens: Lens) -> str:
    """The key under which a cell is written for a lens; "" where it holds everywhere."""
    if lens.destination and cell.field in AMOUNTS:
        return key_of(lens, cell.field)
    return key_of(lens, "name") if cell.field == "name" and not lens.is_default else ""


def _save_lensed(
    ctx: Context, tx: Tx, recorder: history.Recorder, product: Product, cells: Sequence[Cell], lens: Lens
) -> list[Problem]:
    """Write cells for a lens; a blank one goes back to what is inherited."""
    problems: list[Problem] = []
    own = {"product": {product.id: dict(product.values.own)}, "variant": {v.id: dict(v.own) for v in product.variants}}
    touched: dict[tuple[str, int], None] = {}
    for cell in cells:
        kind, key = ("product" if cell.of == "p" else "variant"), key_for(cell, lens)
        held = own[kind][cell.id]
        if cell.was != held.get(key, ""):
            now = held.get(key) or "blank"
            message = f"Somebody changed this to {now} meanwhile. Load the table again."
            problems.append(Problem("cell.outdated", message, cell.key))
            continue
        try:
            held[key] = _lensed_text(ctx, cell, lens)
            touched[kind, cell.id] = None
        except Refused as refusal:
            problems += [replace(problem, field=cell.key) for problem in refusal.problems]
    for kind, record_id in touched if not problems else ():
        originals = rules.written_words(product.values) if kind == "product" else {}
        wording.save(tx, recorder, kind, record_id, own[kind][record_id], originals)
    return problems


def _lensed_text(ctx: Context, cell: Cell, lens: Lens) -> str:
    if not cell.text.strip():
        return ""
    if cell.field == "name":
        return product_fields.parse_name(cell.text)
    return format_money(read_value(cell.field, cell.text, lens.currency or ctx.settings.currency))


def _save_plain(
    ctx: Context, tx: Tx, recorder: history.Recorder, product: Product, cells: Sequence[Cell]
) -> list[Problem]:
    problems: list[Problem] = []
    own: dict[str, Any] = {}
    variants: dict[int, dict[str, Any]] = {}
    stocked: list[Wish] = []
    for cell in cells:
        try:
            if cell.field == "stock":
                stocked.append(_stocked(product, cell))
                continue
            value = _value(ctx, product, cell)
        except Refused as refusal:
            problems += [replace(problem, field=cell.key) for problem in refusal.problems]
            continue
        if cell.of == "p":
            own[cell.field] = value
        else:
            variants.setdefault(cell.id, {})[cell.field] = value
    if problems:
        return problems
    booking.book_typed(tx, recorder, stocked)
    for variant_id, values in variants.items():
        store.change(tx, recorder, [variant_id], {k: int(v) if isinstance(v, bool) else v for k, v in values.items()})
    if variants:  # what product and variants become together is what the rules are asked about
        product = products.load(ctx, tx, product.id)
    try:
        if own:
            saving.save_checked(ctx, tx, recorder, product, replace(product.values, **own))
        setting.check_whole(replace(product, values=replace(product.values, **own)))
    except Refused as refusal:
        return [replace(problem, field=cells[0].key) for problem in refusal.problems]
    return []


def _stocked(product: Product, cell: Cell) -> Wish:
    """What was typed of stock: it is booked, so it does not matter what others did meanwhile. Raises Refused."""
    if cell.of == "p" and product.varies:
        raise Refused.because("variant.own", "This product varies: its stock belongs to its variants.")
    shown = stock.count(cell.was) if cell.was else None
    return Wish(product.variants[0].id if cell.of == "p" else cell.id, stock.parse(cell.text, shown))


def _value(ctx: Context, product: Product, cell: Cell) -> Any:
    """What the text stands for. Raises Refused, also where the cell does not hold any more what it showed."""
    now = shown(product, cell)
    if cell.was != now:
        raise Refused.because(
            "cell.outdated", f"Somebody changed this to {now or 'blank'} meanwhile. Load the table again."
        )
    if cell.field == "status":
        word = cell.text.strip().lower()
        if word not in tuple(Status):
            raise Refused.because("status.unknown", "A status is draft, live or archived.")
        return Status(word)
    if cell.field == "archived":
        words = {"archived": True, "for sale": False}
        if cell.text.strip().lower() not in words:
            raise Refused.because("status.unknown", "A variant is for sale or archived.")
        return words[cell.text.strip().lower()]
    if cell.field == "name":
        return product_fields.parse_name(cell.text)
    return read_value(cell.field, cell.text, ctx.settings.currency)


def shown(product: Product, cell: Cell) -> str:
    """What the cell holds now, as the table's page shows it for editing."""
    if cell.of == "p":
        value: Any = getattr(product.values, cell.field)
    else:
        variant = next(one for one in product.variants if one.id == cell.id)
        value = getattr(variant, cell.field)
    if cell.field == "archived":
        return "archived" if value else "for sale"
    return "" if value is None else f"{value:.2f}" if cell.field in ("price", "list_price") else str(value)
