"""What a translator does: see what is left, write, say that something still holds."""

import threading
import time
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core import languages, product_fields, products, richtext
from graupel.core import wording as rules
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.core.wording import Piece, Progress, State
from graupel.db import Tx
from graupel.features.destinations import service as destinations
from graupel.features.history import service as history
from graupel.features.translating import store
from graupel.features.translating.store import Asked
from graupel.features.wording import originals
from graupel.features.wording import service as wording
from graupel.features.wording import store as own_values
from graupel.features.wording.originals import Original, Words

PAGE = 20
LONG = 5000
#: After counting for a second, the counts are good for so many seconds, whatever changed.
DEAR = 20
#: Fields with rules of their own; all others are a line, lines, or rich text.
_READERS: dict[str, Callable[[str], str]] = {
    "address_part": product_fields.parse_address_part,
    "key_points": lambda text: "\n".join(product_fields.parse_key_points(text)),
}


@dataclass(frozen=True)
class Text:
    """One text: the original, what stands for it in the other language, and how that stands."""

    kind: str
    record_id: int
    field: str
    words: Words
    original: str
    value: str
    source: str | None
    state: State

    @property
    def key(self) -> str:
        """Its name in a page and in a file."""
        return f"{self.kind}-{self.record_id}-{self.field}"

    @property
    def changed(self) -> list[Piece]:
        """What changed in the original since the translation was written."""
        if self.state is not State.OUTDATED or self.source is None:
            return []
        plain = richtext.to_plain if self.words.rich else str
        return rules.what_changed(plain(self.source), plain(self.original))


@dataclass(frozen=True)
class Record:
    """A record with its texts that fit what was asked; ``others``: how many it has beside them."""

    kind: Original
    id: int
    title: str
    link: str
    texts: list[Text]
    others: int


@dataclass(frozen=True)
class Worklist:
    """A page of records; ``after``: where the next begins, None at the end."""

    records: list[Record]
    after: int | None


def target_of(ctx: Context, lang: str) -> str:
    """A language that can be translated into. Raises NotFound."""
    if lang not in destinations.read_all(ctx).languages:
        raise NotFound(f"The catalogue has no language “{lang[:12]}”. Add it under Shops and languages.")
    return lang


def worklist(ctx: Context, actor: Actor, lang: str, kind: str, asked: Asked, after: int = 0) -> Worklist:
    """Records of a kind with texts that fit, in the order of their ids. Raises NotFound."""
    actor.require(Role.VIEWER)
    target, of = target_of(ctx, lang), originals.of_kind(kind)

    def work(tx: Tx) -> Worklist:
        rows = list(store.records(tx, of, asked, target, ctx.settings.language, after, PAGE + 1))
        found = [_record(of, row, asked) for row in rows[:PAGE]]
        return Worklist(found, found[-1].id if len(rows) > PAGE else None)

    return ctx.db.run(work)


def _record(kind: Original, row: Mapping[str, Any], asked: Asked) -> Record:
    texts = [_text(kind, name, row) for name in kind.fields if row[f"o_{name}"]]
    fitting = [one for one in texts if asked.state in (None, one.state)]
    return Record(kind, row["id"], row["title"], kind.link.format(row["link_id"]), fitting, len(texts) - len(fitting))


def _text(kind: Original, name: str, row: Mapping[str, Any]) -> Text:
    original, value, source = row[f"o_{name}"], row[f"v_{name}"], row[f"s_{name}"]
    state = rules.state(original, value, source)
    return Text(kind.kind, row["id"], name, kind.fields[name], original, value or "", source, state)


def texts(ctx: Context, tx: Tx, lang: str, kinds: list[str], asked: Asked) -> Iterator[tuple[Text, str]]:
    """All texts of some kinds that fit, one by one, each with the title of its record."""
    for name in kinds:
        kind = originals.of_kind(name)
        for row in store.records(tx, kind, asked, lang, ctx.settings.language, 0, None):
            record = _record(kind, row, asked)
            for text in record.texts:
                yield text, record.title


