"""Translations as a file: out, and in again with a dry run."""

import csv
import hashlib
import io
import json
import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import BinaryIO

from graupel import storage
from graupel.context import Context
from graupel.core import languages
from graupel.core import wording as rules
from graupel.core.cells import harmless
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.core.wording import State
from graupel.db import Tx
from graupel.db.loading import load_rows
from graupel.features.history import service as history
from graupel.features.translating import service, store, xliff
from graupel.features.translating.store import Asked
from graupel.features.translating.xliff import Unit
from graupel.features.wording import originals
from graupel.features.wording import store as own_values
from graupel.tables import reading

HEADERS = ("key", "record", "field", "original", "translation", "state")
SAMPLES = 30
MOST_UNITS = 200_000
#: Of so many records at a time the words are read.
AT_ONCE = 2000


# --- out -----------------------------------------------------------------------------------------------------


def take_out(ctx: Context, actor: Actor, lang: str, kinds: list[str], asked: Asked, form: str) -> Iterator[bytes]:
    """The texts that are asked for, as XLIFF or as a table (CSV); one by one. Raises NotFound."""
    actor.require(Role.VIEWER)
    target = service.target_of(ctx, lang)
    wanted = [originals.of_kind(kind).kind for kind in kinds] or [one.kind for one in originals.all_kinds()]
    found = ctx.db.run(lambda tx: list(service.texts(ctx, tx, target, wanted, asked)))
    if form == "xliff":
        return (piece.encode() for piece in xliff.write(found, ctx.settings.language, target))
    return _table(found)


def _table(found: Iterable[tuple[service.Text, str]]) -> Iterator[bytes]:
    out = io.StringIO()
    writer = csv.writer(out)

    def piece() -> bytes:
        text = out.getvalue()
        out.seek(0)
        out.truncate()
        return text.encode()

    writer.writerow(HEADERS)
    yield b"\xef\xbb\xbf" + piece()
    for text, title in found:
        cells = (text.key, title, text.words.label, text.original, text.value, str(text.state))
        writer.writerow(map(harmless, cells))
        yield piece()


# --- in ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Incoming:
    """One text that comes in, checked. ``source``: the original that it was written for; ``before``: what stood there.

    ``is_behind``: the original changed since the file went out, so that it comes in as out of date.
    ``lost``: what of the original's markup the translation does not hold, such as "1 link". ``mark``: short for what
    stood there and the original, so that a later look sees whether either changed.
    """

    key: str
    kind: str = ""
    record_id: int = 0
    field: str = ""
    value: str = ""
    source: str = ""
    before: str = ""
    is_behind: bool = False
    rich: bool = False
    lost: tuple[str, ...] = ()
    line: int = 0
    mark: str = ""


@dataclass(frozen=True)
class TranslationPlan:
    """The dry run of a file: what is new, changes, stays as it is, and what can't come in."""

    name: str
    sha256: str
    new: list[Incoming] = field(default_factory=list)
    changed: list[Incoming] = field(default_factory=list)
    unchanged: int = 0
    empty: int = 0
    behind: int = 0
    refused: list[Problem] = field(default_factory=list)

    @property
    def bare(self) -> int:
        """How many of them lost markup of their originals."""
        return sum(bool(one.lost) for one in self.new + self.changed)


def keep(ctx: Context, actor: Actor, content: BinaryIO) -> str:
    """Store a file that came in; returns the SHA-256 under which it is kept. Raises Refused."""
    actor.require(Role.EDITOR)
    data = content.read()
    if not data.strip():
        raise Refused.because("file.empty", "This file is empty.", "file")
    digest = hashlib.sha256(data).hexdigest()
    storage.write(ctx.folder("translations") / digest, data)
    return digest


def plan(ctx: Context, actor: Actor, lang: str, sha256: str, name: str) -> TranslationPlan:
    """What the file would do; writes nothing. Raises Refused where it can't be read, NotFound."""
    actor.require(Role.VIEWER)
    target = service.target_of(ctx, lang)
    path = _path(ctx, sha256)
    units = _units(path, target)
    return ctx.db.run(lambda tx: _plan(ctx, tx, target, units, TranslationPlan(name, sha256)))


