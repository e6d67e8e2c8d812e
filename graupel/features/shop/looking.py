"""What can be looked into before buying, and what a buyer of an article gets to download."""

from dataclasses import dataclass
from pathlib import Path

from graupel.context import Context
from graupel.core.errors import NotFound
from graupel.db import Tx
from graupel.features.downloads import keeping, service, store
from graupel.features.downloads.service import Download
from graupel.features.shop.windows import Window
from graupel.features.wording import service as wording


@dataclass(frozen=True)
class Shown:
    """A download beside an article. ``look``: the address of what can be looked into, "" where nothing can."""

    name: str
    ending: str
    size: int
    look: str
    is_given: bool


def of_article(tx: Tx, window: Window, product_id: int, variant_id: int | None) -> list[Shown]:
    """The downloads of an article in one of its variants, in their order."""
    used = [one.download for one in service.of_product(tx, product_id) if one.use["variant_id"] in (None, variant_id)]
    names = wording.in_lens(tx, "download", "name", window.lens) if used and window.lens.lang else {}
    return [
        Shown(
            names.get(one.id) or one.row["name"],
            one.ending,
            one.newest["bytes"],
            f"/shop/look/{one.id}" if may_be_looked_into(one) else "",
            not one.row["before_buying"],
        )
        for one in {one.id: one for one in used}.values()
    ]


def may_be_looked_into(found: Download) -> bool:
    """Whether all of it, or its first pages, are for everybody."""
    pages = found.row["excerpt_pages"] and found.ending == "pdf" and not found.newest["trouble"]
    return bool(found.row["before_buying"] or pages)


def excerpt_of(tx: Tx, download_id: int) -> Download:
    """A download of a live product that can be looked into. Raises NotFound."""
    found = service.there(tx, download_id)
    if not may_be_looked_into(found) or not store.is_for_sale(tx, download_id):
        raise NotFound("There is nothing to look into.")
    return found


def path_of(ctx: Context, found: Download) -> Path | None:
    """Where what can be looked into lies; None where it can't be made."""
    pages = found.row["excerpt_pages"]
    if found.row["before_buying"] or not pages:
        return keeping.path_of(ctx, found.newest["kept_as"])
    return keeping.excerpt(ctx, found.newest, pages)
