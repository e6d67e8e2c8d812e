"""What a text finds, kind by kind; each asks the area that knows best, and gives a few."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.doubles import fold
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.finding import store
from graupel.features.history import service as history
from graupel.features.products import facet_index
from graupel.features.vocabulary import service as vocabulary
from graupel.web import navigation

#: So many of each kind.
SHOWN = 6
#: Of the products that fit, so many of the newest are looked at for those that fit best.
LOOKED_AT = 400
LONGEST = 200


@dataclass(frozen=True)
class Found:
    """One thing: what it is called, what is said beside it, and its page."""

    title: str
    link: str
    note: str = ""


@dataclass(frozen=True)
class FoundGroup:
    """What was found of one kind. ``all_link``: where all of it stands, "" where this is all there is."""

    label: str
    found: Sequence[Found]
    all_link: str = ""


#: What can be done from anywhere: words by which it is found, its page, and from which role on.
ACTIONS = (
    ("Add a product", "/products/new", Role.EDITOR),
    ("Bring in a file", "/files", Role.EDITOR),
    ("Take the catalogue out as a file", "/files/out", Role.VIEWER),
    ("Add an attribute", "/vocabulary/attributes", Role.EDITOR),
    ("Look through near-doubles", "/vocabulary/doubles", Role.EDITOR),
    ("Add a shop or a language", "/shops", Role.OWNER),
    ("Connect a channel", "/channels", Role.OWNER),
    ("Invite somebody", "/people", Role.OWNER),
    ("Change the password", "/account", Role.VIEWER),
)


def find(ctx: Context, actor: Actor, typed: str, places: Sequence[navigation.Place]) -> list[FoundGroup]:
    """Everything that a text finds, in groups; those without anything are left out. ``places``: the person's pages."""
    actor.require(Role.VIEWER)
    text = " ".join(typed.split())[:LONGEST]
    if not text:
        return []

    def work(tx: Tx) -> list[FoundGroup]:
        return [
            _products(ctx, tx, text),
            FoundGroup("Variants", _variants(ctx, tx, text)),
            FoundGroup("Categories", [Found(c.path, f"/categories/{c.id}") for c in _categories(ctx, tx, text)]),
            FoundGroup("Vocabulary", _words(ctx, tx, text)),
            FoundGroup("Media", [_file(row) for row in store.media(tx, text, SHOWN)]),
            FoundGroup("Files brought in", [_row("files", row) for row in store.files(tx, text, SHOWN)]),
            FoundGroup("Changes", [_row("history", row) for row in store.changes(tx, text, SHOWN)]),
        ]

    return [*_pages(actor, text, places), *(group for group in ctx.db.run(work) if group.found)]


def _file(row: Mapping[str, Any]) -> Found:
    return Found(row["file_name"], f"/media/{row['id']}", row["kind"])


def _row(where: str, row: Mapping[str, Any]) -> Found:
    return Found(row["title"], f"/{where}/{row['id']}")


def _fitting(text: str, candidates: Iterable[tuple[str, Found]]) -> list[Found]:
    """Those in whose names all words begin; names that begin with the text first, then the shorter ones.

    ``candidates``: with their names as ``fold`` leaves them.
    """
    begins = fold(text)
    words = begins.split()
    hits = [
        (not plain.startswith(begins), len(plain), plain, found)
        for plain, found in candidates
        if words and all(f" {word}" in f" {plain}" for word in words)
    ]
    return [found for *_, found in sorted(hits, key=lambda one: one[:3])[:SHOWN]]


def _pages(actor: Actor, text: str, places: Sequence[navigation.Place]) -> list[FoundGroup]:
    pages = [(fold(one.label), Found(one.label, one.address, f"g {one.key}")) for one in places]
    acts = [(fold(name), Found(name, to)) for name, to, role in ACTIONS if actor.may(role)]
    groups = [FoundGroup("Pages", _fitting(text, pages)), FoundGroup("What can be done", _fitting(text, acts))]
    return [group for group in groups if group.found]


def _products(ctx: Context, tx: Tx, text: str) -> FoundGroup:
    with facet_index.may_lag():
        ids = facet_index.search(ctx, tx, text) or facet_index.similar(ctx, tx, text)[0]
    rows = store.products(tx, list(ids[-LOOKED_AT:]), ctx.settings.language)
    begins = fold(text)

    def rank(row: Mapping[str, Any]) -> tuple[bool, bool, int, int]:
        name = row["name"]
        return row["status"] == "archived", not fold(name).startswith(begins), len(name), row["id"]

    rows.sort(key=rank)
    shown = [Found(row["name"], f"/products/{row['id']}", row["sku"]) for row in rows[:SHOWN]]
    return FoundGroup("Products", shown, "/products" if len(ids) > SHOWN else "")


def _variants(ctx: Context, tx: Tx, text: str) -> list[Found]:
    rows = store.variants(tx, text, ctx.settings.language, SHOWN) if text.isascii() else []
    notes = [f"{row['name']}{_also('GTIN', row['gtin'])}{_also('elsewhere', row['elsewhere'])}" for row in rows]
    return [
        Found(row["sku"], f"/products/{row['product_id']}#variants", note)
        for row, note in zip(rows, notes, strict=True)
    ]


def _also(called: str, code: str | None) -> str:
    return f", {called} {code}" if code else ""


def _categories(ctx: Context, tx: Tx, text: str) -> list[categories.Category]:
    return categories.current(ctx, tx).search(text)[:SHOWN]


def _words(ctx: Context, tx: Tx, text: str) -> list[Found]:
    words = vocabulary.current(ctx, tx)
    return _fitting(text, ctx.counts.get((history.written_stamp(tx), "words to be found"), lambda: _named(words)))


def _named(words: vocabulary.Vocabulary) -> list[tuple[str, Found]]:
    """All words of the vocabulary with the pages on which they stand."""
    found = []
    for attribute in words.attributes.values():
        link = f"/vocabulary/attributes/{attribute.id}"
        found.append(Found(attribute.name, link, "attribute"))
        found += [Found(choice.label, link, f"choice of {attribute.name}") for choice in attribute.choices]
    for kind, names in (("brand", words.brands), ("tag", words.tags)):
        found += [Found(name, f"/vocabulary/{kind}s/{key}", kind) for key, name in names.items()]
    found += [Found(one.name, f"/vocabulary/types/{key}", "product type") for key, one in words.types.items()]
    return [(fold(one.title), one) for one in found]
