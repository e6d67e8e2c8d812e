"""What the first page says, gathered from the areas that know it; each line leads to where it is done."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from zoneinfo import ZoneInfo

from graupel.context import Context
from graupel.core.facets import FacetIndex
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.files import store as files
from graupel.features.history import service as history
from graupel.features.history.service import Asked, Gathered
from graupel.features.jobs import service as jobs
from graupel.features.listings import connecting
from graupel.features.orders import reading as orders
from graupel.features.prepared import service as prepared
from graupel.features.pricing import overview
from graupel.features.products.facet_index import held, may_lag
from graupel.features.products.table_facets import LACKS_WORDS
from graupel.features.reviews import service as reviews
from graupel.features.translating import service as translating

#: So many of each are named.
NAMED = 5
#: What a draft needs, beside what would only help.
NEEDED = ("price", "category")


@dataclass(frozen=True)
class Line:
    """One thing. ``shape``: of its mark; ``act``: what the button says that leads to ``link``."""

    shape: str
    title: str
    note: str
    link: str
    act: str


@dataclass(frozen=True)
class Step:
    """One of the first steps in an empty shop."""

    title: str
    note: str
    link: str
    is_done: bool


@dataclass(frozen=True)
class Today:
    """The first page. ``steps``: where the catalogue is empty, instead of all else."""

    waits: list[Line]
    stock: list[Line]
    prices: list[Line]
    running: list[dict[str, Any]]
    lately: list[Gathered]
    steps: list[Step]


def read(ctx: Context, actor: Actor) -> Today:
    """What waits for somebody, what runs, what is out of stock, which prices change, and what changed lately."""
    actor.require(Role.VIEWER)
    board = jobs.board(ctx, actor)
    channels = connecting.list_channels(ctx, actor)
    waits = [_failed(job) for job in board.failed[:NAMED]]
    waits += [line for channel in channels for line in _of_channel(channel)]

    def work(tx: Tx) -> tuple[list[Line], list[Line], int]:
        planned = [row for row in files.newest(tx, 30) if row["state"] == "planned"]
        with may_lag(), held(ctx, tx) as index:
            return [_planned(row) for row in planned[:NAMED]] + _drafts(index), _stock(index), len(index)

    own, stock, everything = ctx.db.run(work)
    own = _prepared(ctx, actor) + _orders(ctx, actor) + _reviews(ctx, actor) + own
    steps = _steps(ctx, actor, bool(channels)) if not everything else []
    # What comes in by itself all day would leave no place for what people did.
    lately = history.list_change_sets(ctx, actor, asked=Asked(without="order")).gathered[:8]
    own += _missing_words(ctx, actor)
    return Today(waits + own, stock, _prices(ctx, actor), board.running[:NAMED], lately, steps)


def _orders(ctx: Context, actor: Actor) -> list[Line]:
    """The orders of the shop window that are to be sent, and those that are to be paid."""
    to_pay, to_send = orders.to_do(ctx, actor)
    lines = []
    if to_send:
        sent = f"{plural(to_send, 'order')} to be sent"
        lines.append(Line("half", sent, "Paid, and not sent yet.", "/orders?stack=send", _see(to_send)))
    if to_pay:
        paid, note = f"{plural(to_pay, 'order')} to be paid", "What comes by transfer is confirmed by hand."
        lines.append(Line("ring", paid, note, "/orders?stack=pay", _see(to_pay)))
    return lines


def _reviews(ctx: Context, actor: Actor) -> list[Line]:
    """The reviews that nobody has read."""
    number = reviews.waiting(ctx, actor)
    said = f"{plural(number, 'review')} to be read"
    return [Line("ring", said, "Shown when somebody has read it.", "/reviews", _see(number))] if number else []


def _prepared(ctx: Context, actor: Actor) -> list[Line]:
    """Prepared changes that wait for a yes, and those of one's own that were sent back."""
    open_, _ = prepared.listed(ctx, actor)
    lines = [
        Line(
            "ring", f"Sent back: {one['title']}", f"{one['decider']}: {one['reply']}", f"/prepared/{one['id']}", "Look"
        )
        for one in open_
        if one["state"] == "back" and one["made_by"] == actor.user_id
    ]
    waiting = sum(one["state"] == "waiting" for one in open_)
    if waiting:
        said = plural(waiting, "prepared change waits for a yes", "prepared changes wait for a yes")
        lines.append(Line("diamond", said, "Nothing of it is done yet.", "/prepared", _see(waiting)))
    return lines[:NAMED]


def _see(number: int) -> str:
    return "See it" if number == 1 else "See them"


