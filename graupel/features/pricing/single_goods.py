"""Sales as files say them: of single goods, each put under a sale, taken out of it, or its sale changed."""

from collections.abc import Iterator, Sequence
from datetime import datetime

from graupel.context import Context
from graupel.core.declarations.terms import SALE, SALE_GOODS
from graupel.core.sales import Reach, Sale
from graupel.db import Tx, declared
from graupel.features.history import service as history
from graupel.features.pricing import selling, store
from graupel.features.terms import service as terms
from graupel.features.terms import store as terms_store
from graupel.features.terms.rows import SaleGoodsRow

#: A product, and the variant or the choice of it that a sale's reach names, 0 for all of it; EVERYTHING for all goods.
Target = tuple[int, int]
EVERYTHING: Target = (0, 0)
#: What names a target by the reach of its sale.
_NAMED = {Reach.VARIANT: "variant_id", Reach.CHOICE: "choice_id"}
FAR = datetime(9999, 1, 1)
MOST = 100_000


def standing(tx: Tx, now: datetime) -> Iterator[Sale]:
    """The sales that are on or to come at a moment, with what they are for."""
    rows = terms_store.sales_between(tx, now.replace(tzinfo=None), FAR, MOST)
    goods: dict[int, list[SaleGoodsRow]] = {}
    for one in terms_store.goods_of(tx, [row["id"] for row in rows]):
        goods.setdefault(one["sale_id"], []).append(one)
    yield from (terms.sale_of(row, goods.get(row["id"], ())) for row in rows)


def promotion_codes(tx: Tx) -> dict[int, str]:
    """The ids of promotions that destinations are told, by our own."""
    return {row["id"]: row["code"] for row in terms_store.promotions(tx)}


def change(ctx: Context, tx: Tx, recorder: history.Recorder, there: Sale, wanted: Sale) -> None:
    """Change a sale. Raises Refused."""
    store.hold_sales(tx)
    row = terms_store.sale(tx, there.id, lock=True)
    assert row is not None
    after = selling.columns(wanted)
    if recorder.changed("sale", there.id, selling.columns_of(row), after, row["version"] + 1):
        declared.update(tx, SALE, there.id, after)
    selling.refuse_equal(tx, there.id, selling.zone_of(ctx))


def put_under(ctx: Context, tx: Tx, recorder: history.Recorder, sale: Sale, target: Target, sale_id: int | None) -> int:
    """Put what is meant under a sale, a new one without its id; returns the id. Raises Refused."""
    store.hold_sales(tx)
    if sale_id is None:
        values = selling.columns(sale)
        sale_id = declared.insert(tx, SALE, values)
        recorder.made("sale", sale_id, values)
    if sale.reach is not Reach.ALL:
        product, one = target
        goods = {"sale_id": sale_id, "product_id": product, "variant_id": None, "choice_id": None}
        if column := _NAMED.get(sale.reach):
            goods[column] = one
        recorder.made("sale_goods", declared.insert(tx, SALE_GOODS, goods), goods)
    selling.refuse_equal(tx, sale_id, selling.zone_of(ctx))
    return sale_id


def take_out(tx: Tx, recorder: history.Recorder, sale: Sale, target: Target) -> None:
    """Take goods out of a sale that has others too."""
    store.hold_sales(tx)
    product, named = target
    for row in terms_store.goods_of(tx, [sale.id], product):
        if (row["variant_id"] or row["choice_id"] or 0) == named:
            gone = {name: row[name] for name in SALE_GOODS.columns()}  # type: ignore[literal-required]
            recorder.removed("sale_goods", row["id"], gone, row["version"] + 1)
            declared.delete(tx, SALE_GOODS, row["id"])


def goods_named(tx: Tx, code: str) -> Target | None:
    """The goods that a SKU or product code means: of a product that does not vary all of it."""
    return store.goods_named(tx, code) if code.isascii() else None


def choice_named(tx: Tx, product_id: int, attribute: str, label: str) -> int | None:
    """A choice in which variants of a product differ, by its attribute and its label."""
    return store.choice_of_variants(tx, product_id, attribute, label)


def choice_names(tx: Tx, choice_ids: Sequence[int]) -> dict[int, str]:
    """Choices as "Colour = Oat"."""
    return store.choice_names(tx, choice_ids)


def skus_of(tx: Tx, variant_ids: Sequence[int]) -> dict[int, str]:
    """The SKUs of variants."""
    return store.skus_of(tx, variant_ids)
