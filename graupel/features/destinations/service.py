"""What a merchant does with shops and languages, and what a lens sees."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from graupel.context import Context
from graupel.core import languages
from graupel.core.errors import NotFound
from graupel.core.price_rules import PriceRule
from graupel.core.resolve import Lens
from graupel.core.roles import Actor, Role
from graupel.core.taxes import Shown
from graupel.core.terms import SellingTerms
from graupel.db import Tx
from graupel.features.destinations import store
from graupel.features.destinations.rows import TermsRow

#: The shop that is there from the beginning.
FIRST = 1


@dataclass(frozen=True)
class Destination:
    """Where products are shown for sale. ``code``: "" for the default shop, "s2" for another, "c1" for a channel.

    ``languages``: the codes, its own first, never empty; ``currency``: None where it is the catalogue's. ``terms``:
    what it makes of the catalogue's prices.
    """

    code: str
    name: str
    languages: tuple[str, ...]
    currency: str | None = None
    link: str = ""
    address_part: str = ""
    terms: SellingTerms = field(default_factory=SellingTerms)

    def rule(self, currency: str) -> PriceRule | None:
        """Its price rule; ``currency``: the catalogue's."""
        return self.terms.rule(self.currency or currency, converted=self.currency is not None)

    @property
    def is_shop(self) -> bool:
        """Whether it is a shop of the merchant's own."""
        return not self.code.startswith("c")


@dataclass(frozen=True)
class Shop:
    """A shop as kept; ``languages``: its own first."""

    id: int
    name: str
    address_part: str
    languages: tuple[str, ...]
    currency: str
    shows_all: bool
    version: int

    @property
    def code(self) -> str:
        """As a destination has it."""
        return "" if self.id == FIRST else f"s{self.id}"


#: Given by areas that know further destinations: what they are at a moment. By the area's name.
_PROVIDERS: dict[str, Callable[[Tx], list[Destination]]] = {}


def register(area: str, provider: Callable[[Tx], list[Destination]]) -> None:
    """Make further destinations known."""
    _PROVIDERS[area] = provider


@dataclass(frozen=True)
class Destinations:
    """All destinations, the default shop first, and the default language and currency of the catalogue."""

    all: tuple[Destination, ...]
    default_language: str
    default_currency: str

    @property
    def languages(self) -> tuple[str, ...]:
        """All languages but the default one, as they come."""
        found = dict.fromkeys(code for one in self.all for code in one.languages)
        return tuple(code for code in found if code != self.default_language)

    def by_code(self, code: str) -> Destination:
        """The destination of a code; the default shop where it is not there."""
        return next((one for one in self.all if one.code == code), self.all[0])

    @property
    def names(self) -> dict[str, str]:
        """The names of destinations and of languages by code; "" is the default language."""
        named = {code: languages.name(code) for code in self.languages}
        return {one.code: one.name for one in self.all} | named | {"": languages.name(self.default_language)}

    @property
    def shops(self) -> list[Destination]:
        """The merchant's own shops."""
        return [one for one in self.all if one.is_shop]

    @property
    def currencies(self) -> dict[str, str]:
        """The currencies of destinations that have their own."""
        return {one.code: one.currency for one in self.all if one.currency}

    @property
    def is_plain(self) -> bool:
        """Whether there is but one shop with one language: then nothing is said of a lens."""
        return len(self.all) == 1 and not self.languages

    def lens(self, destination: str = "", lang: str = "") -> Lens:
        """The lens of a destination and a language; of what is not there, the default."""
        found = self.by_code(destination)
        default = self.default_language
        lang = lang if lang in self.languages or lang == default else ""
        wanted = lang or (found.languages[0] if found.code else default)
        return Lens(
            found.code,
            languages.chain(wanted, found.languages[0], default),
            found.currency,
            found.rule(self.default_currency),
        )

    def read(self, key: str) -> Lens:
        """The lens as an address carries it: "c1.de", "de", "s2.en"."""
        head, _, tail = key.partition(".")
        if re.fullmatch(r"[sc]\d{1,9}", head):
            return self.lens(head, tail)
        return self.lens("", head)

    def key(self, destination: str, lang: str) -> str:
        """As an address carries it; without what is as by default there."""
        own = self.by_code(destination).languages[0] if destination else self.default_language
        return ".".join(filter(None, (destination, lang if lang != own else "")))


