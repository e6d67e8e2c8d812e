"""What a merchant does with products, one at a time."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any, TypeVar

from graupel.context import Context
from graupel.core import changes, products, readiness
from graupel.core.changes import Merge
from graupel.core.errors import NotFound, Outdated, Refused
from graupel.core.problems import Problem
from graupel.core.products import PRODUCT_FIELDS, VARIANT_FIELDS, Picture, ProductValues, Status
from graupel.core.readiness import Finding, PictureFacts
from graupel.core.roles import Actor, Role
from graupel.core.tables import PAGE_SIZE, Cursor, TableState
from graupel.db import DuplicateKey, Tx
from graupel.features.categories import service as categories
from graupel.features.history import records
from graupel.features.history import service as history
from graupel.features.history.records import Column, Shown
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import store

T = TypeVar("T")

_UNTOUCHED = "p.version = 1 AND NOT EXISTS (SELECT 1 FROM variant pv WHERE pv.product_id = p.id AND pv.version <> 1)"
_PARENT = """EXISTS (SELECT 1 FROM product vp WHERE vp.id = {0}.product_id AND vp.was_live = {1} AND vp.version = 1
             AND NOT EXISTS (SELECT 1 FROM variant vs WHERE vs.product_id = vp.id AND vs.version <> 1))"""


def register_kinds(language: str) -> None:
    """Tell the journal of products, variants and pictures. ``language``: in which they are named."""
    records.register(
        records.RecordKind(
            "product",
            "Product",
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/products/{r['id']}") for r in store.names(tx, list(ids), language)
            },
            plain="product",
            key="p.id",
            version="p.version",
            touch=", p.changed_at = UTC_TIMESTAMP(3)",
            table="product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s",
            fields={
                "name": Column("t.name"),
                "description": Column("t.description"),
                "status": Column("p.status"),
                "category_id": Column("p.category_id", True, "category"),
                "brand": Column("p.brand"),
                "mpn": Column("p.mpn"),
            },
            removable=f"(p.was_live = FALSE AND {_UNTOUCHED})",
            retired_when=f"(p.was_live = TRUE AND {_UNTOUCHED})",
            retire=("status", "archived"),
            revive=(
                """INSERT INTO product (id, version, status, category_id, brand, mpn, made_at, changed_at)
               SELECT r.record_id, r.version, JSON_VALUE(r.became, '$.status'), JSON_VALUE(r.became, '$.category_id'),
                      COALESCE(JSON_VALUE(r.became, '$.brand'), ''), COALESCE(JSON_VALUE(r.became, '$.mpn'), ''),
                      UTC_TIMESTAMP(3), UTC_TIMESTAMP(3)""",
                """INSERT INTO product_text (product_id, lang, name, description)
               SELECT r.record_id, %(lang)s, JSON_VALUE(r.became, '$.name'), JSON_VALUE(r.became, '$.description')""",
            ),
        )
    )
    records.register(
        records.RecordKind(
            "variant",
            "Variant",
            lambda tx, ids: {
                r["id"]: Shown(r["sku"], f"/products/{r['product_id']}") for r in store.variant_names(tx, list(ids))
            },
            plain="variant",
            table="variant v",
            key="v.id",
            version="v.version",
            fields={
                "product_id": Column("v.product_id", True, "product"),
                "sku": Column("v.sku"),
                "price": Column("v.price"),
                "weight_g": Column("v.weight_g", True),
                "gtin": Column("v.gtin"),
            },
            removable=_PARENT.format("v", "FALSE"),
            follows_when=f"(r.was IS NULL AND {_PARENT.format('v', 'TRUE')})",
        )
    )
    records.register(
        records.RecordKind(
            "picture",
            "Picture",
            lambda tx, ids: {
                r["id"]: Shown(r["file_name"], f"/products/{r['product_id']}")
                for r in store.picture_names(tx, list(ids))
            },
            plain="picture",
            table="picture c",
            key="c.id",
            version="c.version",
            fields={
                "product_id": Column("c.product_id", True, "product"),
                "media_id": Column("c.media_id", True, "media"),
                "position": Column("c.position", True),
                "alt": Column("c.alt"),
            },
            removable=f"""(NOT EXISTS (SELECT 1 FROM change_row pr WHERE pr.change_set_id = r.change_set_id
                           AND pr.record_kind = 'product' AND pr.record_id = c.product_id AND pr.was IS NULL)
                       OR {_PARENT.format("c", "FALSE")})""",
            follows_when=f"(r.was IS NULL AND {_PARENT.format('c', 'TRUE')})",
        )
    )
    records.on_recorded(store.touch_products)


@dataclass(frozen=True)
class Product:
    """A product as kept, with its versions: of the product and of its variant."""

    id: int
    variant_id: int
    values: ProductValues
    version: int
    variant_version: int
    made_at: Any = None
    changed_at: Any = None
    pictures: tuple[Media, ...] = ()
    category_path: str = ""

    @property
    def facts(self) -> list[PictureFacts]:
        """The measured facts of its pictures."""
        return [
            PictureFacts(file.width, file.height, picture.alt)
            for file, picture in zip(self.pictures, self.values.pictures, strict=True)
        ]


def read(ctx: Context, actor: Actor, product_id: int) -> Product:
    """One product. Raises NotFound."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: load(ctx, tx, product_id))


