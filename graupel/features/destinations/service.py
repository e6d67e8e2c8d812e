"""What a merchant does with shops and languages, and what a lens sees."""

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from babel.numbers import list_currencies
from slugify import slugify

from graupel.context import Context
from graupel.core import languages
from graupel.core.declarations.destinations import SHOP
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.resolve import Lens
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.destinations import store
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks

#: The shop that is there from the beginning.
FIRST = 1
MOST_LANGUAGES = 20
#: What a shop's address can't be: parts of the shop window's own addresses.
TAKEN_ADDRESSES = ("c", "p", "media")


@dataclass(frozen=True)
class Destination:
    """Where products are shown for sale. ``code``: "" for the default shop, "s2" for another, "c1" for a channel.

    ``languages``: the codes, its own first, never empty; ``currency``: None where it is the catalogue's.
    """

    code: str
    name: str
    languages: tuple[str, ...]
    currency: str | None = None
    link: str = ""
    address_part: str = ""

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


#: What later areas give a shop that is made. By the area's name.
_ON_MADE: dict[str, Callable[[Tx, history.Recorder, int], None]] = {}


def on_made(area: str, listener: Callable[[Tx, history.Recorder, int], None]) -> None:
    """Register what a new shop is given, in the transaction in which it is made."""
    _ON_MADE[area] = listener


@dataclass(frozen=True)
class Destinations:
    """All destinations, the default shop first, and the default language of the catalogue."""

    all: tuple[Destination, ...]
    default_language: str

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
        return Lens(found.code, languages.chain(wanted, found.languages[0], default), found.currency)

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


def current(ctx: Context, tx: Tx) -> Destinations:
    """The destinations as the transaction sees them."""
    default = ctx.settings.language
    found = [_destination(ctx, _shop(ctx, row)) for row in store.shops(tx)] or [_destination(ctx, _first(ctx))]
    for provider in _PROVIDERS.values():
        found += [one if one.languages else replace(one, languages=(default,)) for one in provider(tx)]
    return Destinations(tuple(found), default)


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


def _first(ctx: Context) -> Shop:
    return Shop(FIRST, ctx.settings.shop_name, "", (ctx.settings.language,), ctx.settings.currency, True, 1)


def _shop(ctx: Context, row: Mapping[str, Any]) -> Shop:
    return Shop(
        row["id"],
        row["name"] or ctx.settings.shop_name,
        row["address_part"],
        tuple(row["languages"].split()) or (ctx.settings.language,),
        row["currency"] or ctx.settings.currency,
        row["shows"] == "all",
        row["version"],
    )


def _destination(ctx: Context, shop: Shop) -> Destination:
    own = None if shop.currency == ctx.settings.currency else shop.currency
    return Destination(shop.code, shop.name, shop.languages, own, f"/shops/{shop.id}", shop.address_part)


def shops(ctx: Context, tx: Tx) -> list[Shop]:
    """All shops, the default one first."""
    return [_shop(ctx, row) for row in store.shops(tx)] or [_first(ctx)]


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


# --- writing -------------------------------------------------------------------------------------------------


def _columns(ctx: Context, shop_id: int, raw: Mapping[str, str]) -> dict[str, Any]:
    """What was typed of a shop as its columns. Raises Refused with everything that is wrong."""
    problems: list[Problem] = []
    name = re.sub(r"\s+", " ", raw.get("name", "")).strip()
    if not name or len(name) > 120:
        problems.append(Problem("shop.name", "A shop needs a name of 1 to 120 characters.", "name"))
    part = raw.get("address_part", "").strip().strip("/").lower() or ("" if shop_id == FIRST else slugify(name)[:60])
    if shop_id != FIRST and not re.fullmatch(r"[a-z0-9]+(?:-[a-z0-9]+)*", part):
        problems.append(
            Problem("shop.address", "Use a to z, digits and single dashes, such as outlet.", "address_part")
        )
    if part in TAKEN_ADDRESSES or _is_language(part):
        problems.append(
            Problem("shop.address", f"“{part}” means something else in an address. Choose another.", "address_part")
        )
    codes, wrong = _languages(raw.get("languages", ""), ctx.settings.language, must_have=shop_id == FIRST)
    currency = raw.get("currency", "").strip().upper() or ctx.settings.currency
    if currency not in list_currencies():
        problems.append(Problem("shop.currency", f"“{currency}” is no currency. Write it like EUR.", "currency"))
    if problems or wrong:
        raise Refused(problems + wrong)
    return {
        "name": name,
        "address_part": part,
        "languages": " ".join(codes),
        "currency": "" if currency == ctx.settings.currency else currency,
    }


