"""What a process holds of the facets of all products and the words of their names, and how it takes in what changed.

What a large act touched is taken in beside, in a thread, a stretch of products at a time: who may lag behind is given
what is there meanwhile, all others wait until all of it is.
"""

import threading
from collections import deque
from collections.abc import Collection, Hashable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from structlog import get_logger

from graupel.context import Context
from graupel.core.facets import FacetIndex, ValueSet
from graupel.core.tables import price_bands
from graupel.core.words import WordIndex, by_word
from graupel.db import Database, Tx
from graupel.features.history import service as history
from graupel.features.products import summary, table_store
from graupel.features.products.facet_snapshot import Snapshot

#: So many of the newest change sets are looked through for those that are not taken in yet.
LOOKED_THROUGH = 500
#: Products are read by so many at once.
AT_ONCE = 20_000
#: An act of more records, or that touched more products, is taken in beside: by so many products at a time, because
#: what is read of them is put in while all others wait.
LARGE, BESIDE = 5_000, 5_000
#: Of fewer products a new process reads everything in a moment, and no snapshot is kept.
WORTH_KEEPING = 10_000
#: A snapshot is kept anew after so many change sets; one that touched many products counts as several.
KEPT_AFTER = 100
TOUCHED_AS_A_SET = 1000

log = get_logger()


@dataclass(frozen=True)
class _Read:
    """Some products as they were read: their ids, the sets of those that have each value, and their words."""

    ids: Sequence[int]
    there: Sequence[int]
    sets: Sequence[ValueSet]
    words: dict[str, list[int]]

    def put_into(self, index: FacetIndex, words: WordIndex) -> None:
        """Put them in, in the place of what was held of them."""
        index.remove(self.ids)
        words.remove(self.ids)
        index.add(self.there, self.sets)
        words.put(self.words)


class FacetKeeper:
    """One for a process. Whoever asks holds ``lock`` while asking."""

    def __init__(self) -> None:
        self.lock = threading.Condition()
        #: How often everything was read.
        self.readings = 0
        self._index = FacetIndex()
        self._words = WordIndex()
        self._known: set[int] = set()
        self._stamp = ""
        self._since_kept = 0
        #: What is taken in beside: ids of change sets, or of the products that one touched.
        self._late: deque[int | Sequence[int]] = deque()
        self._thread: threading.Thread | None = None
        #: The products that were taken in while others are being read beside.
        self._overtaken: set[int] = set()
        self._steps = 0

    @property
    def mark(self) -> str:
        """Another text for whatever is held: history's stamp, and how far what is taken in beside has come."""
        return f"{self._stamp}~{self._steps}" if self._late else self._stamp

    @property
    def is_behind(self) -> bool:
        """Whether something is still being taken in beside."""
        return bool(self._late)

    def imagining(
        self, tx: Tx, lang: str, otherwise: Collection[int], gone: Collection[int], back: Collection[int]
    ) -> "FacetKeeper":
        """One that holds the same but for products that a transaction, which is not to last, sees otherwise, others
        that are gone in it, and categories that are ``back``: of a deleted one what filled it is still held. Of words
        it has those of now. To be asked under ``lock``."""
        other = _Imagining()
        other._index, other._words = self._index.copy(), self._words
        changed = sorted({*otherwise, *self._index.select({"category": back})} if back else otherwise)
        for first in range(0, len(changed), BESIDE):
            some = changed[first : first + BESIDE]
            read = _read(tx, some, lang)
            other._index.remove(some)
            other._index.add(read.there, read.sets)
        other._index.remove(gone)
        return other

    def current(self, ctx: Context, tx: Tx, *, may_lag: bool) -> tuple[FacetIndex, WordIndex]:
        """Facets and words of names as the transaction sees the catalogue; ``may_lag``: or without what a large act did
        that is still being taken in."""
        snapshot = Snapshot(ctx.settings.data_folder, ctx.settings.language)
        self._bring_up(ctx, tx, snapshot)
        while self._late and not may_lag:
            self.lock.wait()
            self._bring_up(ctx, tx, snapshot)
        if self._since_kept >= KEPT_AFTER and len(self._index) >= WORTH_KEEPING and not self._late:
            snapshot.save(tx, self._index, self._words, self._known)
            self._since_kept = 0
        return self._index, self._words

    def _bring_up(self, ctx: Context, tx: Tx, snapshot: Snapshot) -> None:
        stamp = history.stamp(tx)
        if not self._stamp:
            self._begin(ctx, tx, snapshot)
        elif stamp != self._stamp:
            self._take_in(ctx, tx)
        self._stamp = stamp

    def _begin(self, ctx: Context, tx: Tx, snapshot: Snapshot) -> None:
        kept = snapshot.load(tx)
        if kept:
            self._index, self._words, self._known = kept
            self._take_in(ctx, tx)
        else:
            self._read_everything(tx, snapshot.lang)

    def _read_everything(self, tx: Tx, lang: str) -> None:
        self._known = set(history.newest_ids(tx, LOOKED_THROUGH))
        self._index, self._words = read_all(tx, lang)
        self.readings += 1
        self._since_kept = KEPT_AFTER

    def _take_in(self, ctx: Context, tx: Tx) -> None:
        newest = history.newest_ids(tx, LOOKED_THROUGH)
        new = [change_set_id for change_set_id in newest if change_set_id not in self._known]
        if len(new) == LOOKED_THROUGH:
            self._read_everything(tx, ctx.settings.language)
            return
        large = history.larger_than(tx, new, LARGE)
        touched = sorted({one for key in new if key not in large for one in summary.touched_ids(tx, key)})
        self._late.extend(sorted(large))
        if len(touched) > LARGE:
            self._late.append(touched)
        elif touched:
            _read(tx, _together(touched), ctx.settings.language).put_into(self._index, self._words)
            if self._thread:  # it may be reading some of them, as they were before
                self._overtaken.update(touched)
        self._known = set(newest)
        self._since_kept += len(new) + len(touched) // TOUCHED_AS_A_SET
        if self._late and self._thread is None:
            self._thread = threading.Thread(target=self._catch_up, args=[ctx], name="facets", daemon=True)
            self._thread.start()

    def _catch_up(self, ctx: Context) -> None:
        """Take in what is late, one after the other. For the thread.

        It has a connection of its own: all others may be held by those who wait for it.
        """
        db = Database(ctx.settings.database_url, size=1)
        try:
            while late := self._next_late():
                for some in _stretches(db, late):
                    self._take_in_beside(db, some, ctx.settings.language)
                with self.lock:
                    self._late.popleft()
        except Exception as fault:  # whoever asks next begins anew, and is told what is wrong if it still is
            log.error("facets not taken in", fault=str(fault))
            with self.lock:
                self._stamp = ""
                self._late.clear()
                self._thread = None
                self.lock.notify_all()
        finally:
            db.close()

    def _next_late(self) -> int | Sequence[int] | None:
        with self.lock:
            if self._late:
                return self._late[0]
            self._thread = None  # whoever asks after this begins another
            self.lock.notify_all()
            return None

    def _take_in_beside(self, db: Database, ids: Sequence[int], lang: str) -> None:
        """Some products: read while others ask; but those that were taken in meanwhile are newer than what was read."""
        with self.lock:
            self._overtaken.clear()
        read = db.run(lambda tx: _read(tx, ids, lang))
        with self.lock:
            read.put_into(self._index, self._words)
            newer = sorted(one for one in ids if one in self._overtaken) if self._overtaken else ()
            if newer:
                db.run(lambda tx: _read(tx, newer, lang)).put_into(self._index, self._words)
            self._steps += 1
            self._since_kept += len(ids) // TOUCHED_AS_A_SET


