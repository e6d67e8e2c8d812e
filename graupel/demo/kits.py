"""What the demo's boxes are made of: with picks, fractions, and a price that follows from the parts or is typed."""

from collections.abc import Iterator, Sequence

from graupel.context import Context
from graupel.core.kits import PricedBy
from graupel.core.products import Status
from graupel.core.roles import Actor
from graupel.demo.catalogue import BOXES
from graupel.demo.goods import Good
from graupel.features.kits import service
from graupel.features.kits.service import Wish
from graupel.features.products import service as products

Made = Sequence[tuple[int, Good]]
#: By box its parts, (kind of goods, words of their name, how many, which pick), and how many percent less they cost.
_PARTS: dict[str, tuple[list[tuple[str, str, str, str]], str]] = {
    BOXES[0]: (
        [("Yarn", "aran", "4", "Colour of the yarn"), ("Needles", "Straight", "1", ""), ("Pattern", "", "1", "")], "10",
    ),
    BOXES[1]: (
        [("Yarn", "sock", "1", "Sock yarn"), ("Needles", "Sock needles", "1", "Needles"), ("Pattern", "socks", "1", "")], "12.5",
    ),
    BOXES[2]: ([("Ribbon", "", "2.5", ""), ("Button", "", "3", "Buttons")], ""),
}  # fmt: skip
#: So many can be picked.
PICKED = 4


def load(ctx: Context, editor: Actor, made: Made) -> None:
    """Make each box of its parts."""
    boxes = {good.name: key for key, good in made}
    for name, (parts, percent) in _PARTS.items():
        if name in boxes:
            wishes = [wish for part in parts for wish in _wishes(ctx, editor, made, *part)]
            priced_by = PricedBy.PARTS if percent else PricedBy.OWN
            service.save(ctx, editor, boxes[name], wishes, priced_by, percent)


def _wishes(ctx: Context, editor: Actor, made: Made, kind: str, words: str, quantity: str, pick: str) -> Iterator[Wish]:
    """The first variants of the first goods that fit: several for a pick."""
    fitting = (key for key, good in made if good.kind == kind and good.status == Status.LIVE and words in good.name)
    found = next(fitting, None)
    if found is not None:
        product = products.read(ctx, editor, found)
        shades = {one.combination[:1]: one for one in reversed(product.for_sale) if one.stock != 0}
        variants = sorted(shades.values(), key=lambda one: one.id)
        yield from (Wish(one.id, quantity, pick) for one in variants[: PICKED if pick else 1])