def load(ctx: Context, tx: Tx, product_id: int, *, lock: bool = False) -> Product:
    """One product within a transaction. Raises NotFound."""
    row = store.read(tx, product_id, ctx.settings.language, lock=lock)
    if row is None:
        raise NotFound(f"There is no product {product_id}.")
    pictures = store.pictures(tx, product_id)
    files = media.by_ids(tx, [picture["media_id"] for picture in pictures])
    values = ProductValues(
        **{name: row[name] for name in (*PRODUCT_FIELDS, *VARIANT_FIELDS) if name != "status"},
        status=Status(row["status"]),
        pictures=tuple(Picture(picture["media_id"], picture["alt"]) for picture in pictures),
    )
    return Product(
        product_id,
        row["variant_id"],
        values,
        row["version"],
        row["variant_version"],
        row["made_at"],
        row["changed_at"],
        tuple(files[picture["media_id"]] for picture in pictures),
        categories.tree(tx).path(row["category_id"]),
    )


def product_of_variant(ctx: Context, actor: Actor, variant_id: int) -> Product:
    """The product that a variant belongs to. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Product:
        product_id = store.product_of_variant(tx, variant_id)
        if product_id is None:
            raise NotFound(f"There is no variant {variant_id}.")
        return load(ctx, tx, product_id)

    return ctx.db.run(work)


# --- writing -------------------------------------------------------------------------------------------------


def _columns(values: ProductValues, names: Sequence[str]) -> dict[str, Any]:
    flat = {name: getattr(values, name) for name in names}
    return flat | ({"status": str(values.status)} if "status" in flat else {})


def create(ctx: Context, actor: Actor, values: ProductValues) -> int:
    """A new product with its one variant; returns its id. Raises Refused."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        _refuse_problems(ctx, tx, values)
        with history.change_set(tx, actor, "product.make", f"Product made: {values.name}") as recorder:
            columns = _columns(values, PRODUCT_FIELDS)
            product_id = store.insert_product(tx, columns, ctx.settings.language)
            recorder.made("product", product_id, columns)
            variant = _columns(values, VARIANT_FIELDS)
            variant_id = store.insert_variant(tx, product_id, variant)
            recorder.made("variant", variant_id, {"product_id": product_id, **variant})
            _save_pictures(tx, recorder, product_id, values.pictures)
        return product_id

    return _naming_sku_owner(ctx, values, work)


@dataclass(frozen=True)
class Saved:
    """What a save changed, as (label, before, after); empty where nothing differed."""

    changed: list[tuple[str, str, str]] = field(default_factory=list)