def progress(ctx: Context, actor: Actor, lang: str) -> dict[str, Progress]:
    """How far a language is, by kind of record; kinds without any words are left out. Raises NotFound.

    In a large catalogue the counts may be some seconds old: counting takes at most a twentieth of the time.
    """
    actor.require(Role.VIEWER)
    target = target_of(ctx, lang)

    def count(tx: Tx) -> dict[str, Progress]:
        found = {}
        for kind in originals.all_kinds():
            counts = store.progress(tx, kind, target, ctx.settings.language)
            if any(counts.values()):
                found[kind.kind] = Progress(lang, *(counts[s] for s in (State.MISSING, State.OUTDATED, State.DONE)))
        return found

    return ctx.db.run(
        lambda tx: ctx.keepers.get(ProgressKeeper).get(target, history.written_stamp(tx), lambda: count(tx))
    )


def together(progressed: Mapping[str, Progress], lang: str) -> Progress:
    """The progress of all kinds as one."""
    parts = list(progressed.values())
    return Progress(lang, *(sum(getattr(one, name) for one in parts) for name in ("missing", "outdated", "done")))


class ProgressKeeper:
    """The last counts of each language; one for a process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._kept: dict[str, tuple[str, float, float, dict[str, Progress]]] = {}

    def get(self, lang: str, stamp: str, count: Callable[[], dict[str, Progress]]) -> dict[str, Progress]:
        """The counts, made anew where the catalogue's stamp is another and making them is not too dear by now."""
        with self._lock:
            known, made_at, took, held = self._kept.get(lang, ("", 0.0, 0.0, {}))
        begun = time.monotonic()
        if known == stamp or (known and begun - made_at < took * DEAR):
            return held
        found = count()
        now = time.monotonic()
        with self._lock:
            self._kept[lang] = (stamp, now, now - begun, found)
        return found


# --- writing -------------------------------------------------------------------------------------------------


def parse(words: Words, field: str, text: str) -> str:
    """A typed translation as it is kept; "" for none. Raises Refused."""
    if not text.strip():
        return ""
    if field in _READERS:
        return _READERS[field](text)
    if words.rich:
        return product_fields.parse_description(text)
    if words.long:
        if len(text.strip()) > LONG:
            raise Refused.because("translation.too_long", f"{words.label}: at most {LONG:,} characters are taken.")
        return text.replace("\r\n", "\n").strip()
    return product_fields.one_line(text, products.NAME_LENGTH, words.label, "translation")


def write(
    ctx: Context, actor: Actor, lang: str, kind: str, record_id: int, field: str, text: str, *, confirm: bool = False
) -> Text:
    """Keep a translation; an empty one is taken away. ``confirm``: it stays, and is right for the original as it is.

    Returns the text as it stands then. Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    target, of, words = target_of(ctx, lang), originals.of_kind(kind), originals.field_of(kind, field)
    value = parse(words, field, text)

    def work(tx: Tx) -> Text:
        found = store.originals(tx, of, [record_id], ctx.settings.language).get(record_id)
        if found is None:
            raise NotFound("This is not there any more.")
        row = own_values.one(tx, kind, record_id, "", target, field)
        title = f"Translated into {languages.name(target)}: {words.label} of {_short(found)}"
        with history.change_set(tx, actor, "translation.write", title) as recorder:
            key = f".{target}.{field}"
            wording.write_one(tx, recorder, kind, record_id, key, value, found[field], row, confirm=confirm)
        now = own_values.one(tx, kind, record_id, "", target, field)
        kept, source = (now["value"], now["source"]) if now else ("", None)
        return Text(kind, record_id, field, words, found[field], kept, source, rules.state(found[field], kept, source))

    return ctx.db.run(work)


def _short(words: Mapping[str, str]) -> str:
    first = next((text for text in words.values() if text), "")
    return first if len(first) <= 60 else first[:59] + "…"