def remember(ctx: Context, plan: TranslationPlan) -> str:
    """Keep what a dry run saw, so that what changes after it is left out; returns under which name."""
    seen = json.dumps({one.key: one.mark for one in [*plan.new, *plan.changed]}, sort_keys=True).encode()
    digest = hashlib.sha256(seen).hexdigest()
    path = ctx.folder("translations") / f"{digest}.seen"
    if not path.is_file():
        storage.write(path, seen)
    return digest


def _remembered(ctx: Context, digest: str) -> dict[str, str]:
    """What a dry run saw. Raises Refused where that is not known any more."""
    path = ctx.folder("translations") / f"{digest}.seen"
    if not (re.fullmatch("[0-9a-f]{64}", digest) and path.is_file()):
        raise Refused.because("plan.outdated", "Look at the dry run again before the texts come in.", "file")
    return dict(json.loads(path.read_bytes()))


def _path(ctx: Context, sha256: str) -> Path:
    path = ctx.folder("translations") / sha256
    if not (len(sha256) == 64 and sha256.isalnum() and path.is_file()):
        raise NotFound("This file is not there any more. Choose it again.")
    return path


def _units(path: Path, target: str) -> list[Unit]:
    """The texts of a file, XLIFF or a table. Raises Refused."""
    with path.open("rb") as file:
        head = file.read(400).lstrip(b"\xef\xbb\xbf \r\n\t")
    if head.startswith(b"<"):
        lang, units = xliff.read(path.read_bytes())
        if lang != target:
            said = languages.name(lang) if lang else "no language"
            raise Refused.because(
                "xliff.language", f"This file is for {said}, not for {languages.name(target)}.", "file"
            )
    else:
        units = _rows(path)
    if len(units) > MOST_UNITS:
        raise Refused.because("file.too_long", f"At most {MOST_UNITS:,} texts are taken at once.", "file")
    return units


def _rows(path: Path) -> list[Unit]:
    found = reading.find(path, path.parent, _known)
    table = reading.table(path, path.parent, found.shape)
    headers = [cell.lower() for cell in table.headers]
    missing = [name for name in ("key", "translation") if name not in headers]
    if missing:
        raise Refused.because(
            "table.columns",
            f"The table has no column “{missing[0]}”. Take one out here, fill it, and bring it in.",
            "file",
        )

    def cell(cells: list[str], name: str) -> str:
        place = headers.index(name) if name in headers else -1
        return cells[place] if 0 <= place < len(cells) else ""

    return [
        Unit(cell(row.cells, "key").strip(), cell(row.cells, "original"), cell(row.cells, "translation"), row.line)
        for row in table.rows
    ]


def _known(cells: Sequence[str]) -> int:
    return len({cell.strip().lower() for cell in cells} & {"key", "original", "translation"})


def _plan(ctx: Context, tx: Tx, target: str, units: list[Unit], begun: TranslationPlan) -> TranslationPlan:
    problems: list[Problem] = []
    wanted: dict[str, Incoming] = {}
    for unit in units:
        try:
            wanted[unit.key] = _named(unit)
        except (Refused, NotFound) as error:
            message = error.problems[0].message if isinstance(error, Refused) else str(error)
            problems.append(Problem("unit.unknown", message, row=unit.line))
    by_kind: dict[str, list[Incoming]] = {}
    for one in wanted.values():
        by_kind.setdefault(one.kind, []).append(one)
    new: list[Incoming] = []
    changed: list[Incoming] = []
    counts = {"unchanged": 0, "empty": 0, "behind": 0}
    for kind, ones in by_kind.items():
        for start in range(0, len(ones), AT_ONCE):
            part = ones[start : start + AT_ONCE]
            _sort(ctx, tx, target, kind, part, new, changed, counts, problems)
    return TranslationPlan(begun.name, begun.sha256, new, changed, refused=problems, **counts)


def _named(unit: Unit) -> Incoming:
    """The text that a unit means. Raises Refused, NotFound."""
    kind, _, rest = unit.key.partition("-")
    number, _, name = rest.partition("-")
    if not number.isdecimal() or len(number) > 9:
        raise Refused.because("unit.key", f"“{unit.key[:60]}” is no key of a text of this catalogue.")
    originals.field_of(kind, name)
    return Incoming(unit.key, kind, int(number), name, unit.target, unit.source, line=unit.line)