class SaveConflict(Outdated):
    """The product was saved by someone else meanwhile; ``merge`` brings both together, ``theirs`` is what is kept."""

    def __init__(self, merge: Merge, theirs: Product, by: str) -> None:
        super().__init__(f"{by} saved this product while you were working on it.", {})
        self.merge, self.theirs, self.by = merge, theirs, by


def save(
    ctx: Context,
    actor: Actor,
    product_id: int,
    values: ProductValues,
    versions: tuple[int, int] | None,
    seen_pictures: Sequence[Picture] = (),
) -> Saved:
    """Write a product's values.

    ``versions``: those of product and variant that the values were read at; None: whatever they are.
    ``seen_pictures``: the pictures as they were then, for telling what this one changed from what others did.
    Raises SaveConflict where they are old, Refused, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> Saved:
        current = load(ctx, tx, product_id, lock=True)
        if versions and versions != (current.version, current.variant_version):
            _refuse_outdated(tx, current, values, versions, seen_pictures)
        _refuse_problems(ctx, tx, values, product_id)
        with history.change_set(tx, actor, "product.save", f"Product changed: {values.name}") as recorder:
            return _write(ctx, tx, recorder, current, values)

    return _naming_sku_owner(ctx, values, work)


def _write(ctx: Context, tx: Tx, recorder: history.Recorder, current: Product, values: ProductValues) -> Saved:
    before, after = (_columns(v, PRODUCT_FIELDS) for v in (current.values, values))
    was, becomes = (_columns(v, VARIANT_FIELDS) for v in (current.values, values))
    product_changed = recorder.changed("product", current.id, before, after, current.version + 1)
    if recorder.changed("variant", current.variant_id, was, becomes, current.variant_version + 1):
        store.update_variant(tx, current.variant_id, becomes)
    pictures_changed = _save_pictures(tx, recorder, current.id, values.pictures)
    if product_changed or pictures_changed or was != becomes:
        # The product's version moves with anything on its page, so that one number guards the page.
        store.update_product(tx, current.id, after, ctx.settings.language)
    old, new = changes.diff(before | was, after | becomes)
    paths = categories.tree(tx)

    def words(name: str, value: Any) -> str:
        return paths.path(value) if name == "category_id" else products.show(name, value)

    said = [(products.LABELS[name], words(name, old[name]), words(name, new[name])) for name in new]
    return Saved(said + ([("Pictures", "", "changed")] if pictures_changed else []))


def _save_pictures(tx: Tx, recorder: history.Recorder, product_id: int, wanted: Sequence[Picture]) -> bool:
    """Make a product's pictures what is wanted, in this order; returns whether anything differed."""
    there = {row["media_id"]: row for row in store.pictures(tx, product_id)}
    changed = False
    for media_id in set(there) - {picture.media_id for picture in wanted}:
        gone = there[media_id]
        recorder.removed(
            "picture", gone["id"], {"product_id": product_id, **_picture_fields(gone)}, gone["version"] + 1
        )
        store.delete_picture(tx, gone["id"])
        changed = True
    for position, picture in enumerate(wanted):
        values = {"media_id": picture.media_id, "position": position, "alt": picture.alt}
        row = there.get(picture.media_id)
        if row is None:
            picture_id = store.insert_picture(tx, product_id, picture.media_id, position, picture.alt)
            recorder.made("picture", picture_id, {"product_id": product_id, **values})
            changed = True
        elif recorder.changed("picture", row["id"], _picture_fields(row), values, row["version"] + 1):
            store.update_picture(tx, row["id"], position, picture.alt)
            changed = True
    return changed


def _picture_fields(row: Mapping[str, Any]) -> dict[str, Any]:
    return {name: row[name] for name in ("media_id", "position", "alt")}