def _prices(ctx: Context, actor: Actor) -> list[Line]:
    """The sales that begin or end within a week."""
    found, zone = overview.due(ctx, actor, NAMED + 1), ZoneInfo(ctx.settings.time_zone)
    lines = [
        Line(
            "ring" if one.begins else "half",
            f"{one.name} {'begins' if one.begins else 'ends'}",
            f"{one.at.astimezone(zone):%A, %-d %B, %H:%M}",
            f"/prices?sale={one.sale_id}",
            "Look at it",
        )
        for one in found[:NAMED]
    ]
    more = Line("ring", "and more", "", "/prices?only=soon", "See the week")
    return [*lines, more] if len(found) > NAMED else lines


def _failed(job: Mapping[str, Any]) -> Line:
    return Line("crossed", f"{job['title']} failed", str(job["outcome"] or ""), job["link"] or "/jobs", "Look at it")


def _of_channel(channel: Mapping[str, Any]) -> list[Line]:
    """What a marketplace refused, and that it does not answer."""
    found, link = [], f"/channels/{channel['id']}"
    if channel["trouble"]:
        found.append(Line("crossed", f"{channel['name']} does not answer", str(channel["trouble"]), link, "Look at it"))
    if refused := channel["states"].get("refused", 0):
        what = f"{channel['name']} refused {plural(refused, 'listing')}"
        note = "Each says why, and where to mend it."
        found.append(Line("crossed", what, note, f"{link}?state=refused", f"See {'it' if refused == 1 else 'them'}"))
    return found


def _planned(row: Mapping[str, Any]) -> Line:
    counts = row["counts"] or {}
    words = [f"{counts[one]:,} {one}" for one in ("new", "changed", "refused") if counts.get(one)]
    note = f"{', '.join(words) or 'nothing would change'}; nothing is written yet"
    return Line("diamond", f"The dry run of {row['name']} is made", note, f"/files/{row['id']}", "See the rows")


def _drafts(index: FacetIndex) -> list[Line]:
    """How many drafts lack what, those that need it first; and how many lack nothing that they need."""
    drafts = index.select({"status": ("draft",)})
    if not drafts:
        return []
    counted = index.count("lacks", LACKS_WORDS, drafts)
    needing = index.select({"lacks": NEEDED}, drafts)
    lines = []
    if needing:
        lacks = [f"{counted[one]:,} {LACKS_WORDS[one]}" for one in NEEDED if counted.get(one)]
        lacks += [f"{number:,} {LACKS_WORDS[str(one)]}" for one, number in counted.items() if one not in NEEDED]
        query = "&".join(f"lacks={one}" for one in NEEDED)
        title = f"{plural(len(needing), 'draft')} can’t go live yet"
        note = f"Missing: {', '.join(lacks[:4])}"
        lines.append(Line("ring", title, note, f"/products?status=draft&{query}", "Go through them"))
    if ready := len(drafts) - len(needing):
        title = f"{plural(ready, 'draft')} could go live"
        lines.append(Line("half", title, "Price and category are there.", "/products?status=draft", "See the drafts"))
    return lines


def _stock(index: FacetIndex) -> list[Line]:
    found = []
    for value, words, shape in (("out", "sold out", "crossed"), ("low", "below its threshold", "half")):
        number = len(index.select({"status": ("live",), "stock": (value,)}))
        if number:
            what = f"{plural(number, 'live product has', 'live products have')} something {words}"
            found.append(Line(shape, what, "", f"/products?status=live&stock={value}", "See them"))
    return found


def _missing_words(ctx: Context, actor: Actor) -> list[Line]:
    """Languages in which words are missing or out of date."""
    found = []
    everywhere = destinations.read_all(ctx)
    for lang in everywhere.languages:
        parts = translating.progress(ctx, actor, lang).values()
        missing, outdated = sum(one.missing for one in parts), sum(one.outdated for one in parts)
        if missing or outdated:
            title = f"{everywhere.names[lang]}: {plural(missing + outdated, 'text')} to translate"
            note = f"{missing:,} missing, {outdated:,} perhaps out of date"
            found.append(Line("ring", title, note, f"/translate/{lang}", "Translate"))
    return found


def _steps(ctx: Context, actor: Actor, has_channel: bool) -> list[Step]:
    shops = destinations.list_shops(ctx, actor)
    several = len(shops) > 1 or len(shops[0].languages) > 1
    return [
        Step("Say in which languages the shop speaks", "Words are written once and translated.", "/shops", several),
        Step("Say what the goods are described by", "Types and attributes: fibre, size, colour.", "/vocabulary", False),
        Step("Bring in a table of the goods", "Any spreadsheet’s CSV; it is looked at before.", "/files", False),
        Step("Or add the first product by hand", "A name is enough to begin with.", "/products/new", False),
        Step("Connect a marketplace", "It reads the same products.", "/channels", has_channel),
    ]
