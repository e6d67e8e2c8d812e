"""Locations, and how goods are sold: for the shop, and otherwise for a type."""

from collections.abc import Mapping
from typing import Any

from graupel.context import Context
from graupel.core import ordering, product_fields
from graupel.core.changes import journal_values
from graupel.core.declarations.stock import LOCATION, RULES, SELLING_RULES, STOCK_NOTICE
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.core.stock import show
from graupel.db import DuplicateKey, Tx, declared
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.stock import store
from graupel.features.terms import stock_store as terms_store

NAME_LENGTH = 120
MOST_LOCATIONS = 50
_NAMES = tuple(one.name for one in RULES)


# --- locations -----------------------------------------------------------------------------------------------


def add(ctx: Context, actor: Actor, name: str) -> int:
    """A further location, used last; returns its id. Raises Refused."""
    actor.require(Role.EDITOR)
    name = _name(name)

    def work(tx: Tx) -> int:
        store.lock_locations(tx)
        there = terms_store.locations(tx)
        if len(there) >= MOST_LOCATIONS:
            raise Refused.because("location.many", f"At most {MOST_LOCATIONS} locations are kept.", "name")
        values = {"name": name, "position": there[-1]["position"] + 1}
        with history.change_set(tx, actor, "location.make", f"Location made: {name}") as recorder:
            made = declared.insert(tx, LOCATION, values)
            recorder.made("location", made, values)
        return made

    made: int = _naming(ctx, name, work)
    return made


def _naming(ctx: Context, name: str, work: Any) -> Any:
    try:
        return ctx.db.run(work)
    except DuplicateKey as double:
        raise Refused.because("location.taken", f"There is a location “{name}” already.", "name") from double


def _name(text: str) -> str:
    name = product_fields.one_line(text, NAME_LENGTH, "A location's name", "location")
    if not name:
        raise Refused.because("location.name", "A location needs a name, such as Market stall.", "name")
    return name


def rename(ctx: Context, actor: Actor, location_id: int, name: str) -> None:
    """Give a location another name. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    name = _name(name)

    def work(tx: Tx) -> None:
        there = _there(tx, location_id)
        with history.change_set(tx, actor, "location.change", f"Location renamed: {name}") as recorder:
            before = {"name": there["name"]}
            if recorder.changed("location", location_id, before, {"name": name}, there["version"] + 1):
                declared.update(tx, LOCATION, location_id, {"name": name})

    _naming(ctx, name, work)


def _there(tx: Tx, location_id: int) -> Any:
    store.lock_locations(tx)
    found = {row["id"]: row for row in terms_store.locations(tx)}
    if location_id not in found:
        raise NotFound("This location is not there any more.")
    return found[location_id]


def use_earlier(ctx: Context, actor: Actor, location_id: int) -> None:
    """Use a location before the one that stands before it. Raises NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        here = _there(tx, location_id)
        rows = terms_store.locations(tx)
        place = [row["id"] for row in rows].index(location_id)
        if place == 0:
            return
        before = rows[place - 1]
        with history.change_set(tx, actor, "location.order", f"Location used earlier: {here['name']}") as recorder:
            for row, position in ((here, before["position"]), (before, here["position"])):
                old, new = {"position": row["position"]}, {"position": position}
                recorder.changed("location", row["id"], old, new, row["version"] + 1)
                declared.update(tx, LOCATION, row["id"], new)

    ctx.db.run(work)