def _refuse_problems(ctx: Context, tx: Tx, values: ProductValues, product_id: int | None = None) -> None:
    problems = products.problems_of(values)
    owner = store.owner_of_sku(tx, values.sku, ctx.settings.language) if values.sku else None
    if owner and owner["id"] != product_id:
        problems.append(_sku_taken(values.sku, owner["name"]))
    if values.category_id is not None and values.category_id not in categories.tree(tx).by_id:
        problems.append(
            Problem("category.unknown", "This category is not there any more. Choose another.", "category_id")
        )
    wanted = [picture.media_id for picture in values.pictures]
    if len(set(wanted)) != len(wanted) or len(media.by_ids(tx, wanted)) != len(set(wanted)):
        problems.append(Problem("pictures.unknown", "A picture is there twice or not there any more.", "pictures"))
    if problems:
        raise Refused(problems)


def _sku_taken(sku: str, name: str) -> Problem:
    return Problem("sku.taken", f"The SKU {sku} belongs to “{name}” already. Choose another.", "sku")


def _naming_sku_owner(ctx: Context, values: ProductValues, work: Callable[[Tx], T]) -> T:
    """Run ``work``; where another transaction took the SKU at the same moment, say whose it is now."""
    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        if error.key != "variant_sku":
            raise
        owner = ctx.db.run(lambda tx: store.owner_of_sku(tx, values.sku, ctx.settings.language))
        raise Refused([_sku_taken(values.sku, owner["name"] if owner else "another product")]) from error


def _refuse_outdated(
    tx: Tx, current: Product, mine: ProductValues, versions: tuple[int, int], seen_pictures: Sequence[Picture]
) -> None:
    """Raise SaveConflict with what both wrote, taken apart by fields."""
    theirs = changes.journal_values(_flat(current.values))
    base = history.values_at(tx, "product", current.id, versions[0], theirs)
    base = history.values_at(tx, "variant", current.variant_id, versions[1], base)
    base["pictures"] = _picture_list(seen_pictures)
    last = history.last_actor(tx, {"product": current.id, "variant": current.variant_id})
    raise SaveConflict(changes.merge(base, changes.journal_values(_flat(mine)), theirs), current, last)


def _picture_list(pictures: Sequence[Picture]) -> list[list[Any]]:
    return [[picture.media_id, picture.alt] for picture in pictures]


def _flat(values: ProductValues) -> dict[str, Any]:
    flat = {name: value for name, value in asdict(values).items() if name != "pictures"}
    return flat | {"status": str(values.status), "pictures": _picture_list(values.pictures)}


def set_status(ctx: Context, actor: Actor, product_id: int, status: Status, versions: tuple[int, int] | None) -> Saved:
    """Put a product live, back to draft, or archive it. Raises Refused, SaveConflict, NotFound."""
    current = read(ctx, actor, product_id)
    return save(
        ctx,
        actor,
        product_id,
        replace(current.values, status=status),
        versions or (current.version, current.variant_version),
    )


# --- reading many --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class FacetValue:
    """One value of a facet: how many products it has, and the state of the table with it switched."""

    value: Any
    label: str
    count: int
    chosen: bool
    query: str


@dataclass(frozen=True)
class Table:
    """One page of the products table."""

    state: TableState
    rows: list[dict[str, Any]]
    total: int
    everything: int
    statuses: list[FacetValue]
    categories: list[FacetValue]
    earlier: str | None
    later: str | None


SHOWN_CATEGORIES = 14