def terms_of(row: TermsRow) -> SellingTerms:
    """Terms from their row."""
    switches: dict[str, Any] = {name: bool(row[name]) for name in ("shows_lowest", "typed_with_tax")}
    return SellingTerms(**{**row, **switches, "tax_shown": Shown(row["tax_shown"])})


def current(ctx: Context, tx: Tx) -> Destinations:
    """The destinations as the transaction sees them."""
    return tx.remembered("destinations", lambda: _read(ctx, tx))


def _read(ctx: Context, tx: Tx) -> Destinations:
    default = ctx.settings.language
    found = [destination(ctx, shop_of(ctx, row)) for row in store.shops(tx)] or [destination(ctx, first(ctx))]
    for provider in _PROVIDERS.values():
        found += [one if one.languages else replace(one, languages=(default,)) for one in provider(tx)]
    written = {row["destination"]: row for row in store.all_terms(tx)}
    found = [replace(one, terms=terms_of(written[one.code])) if one.code in written else one for one in found]
    return Destinations(tuple(found), default, ctx.settings.currency)


def read_all(ctx: Context) -> Destinations:
    """The destinations; everybody may see them."""
    return ctx.db.run(lambda tx: current(ctx, tx))


@dataclass(frozen=True)
class Seen:
    """What a page is seen through: the lens, and all that could be chosen."""

    lens: Lens
    all: Destinations

    @property
    def destination(self) -> Destination:
        """The destination of the lens."""
        return self.all.by_code(self.lens.destination)

    @property
    def language(self) -> str:
        """The code of its language."""
        return self.lens.lang or self.all.default_language

    @property
    def language_name(self) -> str:
        """Its language's name."""
        return languages.name(self.language)

    @property
    def locale(self) -> str:
        """Its language as Babel takes it."""
        return languages.locale(self.language)

    @property
    def key(self) -> str:
        """As an address carries it."""
        return self.all.key(self.lens.destination, self.language)

    @property
    def shop_id(self) -> int:
        """The shop of the lens; of a channel the default one."""
        return int(self.lens.destination[1:]) if self.lens.destination.startswith("s") else FIRST

    @property
    def shop_path(self) -> str:
        """Where the shop window of the lens stands: "/shop", "/shop/de", "/shop/outlet.de".

        Of a channel: the default shop's, in the lens' language.
        """
        shop = self.destination if self.destination.is_shop else self.all.all[0]
        lang = self.language if self.language != shop.languages[0] else ""
        part = ".".join(filter(None, (shop.address_part, lang)))
        return f"/shop/{part}" if part else "/shop"

    def key_with(self, *, destination: str | None = None, lang: str | None = None) -> str:
        """The key with another destination or another language."""
        to = self.lens.destination if destination is None else destination
        return self.all.key(to, self.language if lang is None else lang)


def see(ctx: Context, key: str) -> Seen:
    """What is seen through the lens of an address."""
    found = read_all(ctx)
    return Seen(found.read(key), found)


def first(ctx: Context) -> Shop:
    """The shop that is there from the beginning, as it is before anything is changed."""
    return Shop(FIRST, ctx.settings.shop_name, "", (ctx.settings.language,), ctx.settings.currency, True, 1)


def shop_of(ctx: Context, row: Mapping[str, Any]) -> Shop:
    """A shop from its row."""
    return Shop(
        row["id"],
        row["name"] or ctx.settings.shop_name,
        row["address_part"],
        tuple(row["languages"].split()) or (ctx.settings.language,),
        row["currency"] or ctx.settings.currency,
        row["shows"] == "all",
        row["version"],
    )


def destination(ctx: Context, shop: Shop) -> Destination:
    """A shop as a destination."""
    own = None if shop.currency == ctx.settings.currency else shop.currency
    return Destination(shop.code, shop.name, shop.languages, own, f"/shops/{shop.id}", shop.address_part)


def shops(ctx: Context, tx: Tx) -> list[Shop]:
    """All shops, the default one first."""
    return [shop_of(ctx, row) for row in store.shops(tx)] or [first(ctx)]


def list_shops(ctx: Context, actor: Actor) -> list[Shop]:
    """All shops, the default one first."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: shops(ctx, tx))


def read_shop(ctx: Context, actor: Actor, shop_id: int) -> Shop:
    """One of them. Raises NotFound."""
    actor.require(Role.VIEWER)
    found = next((one for one in list_shops(ctx, actor) if one.id == shop_id), None)
    if found is None:
        raise NotFound(f"There is no shop {shop_id}.")
    return found
