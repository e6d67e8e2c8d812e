"""Brands and tags as rows of a file."""

from collections.abc import Iterator, Sequence

from graupel.context import Context
from graupel.core import bars, record_columns
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.record_files import RowsAre
from graupel.db import Tx
from graupel.features.files.records.clerks import Held, Said
from graupel.features.history import service as history
from graupel.features.vocabulary import service as vocabulary


class NameClerk:
    """Brands, with their tags, or tags."""

    def __init__(self, ctx: Context, tx: Tx, rows_are: RowsAre, langs: Sequence[str]) -> None:
        self.columns = record_columns.columns_of(rows_are, langs)
        self._tx, self._kind = tx, str(rows_are)
        names = vocabulary.names_of(tx, self._kind)
        tags = vocabulary.tags_of(tx, self._kind, list(names)) if rows_are is RowsAre.BRAND else {}
        found = [self._as_held(one, name, tags.get(one, ())) for one, name in names.items()]
        self._held = {one.values["name"].casefold(): one for one in found}

    def _as_held(self, record_id: int, name: str, tags: Sequence[str]) -> Held:
        said = bars.joined(sorted(tags, key=str.casefold))
        return Held(self._kind, record_id, {"name": name, "new_name": name, "tags": said})

    def named(self, said: Said) -> str:
        """What the record of a row is called."""
        return said["name"]

    def understood(self, said: Said) -> Said:
        """As it stands: it refers to nothing."""
        return said

    def held(self, said: Said) -> Held | None:
        """The record that a row means, also where it has its new name already; None where it is not there."""
        return self._held.get(said["name"].casefold()) or self._held.get(said.get("new_name", "").casefold())

    def in_order(self, rows: Sequence[Said]) -> list[int]:
        """As they stand."""
        return list(range(len(rows)))

    def begin(self, recorder: history.Recorder, rows: Sequence[Said]) -> list[str]:
        """They need nothing."""
        return []

    def write(self, recorder: history.Recorder, said: Said) -> Held:
        """Make the record of a row what the row says. Raises Refused."""
        there, name, becomes = self.held(said), said["name"], said.get("new_name") or said["name"]
        if there is None and becomes != name:
            what = f"There is no {vocabulary.WORDS[self._kind]} “{name}” that could be called “{becomes}”."
            raise Refused([Problem("name.none", what, "name")])
        record_id = there.id if there else vocabulary.make_within(self._tx, recorder, self._kind, name)
        if there is None and (alike := next((one for one in self._held.values() if one.id == record_id), None)):
            what = vocabulary.WORDS[self._kind]
            raise Refused.because("name.alike", f"“{alike.values['name']}” counts as the same {what}. Write it so.")
        if "tags" in said:
            tags = [one for one in bars.parted(said["tags"]) if one]
            ids = [vocabulary.make_within(self._tx, recorder, "tag", one) for one in tags]
            vocabulary.set_tags(self._tx, recorder, self._kind, record_id, ids)
        if there and said.get("new_name"):
            self._rename(recorder, there, becomes)
        held = there.values if there else {"name": name, "tags": ""}
        called = becomes if said.get("new_name") or not there else held["name"]
        made = Held(self._kind, record_id, {**held, **said, "name": called, "new_name": called})
        self._held.pop(held["name"].casefold(), None)
        self._held[called.casefold()] = made
        return made

    def _rename(self, recorder: history.Recorder, there: Held, name: str) -> None:
        other = self._held.get(name.casefold())
        if other and other.id != there.id:
            what = f"There is a {vocabulary.WORDS[self._kind]} “{other.values['name']}” already. Join the two instead."
            raise Refused([Problem("name.taken", what, "new_name")])
        row = vocabulary.locked(self._tx, self._kind, there.id)
        vocabulary.rename_within(self._tx, recorder, self._kind, row, vocabulary.parse_name(self._kind, name))

    def end(self, recorder: history.Recorder) -> None:
        """Nothing is left to do."""

    def everything(self) -> Iterator[Said]:
        """All of them, by name."""
        yield from (one.values for one in sorted(self._held.values(), key=lambda one: one.values["name"].casefold()))