def table(ctx: Context, actor: Actor, state: TableState) -> Table:
    """A page of the table with its facets; reads no more than the page's rows and counts that change."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _table(ctx, tx, state))


def _table(ctx: Context, tx: Tx, state: TableState) -> Table:
    lang = ctx.settings.language
    stamp = history.stamp(tx)
    cross = ctx.counts.get((stamp, "cross", state.q), lambda: store.counts(tx, state.q, lang))
    by_status = _summed(cross, 0, lambda key: not state.category or key[1] in state.category)
    by_category = _summed(cross, 1, lambda key: not state.status or key[0] in state.status)
    total = sum(count for status, count in by_status.items() if not state.status or status in state.status)
    tree = ctx.counts.get((stamp, "tree"), lambda: categories.tree(tx))
    found = None
    if state.q and sum(cross.values()) < store.WALK_FROM:
        # Few enough to be kept: the next page, order or facet of the same search need not search again.
        found = ctx.counts.get((stamp, "found", state.q), lambda: store.search_ids(tx, state.q, lang))
    ids = store.page_ids(tx, state, lang, total, found)
    more = len(ids) > PAGE_SIZE
    ids = ids[:PAGE_SIZE]
    if state.cursor and state.cursor.backwards:
        ids.reverse()
    rows = _with_pictures(tx, store.rows_of(tx, ids, lang), tree)
    earlier, later = _neighbours(state, rows, more)
    statuses = [
        FacetValue(s, s.capitalize(), by_status.get(s, 0), s in state.status, state.toggled("status", s).query())
        for s in map(str, Status)
    ]
    return Table(
        state,
        rows,
        total,
        sum(by_status.values()),
        statuses,
        _category_facet(state, by_category, tree),
        earlier,
        later,
    )


def _summed(cross: Mapping[Any, int], part: int, fits: Callable[[Any], bool]) -> dict[Any, int]:
    """Counts by one part of the keys, of those that fit."""
    found: dict[Any, int] = {}
    for key, count in cross.items():
        if fits(key):
            found[key[part]] = found.get(key[part], 0) + count
    return found


def _with_pictures(tx: Tx, rows: list[dict[str, Any]], tree: categories.Tree) -> list[dict[str, Any]]:
    pictures = store.main_pictures(tx, [row["id"] for row in rows])
    files = media.by_ids(tx, list({picture["media_id"] for picture in pictures.values()}))
    return [
        row
        | {
            "picture": files.get(pictures[row["id"]]["media_id"]) if row["id"] in pictures else None,
            "category": tree.path(row["category_id"]),
        }
        for row in rows
    ]


def _category_facet(state: TableState, counts: Mapping[Any, int], tree: categories.Tree) -> list[FacetValue]:
    """The categories with most products, in the order of the tree, and those that are chosen."""
    most = sorted((c for c in counts if c is not None), key=lambda c: -counts[c])[:SHOWN_CATEGORIES]
    shown = {*most, *state.category}
    return [
        FacetValue(c.id, c.path, counts.get(c.id, 0), c.id in state.category, state.toggled("category", c.id).query())
        for c in tree
        if c.id in shown
    ]


def _neighbours(state: TableState, rows: list[dict[str, Any]], more: bool) -> tuple[str | None, str | None]:
    """The addresses' queries of the pages before and after."""
    if not rows:
        return (None, None)
    backwards = bool(state.cursor and state.cursor.backwards)
    first, last = (
        Cursor(store.cursor_value(row, state.sort_key), row["id"], back)
        for row, back in ((rows[0], True), (rows[-1], False))
    )
    earlier = state.at(first, state.page - 1).query() if state.page > 1 else None
    later = state.at(last, state.page + 1).query() if more or backwards else None
    return earlier, later


def list_after(
    ctx: Context, actor: Actor, *, after: int, limit: int, search: str = "", status: Status | None = None
) -> list[Product]:
    """Products in the order of their ids, beyond ``after``; without pictures."""
    actor.require(Role.VIEWER)
    rows = ctx.db.run(
        lambda tx: store.list_after(tx, after, limit, search, status and str(status), ctx.settings.language)
    )
    return [
        Product(
            row["id"],
            row["variant_id"],
            ProductValues(
                **{name: row[name] for name in (*PRODUCT_FIELDS, *VARIANT_FIELDS) if name != "status"},
                status=Status(row["status"]),
            ),
            row["version"],
            row["variant_version"],
            row["made_at"],
            row["changed_at"],
        )
        for row in rows
    ]


def findings(product: Product) -> list[Finding]:
    """What a product still lacks for the shop."""
    return readiness.for_shop(product.values, product.facts)
