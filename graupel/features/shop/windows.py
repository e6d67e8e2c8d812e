"""Which shop a buyer sees, and in which language."""

from dataclasses import dataclass, replace
from typing import Any

from graupel.context import Context
from graupel.core import languages
from graupel.core.errors import NotFound
from graupel.core.resolve import Lens
from graupel.core.terms import SellingTerms
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Seen, Shop


@dataclass(frozen=True)
class Window:
    """A shop as buyers see it, in one of its languages."""

    seen: Seen
    shop: Shop
    #: Where it is shown as of another moment: what stands before its addresses.
    before: str = ""

    @property
    def path(self) -> str:
        """What its addresses begin with."""
        return self.before + self.seen.shop_path

    @property
    def where(self) -> str:
        """The shop and language as its addresses name them: "", "de", "outlet.de"."""
        return where_of(self.seen)

    @property
    def lens(self) -> Lens:
        """What it is seen through."""
        return self.seen.lens

    @property
    def terms(self) -> SellingTerms:
        """How the shop shows prices."""
        return self.seen.destination.terms

    @property
    def languages(self) -> list[tuple[str, str, bool]]:
        """The languages of the shop: code, own name, and whether it is shown."""
        return [(code, languages.name(code, code), code == self.seen.language) for code in self.shop.languages]

    def in_language(self, lang: str) -> "Window":
        """The same shop in another language."""
        return replace(self, seen=replace(self.seen, lens=self.seen.all.lens(self.lens.destination, lang)))

    def in_languages(self) -> "dict[str, Window]":
        """The shop in each of its languages, by code."""
        return {code: self.in_language(code) for code in self.shop.languages}

    @property
    def shown(self) -> dict[str, Any]:
        """In which language and currency amounts are shown."""
        return {"locale": self.seen.locale, "currency": self.shop.currency, "lang": self.seen.language}


def where_of(seen: Seen) -> str:
    """The shop and language of a lens, as addresses name them."""
    return seen.shop_path.removeprefix("/shop").strip("/")


def window(ctx: Context, where: str = "") -> Window:
    """The shop and language of an address: "", "de", "outlet", "outlet.de". Raises NotFound."""

    def work(tx: Tx) -> Window:
        shops = destinations.shops(ctx, tx)
        part, _, lang = where.partition(".")
        shop = next((one for one in shops if one.address_part == part), None)
        if shop is None:
            shop, lang = shops[0], part
        if lang and lang not in shop.languages:
            raise NotFound("There is no such shop.")
        found = destinations.current(ctx, tx)
        return Window(Seen(found.lens(shop.code, lang or shop.languages[0]), found), shop)

    return ctx.db.run(work)


def window_of(ctx: Context, destination: str, lang: str) -> Window:
    """A shop by its code, in a language; the first shop, or the shop's own language, where they are not there."""

    def work(tx: Tx) -> Window:
        shops = destinations.shops(ctx, tx)
        shop = next((one for one in shops if one.code == destination), shops[0])
        found = destinations.current(ctx, tx)
        known = lang if lang in shop.languages else shop.languages[0]
        return Window(Seen(found.lens(shop.code, known), found), shop)

    return ctx.db.run(work)


def window_or_first(ctx: Context, where: str) -> Window:
    """The shop and language of an address, the first shop where it names none."""
    try:
        return window(ctx, where)
    except NotFound:
        return window(ctx)


def no_window(ctx: Context) -> Window:
    """The first shop as it is where the database can't be asked."""
    shop = destinations.first(ctx)
    return Window(
        Seen(
            Lens(),
            destinations.Destinations((destinations.destination(ctx, shop),), shop.languages[0], ctx.settings.currency),
        ),
        shop,
    )
