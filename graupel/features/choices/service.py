"""Buyer choices made, written and taken away."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from graupel.context import Context
from graupel.core import choice_making
from graupel.core.choices import Choice, Entry
from graupel.core.declarations.choices import BUYER_CHOICE, CHOICE_ENTRY, CHOICE_USE
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx, declared
from graupel.features.choices import reading, store
from graupel.features.choices.reading import entry_of, others, there
from graupel.features.choices.rows import EntryRow, UseRow
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks


def columns(choice: Choice) -> dict[str, Any]:
    """A choice as its table and the journal have it."""
    limits = choice.limits
    return {
        "product_id": choice.product_id,
        "name": choice.name,
        "label": choice.label,
        "kind": str(choice.kind),
        "looks": str(choice.looks),
        "help": choice.help,
        "needed": int(choice.needed),
        "message": choice.message,
        "default_text": choice.default,
        "least": None if limits.least is None else f"{limits.least:.4f}",
        "most": None if limits.most is None else f"{limits.most:.4f}",
        "places": limits.places,
        "first_day": limits.first,
        "last_day": limits.last,
        "ahead_days": limits.ahead,
        "within_days": limits.within,
        "closed_weekdays": "".join(str(one) for one in sorted(limits.weekdays)),
        "closed_days": ",".join(one.isoformat() for one in sorted(limits.days)),
        "file_kinds": ",".join(limits.kinds),
        "megabytes": limits.megabytes,
        "when_choice_id": choice.when,
        "when_entry_id": choice.when_entry,
    }


def _entry_columns(entry: Entry, choice_id: int, position: int) -> dict[str, Any]:
    return {
        "buyer_choice_id": choice_id,
        "position": position,
        "label": entry.label,
        "adds_by": str(entry.adds_by),
        "amount": f"{entry.amount:.2f}",
        "once": int(entry.once),
        "weight_g": entry.weight_g,
        "sku_code": entry.sku_code,
        "unshipped": int(entry.unshipped),
        "sold_out": int(entry.sold_out),
        "is_default": int(entry.is_default),
        "swatch": entry.swatch,
        "media_id": entry.media_id,
    }


def flat(choice: Choice) -> dict[str, Any]:
    """What a page shows of a choice, as plain data; its entries count as one field."""
    rows = [choice_making.entry_texts(one) for one in choice.entries]
    return choice_making.texts(choice) | {"entries": [" | ".join(row.values()) for row in rows]}


def save(
    ctx: Context,
    actor: Actor,
    choice_id: int | None,
    raw: Mapping[str, str],
    rows: Sequence[Mapping[str, str]],
    marks: Marks = None,
    product_id: int | None = None,
) -> int:
    """Make a choice, or write it, with its entries; returns its id. ``product_id``: a new one is private to it.

    Raises Refused, Outdated, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        found = there(tx, choice_id, lock=True) if choice_id else None
        start = found or Choice(0, "", "", product_id=product_id)
        wanted, problems = choice_making.read(raw, rows, start, ctx.settings.currency, others(ctx, tx, start))
        wanted = reading.with_pictures(tx, _of_its_own(wanted, start))
        problems = problems or _dependants(tx, start, wanted) or _doubles(tx, wanted)
        if problems:
            raise Refused(problems)
        title = f"Choice {'changed' if found else 'made'}: {wanted.name}"
        with history.change_set(tx, actor, "choice.save", title) as recorder:
            if found is None:
                made, _ = insert(tx, recorder, wanted)
                if product_id:
                    attach(tx, recorder, product_id, made)
                return made
            _write(tx, recorder, found, wanted, marks)
        return found.id

    return _naming(raw.get("name", ""), ctx, work)


def insert(tx: Tx, recorder: history.Recorder, choice: Choice) -> tuple[int, dict[int, int]]:
    """A new choice with its entries; returns its id, and by the ids that entries had those that they have now."""
    made = declared.insert(tx, BUYER_CHOICE, values := columns(choice))
    recorder.made("buyer_choice", made, values)
    ids = _write_entries(tx, recorder, made, (), choice.entries)
    return made, {one.id: now for one, now in zip(choice.entries, ids, strict=True)}


def set_when(tx: Tx, recorder: history.Recorder, choice_id: int, waits: Mapping[str, int | None]) -> None:
    """Say what a choice waits for, and with which entry."""
    found = there(tx, choice_id)
    before = {name: columns(found)[name] for name in waits}
    if recorder.changed("buyer_choice", choice_id, before, waits, found.version + 1):
        declared.update(tx, BUYER_CHOICE, choice_id, waits)


def _naming(name: str, ctx: Context, work: Any) -> int:
    try:
        found: int = ctx.db.run(work)
    except DuplicateKey as double:
        raise Refused.because("choice.taken", f"There is a choice “{name.strip()}” already.", "name") from double
    return found


def _of_its_own(wanted: Choice, there: Choice) -> Choice:
    """Entries keep ids that are this choice's."""
    own = {one.id for one in there.entries}
    entries = [one if one.id in own else replace(one, id=0) for one in wanted.entries]
    if not wanted.is_picked and there.entries and not there.is_picked and entries:
        entries = [replace(entries[0], id=there.entries[0].id)]
    return replace(wanted, entries=tuple(entries))


def attach(tx: Tx, recorder: history.Recorder, product_id: int, choice_id: int) -> None:
    """A choice is asked with a product, behind the others."""
    values = {
        "product_id": product_id,
        "buyer_choice_id": choice_id,
        "position": len(store.uses(tx, [product_id], lock=True)),
    }
    recorder.made("choice_use", declared.insert(tx, CHOICE_USE, values), values)


