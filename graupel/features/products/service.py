"""What a merchant does with products, one at a time."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any, TypeVar

from graupel.context import Context
from graupel.core import changes, products, readiness
from graupel.core.changes import Merge
from graupel.core.errors import NotFound, Outdated, Refused
from graupel.core.problems import Problem
from graupel.core.products import PRODUCT_FIELDS, VARIANT_FIELDS, Picture, ProductValues, Status
from graupel.core.readiness import Finding, PictureFacts
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.categories import service as categories
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import store

T = TypeVar("T")


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


def check(ctx: Context, values: ProductValues, product_id: int | None = None) -> list[Problem]:
    """What keeps these values from being saved; ``product_id``: the product they are for, where it is there."""
    return ctx.db.run(lambda tx: _problems(ctx, tx, values, product_id))


def _refuse_problems(ctx: Context, tx: Tx, values: ProductValues, product_id: int | None = None) -> None:
    problems = _problems(ctx, tx, values, product_id)
    if problems:
        raise Refused(problems)


def _problems(ctx: Context, tx: Tx, values: ProductValues, product_id: int | None) -> list[Problem]:
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
    return problems


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


# --- reading many --------------------------------------------------------------------------------------------


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
