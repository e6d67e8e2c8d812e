"""A small page with one article and the way to buy it, for the page of somebody else: it stands there in a frame."""

from typing import Any

from graupel.context import Context
from graupel.core.products import Status
from graupel.core.roles import Actor
from graupel.features.destinations.service import Seen
from graupel.features.products.service import Product
from graupel.features.shop import menus
from graupel.web.security import POLICY

#: It may stand in any page's frame, and does nothing there but show a link (CSP, frame-ancestors).
HEADERS = {"Content-Security-Policy": POLICY.replace("frame-ancestors 'none'", "frame-ancestors *")}
WIDTH, HEIGHT = 260, 330


def part_data(ctx: Context, actor: Actor, product: Product, seen: Seen) -> dict[str, Any]:
    """What the editor's part shows: the line that somebody puts into another page, and the page itself."""
    path = menus.product_path(seen.shop_path, product.id, product.values.address_part, product.values.name)
    address = f"{ctx.settings.address}{path}"
    line = f'<iframe src="{address}/button" width="{WIDTH}" height="{HEIGHT}" title="Buy"></iframe>'
    return {"line": line, "address": address, "path": path, "is_live": product.values.status is Status.LIVE}


def part_mark(data: dict[str, Any]) -> str:
    """The shape of its mark: there is nothing to do."""
    return "dash"
