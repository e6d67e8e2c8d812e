"""What a file of records needs to know of a kind of record: how those that are there stand, and how a row is written.

A clerk is made for one transaction, reads all records of its kind once, and remembers what it wrote.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from graupel.core.record_files import RecordColumns
from graupel.db import Tx
from graupel.features.history import service as history
from graupel.features.wording import service as wording

#: What a row says, or a record holds, by the names of columns.
Said = Mapping[str, str]


@dataclass(frozen=True)
class Held:
    """A record that a row means, by kind and id, and what it holds."""

    kind: str
    id: int
    values: Said = field(default_factory=dict)


class Clerk(Protocol):
    """How the records of one kind stand, and are written."""

    columns: RecordColumns

    def named(self, said: Said) -> str:
        """What the record of a row is called."""

    def understood(self, said: Said) -> Said:
        """What a row says, with what it refers to as that is called. Raises Refused where that is not there."""

    def held(self, said: Said) -> Held | None:
        """The record that a row means; None where it is not there."""

    def in_order(self, rows: Sequence[Said]) -> list[int]:
        """The places of rows in the order in which they are written."""

    def begin(self, recorder: history.Recorder, rows: Sequence[Said]) -> list[str]:
        """Look at all rows that are to be written, and make what they need all at once; returns the names of what no
        row says by itself. Raises Refused."""

    def write(self, recorder: history.Recorder, said: Said) -> Held:
        """Make the record of a row what the row says. Raises Refused, DuplicateKey."""

    def end(self, recorder: history.Recorder) -> None:
        """Do what takes all rows that were written."""

    def everything(self) -> Iterator[Said]:
        """All records, as rows of a file."""


def words_key(lang: str, field_name: str) -> str:
    """By what a word in a further language is kept."""
    return f".{lang}.{field_name}"


def own_words(tx: Tx, kind: str, ids: Sequence[int], langs: Sequence[str], names: Mapping[str, str]) -> dict[int, Said]:
    """The words in further languages of records of a kind, by id and the names of their columns.

    ``names``: by field of the record the column of its words in the default language.
    """
    found: dict[int, Said] = {}
    for record_id, own in wording.of_records(tx, kind, ids).items():
        keys = {
            words_key(lang, field_name): f"{lang}.{column}" for lang in langs for field_name, column in names.items()
        }
        found[record_id] = {keys[key]: held.value for key, held in own.items() if key in keys}
    return found


def write_words(
    tx: Tx, recorder: history.Recorder, held: Held, said: Said, names: Mapping[str, str], originals: Said
) -> None:
    """Write words in further languages that a row says, as ``own_words`` has them; ``originals``: by field what they
    translate."""
    columns = {column: field_name for field_name, column in names.items()}
    for name, text in said.items():
        lang, sign, column = name.rpartition(".")
        if sign and column in columns:
            field_name = columns[column]
            sources = {held.id: originals.get(field_name, "")}
            wording.write_several(tx, recorder, held.kind, {held.id: text}, words_key(lang, field_name), sources)