def _is_language(part: str) -> bool:
    try:
        languages.parse(part)
    except Refused:
        return False
    return len(part) <= 3


def _languages(text: str, default: str, *, must_have: bool) -> tuple[list[str], list[Problem]]:
    """The codes, each once; the first shop has the default language, before all others."""
    found, problems = [default] if must_have else [], []
    for one in re.split(r"[\s,;]+", text.strip()):
        try:
            found += [languages.parse(one)] if one else []
        except Refused as refusal:
            problems += [replace(problem, field="languages") for problem in refusal.problems]
    codes = list(dict.fromkeys(found)) or [default]
    if len(codes) > MOST_LANGUAGES:
        problems.append(Problem("shop.languages", f"At most {MOST_LANGUAGES} languages are taken.", "languages"))
    return codes, problems


def make_shop(ctx: Context, actor: Actor, raw: Mapping[str, str]) -> int:
    """A further shop; returns its id. It shows nothing until its assortment is chosen. Raises Refused."""
    actor.require(Role.OWNER)
    values = _columns(ctx, 0, raw) | {"shows": "some"}

    def work(tx: Tx) -> int:
        with history.change_set(tx, actor, "shop.make", f"Shop made: {values['name']}") as recorder:
            shop_id = store.insert(tx, values)
            recorder.made("shop", shop_id, values)
            for listener in _ON_MADE.values():
                listener(tx, recorder, shop_id)
        return shop_id

    made: int = _naming_double(ctx, work)
    return made


def save_shop(ctx: Context, actor: Actor, shop_id: int, raw: Mapping[str, str], marks: Marks = None) -> None:
    """Write what was typed of a shop, with what others alone changed since its page was made.

    Raises Refused, NotFound, and Outdated where both changed the same.
    """
    actor.require(Role.OWNER)
    values = _columns(ctx, shop_id, raw)
    if shop_id == FIRST and values["name"] == ctx.settings.shop_name:
        values["name"] = ""
    change(ctx, actor, shop_id, values, marks)


def flat(shop: Shop) -> dict[str, Any]:
    """What the page of a shop lets be changed, as plain data."""
    return {
        "name": shop.name,
        "address_part": shop.address_part,
        "languages": " ".join(shop.languages),
        "currency": shop.currency,
    }


def change(ctx: Context, actor: Actor, shop_id: int, values: Mapping[str, Any], marks: Marks = None) -> None:
    """Write and record columns of a shop. Raises Refused, Outdated, NotFound."""

    def work(tx: Tx) -> None:
        row = store.shop(tx, shop_id, lock=True)
        if row is None:
            raise NotFound(f"There is no shop {shop_id}.")
        there, mine = (flat(_shop(ctx, one)) for one in (row, {**row, **values}))
        both = meeting.bring_together(tx, {"shop": [shop_id]}, marks, mine, there, lambda one: SHOP.field(one).label)
        wanted = {key: values[key] if both.get(key) == mine.get(key) else row[key] for key in values}
        with history.change_set(tx, actor, "shop.save", f"Shop changed: {both['name']}") as recorder:
            if recorder.changed("shop", shop_id, {key: row[key] for key in wanted}, wanted, row["version"] + 1):
                store.update(tx, shop_id, wanted)

    _naming_double(ctx, work)


def add_language(ctx: Context, actor: Actor, code: str) -> str:
    """A further language of the default shop; returns its code. Raises Refused."""
    code = languages.parse(code)
    shop = read_shop(ctx, actor, FIRST)
    raw = {"name": shop.name, "languages": " ".join((*shop.languages, code)), "currency": shop.currency}
    save_shop(ctx, actor, FIRST, raw)
    return code


def _naming_double(ctx: Context, work: Callable[[Tx], Any]) -> Any:
    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        what, where = ("name", "name") if error.key == "shop_name" else ("address", "address_part")
        raise Refused.because("shop.taken", f"Another shop has this {what} already.", where) from error


def offered_languages(known: Iterable[str]) -> list[tuple[str, str]]:
    """Common languages that are not among the known, as (code, name), for a chooser."""
    common = [
        "bg",
        "cs",
        "da",
        "de",
        "el",
        "en",
        "es",
        "et",
        "fi",
        "fr",
        "ga",
        "hr",
        "hu",
        "it",
        "lt",
        "lv",
        "mt",
        "nb",
        "nl",
        "pl",
        "pt",
        "ro",
        "sk",
        "sl",
        "sv",
        "tr",
        "uk",
        "ja",
        "ko",
        "zh",
    ]
    return sorted(((code, languages.name(code)) for code in common if code not in known), key=lambda pair: pair[1])
