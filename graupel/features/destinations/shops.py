"""Shops: made, named, in their languages and currency."""

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

from babel.numbers import list_currencies
from slugify import slugify

from graupel.context import Context
from graupel.core import languages
from graupel.core.declarations.destinations import SHOP
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.db.rows import picked
from graupel.features.destinations import service, store
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks

MOST_LANGUAGES = 20


#: What a shop's address can't be: parts of the shop window's own addresses.
TAKEN_ADDRESSES = ("c", "p", "o", "d", "look", "media", "basket", "search", "sitemap", "sitemap.xml")


#: What later areas give a shop that is made. By the area's name.
_ON_MADE: dict[str, Callable[[Tx, history.Recorder, int], None]] = {}


def on_made(area: str, listener: Callable[[Tx, history.Recorder, int], None]) -> None:
    """Register what a new shop is given, in the transaction in which it is made."""
    _ON_MADE[area] = listener


def _columns(ctx: Context, shop_id: int, raw: Mapping[str, str]) -> dict[str, Any]:
    """What was typed of a shop as its columns. Raises Refused with everything that is wrong."""
    problems: list[Problem] = []
    name = re.sub(r"\s+", " ", raw.get("name", "")).strip()
    if not name or len(name) > 120:
        problems.append(Problem("shop.name", "A shop needs a name of 1 to 120 characters.", "name"))
    is_first = shop_id == service.FIRST
    part = raw.get("address_part", "").strip().strip("/").lower() or ("" if is_first else slugify(name)[:60])
    if not is_first and not re.fullmatch(r"[a-z0-9]+(?:-[a-z0-9]+)*", part):
        problems.append(
            Problem("shop.address", "Use a to z, digits and single dashes, such as outlet.", "address_part")
        )
    if part in TAKEN_ADDRESSES or _is_language(part):
        problems.append(
            Problem("shop.address", f"“{part}” means something else in an address. Choose another.", "address_part")
        )
    codes, wrong = _languages(raw.get("languages", ""), ctx.settings.language, must_have=shop_id == service.FIRST)
    currency = raw.get("currency", "").strip().upper() or ctx.settings.currency
    if currency not in list_currencies():
        problems.append(Problem("shop.currency", f"“{currency}” is no currency. Write it like EUR.", "currency"))
    elif is_first and currency != ctx.settings.currency:
        what = f"The first shop has the catalogue’s currency, {ctx.settings.currency}: its prices are the catalogue’s."
        problems.append(Problem("shop.currency", what, "currency"))
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
    if shop_id == service.FIRST and values["name"] == ctx.settings.shop_name:
        values["name"] = ""
    change(ctx, actor, shop_id, values, marks)


def flat(shop: service.Shop) -> dict[str, Any]:
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
        there, mine = (flat(service.shop_of(ctx, one)) for one in (row, {**row, **values}))
        both = meeting.bring_together(tx, {"shop": [shop_id]}, marks, mine, there, lambda one: SHOP.field(one).label)
        stands = picked(row, values)
        wanted = {key: values[key] if both.get(key) == mine.get(key) else stands[key] for key in values}
        with history.change_set(tx, actor, "shop.save", f"Shop changed: {both['name']}") as recorder:
            if recorder.changed("shop", shop_id, stands, wanted, row["version"] + 1):
                store.update(tx, shop_id, wanted)

    _naming_double(ctx, work)


def add_language(ctx: Context, actor: Actor, code: str) -> str:
    """A further language of the default shop; returns its code. Raises Refused."""
    code = languages.parse(code)
    shop = service.read_shop(ctx, actor, service.FIRST)
    raw = {"name": shop.name, "languages": " ".join((*shop.languages, code)), "currency": shop.currency}
    save_shop(ctx, actor, service.FIRST, raw)
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