class _Imagining(FacetKeeper):
    """One of a catalogue that is imagined: it stays as it is."""

    def current(self, ctx: Context, tx: Tx, *, may_lag: bool) -> tuple[FacetIndex, WordIndex]:
        return self._index, self._words


def _stretches(db: Database, late: int | Sequence[int]) -> list[Sequence[int]]:
    """The products that are late, by so many as are taken in at once."""
    ids = sorted(db.run(lambda tx: summary.touched_ids(tx, late))) if isinstance(late, int) else late
    return [_together(ids[first : first + BESIDE]) for first in range(0, len(ids), BESIDE)]


def _together(ids: Sequence[int]) -> Sequence[int]:
    """Ids that lie close together as a range: what is between them is quicker read along than left out."""
    around = range(ids[0], ids[-1] + 1)
    return around if len(around) <= min(2 * len(ids), table_store.MOST_GROUPED) else ids


def read_all(tx: Tx, lang: str) -> tuple[FacetIndex, WordIndex]:
    """Facets and words of all products; never more than AT_ONCE of them are in memory one by one."""
    index, words, last = FacetIndex(), WordIndex(), 0
    while ids := table_store.ids_after(tx, last, AT_ONCE):
        read = _read(tx, range(ids[0], ids[-1] + 1), lang)
        index.add(read.there, read.sets)
        words.put(read.words)
        last = ids[-1]
    return index, words


def _read(tx: Tx, ids: Sequence[int], lang: str) -> _Read:
    there: list[int] = []
    sets: list[ValueSet] = []
    for facet in table_store.FACET_NAMES:
        for value, found in table_store.facet_groups(tx, facet, ids):
            if facet == "status":  # each product has one
                there += found
            sets += [(facet, seen, found) for seen in _values(facet, value)]
    return _Read(ids, there, sets, by_word(table_store.names(tx, ids, lang)))


def _values(facet: str, value: Any) -> Sequence[Hashable]:
    """The facet's values of products that hold something."""
    if facet == "price":
        low, high = map(Decimal, value.split()) if value else (None, None)
        return price_bands(low, high)
    return (value,)
