"""The kinds of record that the journal knows; each area registers its own."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from graupel.db import Tx


@dataclass(frozen=True)
class Column:
    """Where a field stands in SQL.

    ``is_number``: written without quotes in the journal. ``refers_to``: the kind of record whose id it holds.
    ``beside``: a field with which it changes; where that was written too, a roll back does not mind that this one
    was moved on since, as a place among siblings is.
    """

    sql: str
    is_number: bool = False
    refers_to: str = ""
    beside: str = ""


@dataclass(frozen=True)
class Shown:
    """How a record is named in History, and where its page is."""

    title: str
    link: str = ""


@dataclass(frozen=True)
class RecordKind:
    """A kind of record, and how a set of them is put back.

    ``table`` is the FROM clause with the aliases that ``key``, ``version`` and the columns use (it may use
    the bound ``%(lang)s``); ``plain`` is the table that holds its id; ``touch`` is further SQL for a SET.
    ``removable`` is a condition under which a record that was made may be removed again, ``foreseen`` the same as
    it will be once the records of the same set went back, for the dry run; where ``retired_when``
    holds instead, it stays and its ``retire`` (field, value) is set; where ``follows_when`` holds, it shares the
    lot of its parent and is not counted. ``revive`` are the INSERTs that make removed records again, where one
    table with the columns of ``fields`` is not all. ``reversible`` False: a roll back leaves it.
    """

    name: str
    label: str
    describe: Callable[[Tx, Sequence[int]], dict[int, Shown]]
    plain: str = ""
    table: str = ""
    key: str = ""
    version: str = ""
    fields: dict[str, Column] = field(default_factory=dict)
    removable: str = "TRUE"
    foreseen: str = ""
    retired_when: str = "FALSE"
    retire: tuple[str, str] = ("", "")
    follows_when: str = "FALSE"
    touch: str = ""
    revive: tuple[str, ...] = ()
    reversible: bool = True


Listener = Callable[[Tx, int], None]
_KINDS: dict[str, RecordKind] = {}
_LISTENERS: list[Listener] = []


def register(kind: RecordKind) -> RecordKind:
    """Make a kind known. The order of registering is the order of the areas: parents first."""
    _KINDS[kind.name] = kind
    return kind


def amend(name: str, **changed: Any) -> None:
    """Change what is known of a kind, where that depends on areas that come after it."""
    _KINDS[name] = replace(_KINDS[name], **changed)


def kinds() -> list[RecordKind]:
    """All kinds, parents before children."""
    return list(_KINDS.values())


def kind_of(name: str) -> RecordKind:
    """The kind of this name."""
    return _KINDS[name]


def on_recorded(listener: Listener) -> Listener:
    """Register a function called, in the same transaction, with each change set that was recorded."""
    if listener not in _LISTENERS:
        _LISTENERS.append(listener)
    return listener


def listeners() -> list[Listener]:
    """The registered listeners."""
    return _LISTENERS
