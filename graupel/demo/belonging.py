"""Which of the demo's goods belong together: each kind of relation at least once."""

from collections.abc import Sequence

from graupel.context import Context
from graupel.core.products import Status
from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.demo.goods import Good
from graupel.features.products import service as products
from graupel.features.relations import service
from graupel.features.relations.cheaper import Wish

Made = Sequence[tuple[int, Good]]


def load(ctx: Context, editor: Actor, made: Made) -> None:
    """Yarn with needles and buttons, kits with what completes them, patterns with finer ones."""
    by_kind: dict[str, list[int]] = {}
    for key, good in made:
        if good.status == Status.LIVE:
            by_kind.setdefault(good.kind, []).append(key)
    kinds = {row["name"]: row["id"] for row in ctx.db.run(service.kinds)}
    wanted: dict[int, list[Wish]] = {}

    def relate(kind: str, ones: Sequence[int], others: Sequence[int]) -> None:
        for one, other in zip(ones, others, strict=False):
            wanted.setdefault(one, []).append(Wish(kinds[kind], other))

    yarn, needles, notions, patterns, kits = (
        by_kind.get(kind, []) for kind in ("Yarn", "Needles", "Button", "Pattern", "Kit")
    )
    relate("Goes well with", yarn[:10], needles)
    relate("Goes well with", yarn[:10], patterns)
    relate("Accessories", yarn[:6], notions)
    relate("Finer still", yarn[:4], yarn[8:])
    relate("Completes the set", kits[:5], patterns[3:])
    relate("Accessories", kits[:5], notions[4:])
    relate("Spare parts", needles[:3], needles[6:])
    relate("Comes in its place", patterns[:2], patterns[6:])
    for product_id, wishes in wanted.items():
        there = [Wish(one.row["relation_kind_id"], one.row["other_id"]) for one in _there(ctx, product_id)]
        name = products.read(ctx, editor, product_id).values.name
        service.relate(ctx, editor, product_id, [*there, *wishes], name)


def _there(ctx: Context, product_id: int) -> list[service.Related]:
    def work(tx: Tx) -> list[service.Related]:
        return service.of_product(ctx, tx, product_id)

    return ctx.db.run(work)