def _sort(
    ctx: Context,
    tx: Tx,
    target: str,
    kind: str,
    part: list[Incoming],
    new: list[Incoming],
    changed: list[Incoming],
    counts: dict[str, int],
    problems: list[Problem],
) -> None:
    """Into what each of some texts of a kind would do."""
    ids = sorted({one.record_id for one in part})
    words = store.originals(tx, originals.of_kind(kind), ids, ctx.settings.language)
    there = {
        (row["record_id"], row["field"]): row
        for row in own_values.of_records(tx, kind, ids)
        if row["lang"] == target and not row["destination"]
    }
    for one in part:
        original, field_words = words.get(one.record_id, {}).get(one.field), originals.field_of(kind, one.field)
        try:
            if original is None:
                raise NotFound(f"What “{one.key}” belongs to is not there any more.")
            value = service.parse(field_words, one.field, one.value)
        except (Refused, NotFound) as error:
            message = error.problems[0].message if isinstance(error, Refused) else str(error)
            problems.append(Problem("unit.refused", message, row=one.line))
            continue
        row = there.get((one.record_id, one.field))
        source = one.source or original
        is_behind = bool(one.source) and rules.state(original, value or "x", source) is State.OUTDATED
        ready = replace(
            one,
            value=value,
            source=source,
            before=row["value"] if row else "",
            is_behind=is_behind,
            rich=field_words.rich,
            lost=tuple(rules.lost_markup(source, value)) if field_words.rich else (),
            mark=hashlib.sha256(json.dumps([row["value"] if row else "", original]).encode()).hexdigest()[:12],
        )
        if not value:
            counts["empty"] += 1
        elif row and row["value"] == value and (row["source"] == source or is_behind):
            counts["unchanged"] += 1
        else:
            counts["behind"] += is_behind
            (changed if row else new).append(ready)


@dataclass(frozen=True)
class BroughtIn:
    """How many texts came in, and how many were left out because they, or their originals, had changed."""

    texts: int
    moved: int = 0


def apply(ctx: Context, actor: Actor, lang: str, sha256: str, name: str, seen: str | None = None) -> BroughtIn:
    """Bring the texts of a file in, as one change set. What can't come in is left out, and what changed since the dry
    run that ``remember`` kept as ``seen``; with None there was none.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    target = service.target_of(ctx, lang)
    units = _units(_path(ctx, sha256), target)
    marks = _remembered(ctx, seen) if seen is not None else None

    def work(tx: Tx) -> BroughtIn:
        found = _plan(ctx, tx, target, units, TranslationPlan(name, sha256))
        wanted = [*found.new, *found.changed]
        same = [one for one in wanted if marks is None or marks.get(one.key) == one.mark]
        moved = len(wanted) - len(same)
        rows = [(one.kind, one.record_id, one.field, one.value, one.source) for one in same]
        if not rows:
            return BroughtIn(0, moved)
        store.make_incoming(tx)
        load_rows(tx, "incoming", ("kind", "record_id", "field", "value", "source"), rows)
        title = f"{languages.name(target)} brought in: {name[:120]}"
        with history.change_set(tx, actor, "translation.bring_in", title) as recorder:
            return BroughtIn(store.apply_incoming(tx, recorder.change_set_id, target), moved)

    return ctx.db.run(work)


@dataclass(frozen=True)
class IncomingPage:
    """A page of a dry run's texts. ``next``: how many stand before the next page, None at the end."""

    shown: str
    search: str
    texts: list[Incoming]
    next: int | None


def page_of(plan: TranslationPlan, shown: str = "", search: str = "", after: int = 0) -> IncomingPage:
    """The new or the changed texts of a dry run, those that lost markup before all others. ``search``: in the texts."""
    asked = shown if shown in ("new", "changed") else "new" if plan.new or not plan.changed else "changed"
    sought = search.casefold()
    found = [
        one
        for one in sorted(plan.new if asked == "new" else plan.changed, key=lambda one: not one.lost)
        if not sought or any(sought in text.casefold() for text in (one.key, one.source, one.value, one.before))
    ]
    more = after + SAMPLES if len(found) > after + SAMPLES else None
    return IncomingPage(asked, search, found[after : after + SAMPLES], more)