def _doubles(tx: Tx, wanted: Choice) -> list[Problem]:
    """Among what one product asks nothing is called as what is its alone."""
    asked = reading.of_product(tx, wanted.product_id) if wanted.product_id else []
    if not any(one.id != wanted.id and one.name.casefold() == wanted.name.casefold() for one in asked):
        return []
    return [Problem("choice.taken", f"This product asks a choice “{wanted.name}” already.", "name")]


def _dependants(tx: Tx, there: Choice, wanted: Choice) -> list[Problem]:
    """Entries that others wait for can't be taken away."""
    gone = {one.id: one.label for one in there.entries} if there.id else {}
    for one in wanted.entries:
        gone.pop(one.id, None)
    waiting = [row for row in store.waiting_for(tx, there.id) if row["when_entry_id"] in gone] if gone else []
    return [
        Problem("entry.awaited", f"“{row['name']}” is asked only with “{gone[row['when_entry_id']]}”.", "label-0")
        for row in waiting
        if row["when_entry_id"] is not None
    ]


def _write(tx: Tx, recorder: history.Recorder, there: Choice, wanted: Choice, marks: Marks) -> None:
    """Write what this one changed of a choice, and what others did since stays."""
    mine, theirs = flat(wanted), flat(there)
    both = meeting.bring_together(tx, {"buyer_choice": [there.id]}, marks, mine, theirs, _label)
    before, after = columns(there), columns(wanted)
    names = {"default_text": ("default_text",), "when": ("when_choice_id", "when_entry_id")}
    kept = {
        column
        for name in theirs
        if name != "entries" and both[name] != mine[name]
        for column in names.get(name, (name,))
    }
    after |= {name: before[name] for name in kept}
    if recorder.changed("buyer_choice", there.id, before, after, there.version + 1):
        declared.update(tx, BUYER_CHOICE, there.id, after)
    if both["entries"] == mine["entries"]:
        _write_entries(tx, recorder, there.id, store.entries(tx, [there.id]), wanted.entries)


def _label(name: str) -> str:
    return BUYER_CHOICE.field(name).label if name in BUYER_CHOICE.columns() else name.capitalize()


def _write_entries(
    tx: Tx, recorder: history.Recorder, choice_id: int, there: Sequence[EntryRow], wanted: Sequence[Entry]
) -> list[int]:
    """Make the entries of a choice these, in this order; returns their ids."""
    rows = {row["id"]: row for row in there}
    ids: list[int] = []
    for place, entry in enumerate(wanted):
        values = _entry_columns(entry, choice_id, place)
        row = rows.pop(entry.id, None)
        ids.append(row["id"] if row else declared.insert(tx, CHOICE_ENTRY, values))
        if row is None:
            recorder.made("choice_entry", ids[-1], values)
        elif recorder.changed("choice_entry", row["id"], _entry_before(row), values, row["version"] + 1):
            declared.update(tx, CHOICE_ENTRY, row["id"], values)
    for row in rows.values():
        _remove_entry(tx, recorder, row)
    return ids


def _entry_before(row: EntryRow) -> dict[str, Any]:
    return _entry_columns(entry_of(row), row["buyer_choice_id"], row["position"])


def _remove_entry(tx: Tx, recorder: history.Recorder, row: EntryRow) -> None:
    recorder.removed("choice_entry", row["id"], _entry_before(row), row["version"] + 1)
    declared.delete(tx, CHOICE_ENTRY, row["id"])


def remove(ctx: Context, actor: Actor, choice_id: int) -> None:
    """Take a choice away, wherever it is asked; what waited for it is asked always. Raises NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        found = there(tx, choice_id, lock=True)
        with history.change_set(tx, actor, "choice.remove", f"Choice taken away: {found.name}") as recorder:
            for row in store.uses_of(tx, choice_id):
                remove_use(tx, recorder, row)
            remove_whole(tx, recorder, found)

    ctx.db.run(work)


def remove_use(tx: Tx, recorder: history.Recorder, row: UseRow) -> None:
    """A choice is no longer asked with a product."""
    values = {"product_id": row["product_id"], "buyer_choice_id": row["buyer_choice_id"], "position": row["position"]}
    recorder.removed("choice_use", row["id"], values, row["version"] + 1)
    declared.delete(tx, CHOICE_USE, row["id"])


def remove_whole(tx: Tx, recorder: history.Recorder, choice: Choice) -> None:
    """A choice goes with its entries; what waited for it waits no more."""
    for waiting in store.waiting_for(tx, choice.id):
        set_when(tx, recorder, waiting["id"], {"when_choice_id": None, "when_entry_id": None})
    for row in store.entries(tx, [choice.id]):
        _remove_entry(tx, recorder, row)
    recorder.removed("buyer_choice", choice.id, columns(choice), choice.version + 1)
    declared.delete(tx, BUYER_CHOICE, choice.id)


def make_reusable(ctx: Context, actor: Actor, choice_id: int) -> None:
    """A choice that is private to a product can be asked with others too. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    name = ""

    def work(tx: Tx) -> int:
        nonlocal name
        found = there(tx, choice_id, lock=True)
        name = found.name
        if found.product_id is None:
            return choice_id
        if found.when is not None and there(tx, found.when).product_id is not None:
            raise Refused.because(
                "choice.private", "It waits for a choice that only this product has. Make that one reusable first.", ""
            )
        with history.change_set(tx, actor, "choice.reusable", f"Choice made reusable: {name}") as recorder:
            recorder.changed(
                "buyer_choice", choice_id, {"product_id": found.product_id}, {"product_id": None}, found.version + 1
            )
            declared.update(tx, BUYER_CHOICE, choice_id, {"product_id": None})
        return choice_id

    try:
        ctx.db.run(work)
    except DuplicateKey as double:
        raise Refused.because(
            "choice.taken", f"There is a reusable choice “{name}” already. Rename this one first.", "name"
        ) from double