def remove(ctx: Context, actor: Actor, location_id: int) -> None:
    """Take a location away at which nothing lies. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        there = _there(tx, location_id)
        if len(terms_store.locations(tx)) == 1:
            raise Refused.because("location.last", "The last location stays: stock must lie somewhere.", "name")
        if held := terms_store.holding(tx, location_id):
            what = "one variant" if held == 1 else f"{held:,} variants"
            raise Refused.because(
                "location.holds",
                f"{there['name']} holds stock of {what}. Move it elsewhere first, or book it away.",
                "name",
            )
        with history.change_set(tx, actor, "location.remove", f"Location taken away: {there['name']}") as recorder:
            values = {name: there[name] for name in LOCATION.names}
            recorder.removed("location", location_id, values, there["version"] + 1)
            store.delete_location(tx, location_id)

    ctx.db.run(work)


# --- rules ---------------------------------------------------------------------------------------------------


def texts(row: Mapping[str, Any] | None) -> dict[str, str]:
    """Rules as a form has them."""
    return {name: "" if not row or row[name] is None else _text(row[name]) for name in _NAMES}


def _text(value: Any) -> str:
    return value if isinstance(value, str) else show(value)


def flat(row: Mapping[str, Any] | None) -> dict[str, Any]:
    """Rules as the journal has them."""
    return journal_values({name: row[name] if row else None for name in _NAMES})


def save(ctx: Context, actor: Actor, type_id: int | None, raw: Mapping[str, str], marks: Marks = None) -> bool:
    """Write the rules of selling of the shop, or of a type; blank ones are as those above. Returns whether any differs.

    Raises Refused, Outdated.
    """
    actor.require(Role.EDITOR)
    wanted = _read(raw)

    def work(tx: Tx) -> bool:
        rows = {row["type_id"]: row for row in terms_store.selling_rules(tx)}
        row = rows.get(type_id)
        title = "Rules of selling changed"
        with history.change_set(tx, actor, "selling.rules", title) as recorder:
            if row is None:
                values = {"type_id": type_id, **wanted}
                if any(value is not None for value in wanted.values()):
                    recorder.made("selling_rules", declared.insert(tx, SELLING_RULES, values), values)
                    return True
                return False
            there = {name: row[name] for name in _NAMES}  # type: ignore[literal-required]
            mine, kept = journal_values(wanted), journal_values(there)
            both = meeting.bring_together(
                tx, {"selling_rules": [row["id"]]}, marks, mine, kept, lambda name: SELLING_RULES.field(name).label
            )
            after = {name: wanted[name] if both[name] == mine[name] else there[name] for name in _NAMES}
            if type_id is not None and not any(value is not None for value in after.values()):
                gone = {"type_id": type_id, **there}
                recorder.removed("selling_rules", row["id"], gone, row["version"] + 1)
                store.delete_rules(tx, row["id"])
                return True
            if recorder.changed("selling_rules", row["id"], there, after, row["version"] + 1):
                declared.update(tx, SELLING_RULES, row["id"], after)
                return True
        return False

    try:
        return ctx.db.run(work)
    except DuplicateKey:  # somebody made the rules of this type at the same moment
        return ctx.db.run(work)


def _read(raw: Mapping[str, str]) -> dict[str, Any]:
    readers = product_fields.readers("")
    found: dict[str, Any] = {}
    problems: list[Problem] = []
    for name in _NAMES:
        try:
            found[name] = readers[name](raw.get(name, ""))
        except Refused as refusal:
            problems += [problem.at(field=name) for problem in refusal.problems]
    problems = problems or ordering.problems(found)
    if problems:
        raise Refused(problems)
    return found


# --- notices -------------------------------------------------------------------------------------------------


def save_notice(ctx: Context, actor: Actor, mails: str) -> None:
    """Who is written to when something falls below its threshold: addresses by commas. Raises Refused."""
    actor.require(Role.OWNER)
    said = [one.strip() for one in mails.replace(";", ",").split(",") if one.strip()]
    for one in said:
        local, at, domain = one.partition("@")
        if not (local and at and "." in domain) or " " in one or not one.isascii():
            raise Refused.because(
                "notice.mail", f"“{one[:60]}” is no address. Write it like stock@shop.example.", "mails"
            )
    text = ", ".join(dict.fromkeys(said))
    if len(text) > 500:
        raise Refused.because("notice.many", "That is more than 500 characters of addresses.", "mails")

    def work(tx: Tx) -> None:
        row = store.notice(tx, lock=True)
        with history.change_set(tx, actor, "stock.notice", "Notices of stock changed") as recorder:
            before, after = {"mails": row["mails"]}, {"mails": text}
            if recorder.changed("stock_notice", 1, before, after, row["version"] + 1):
                declared.update(tx, STOCK_NOTICE, 1, after)

    ctx.db.run(work)
