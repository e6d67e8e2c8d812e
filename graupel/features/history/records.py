"""The kinds of record that the journal knows: what each area declared of them, and how sets of them are put back."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from graupel.core.records import Record
from graupel.db import Tx


@dataclass(frozen=True)
class Column:
    """Where a field stands in SQL.

    ``is_number``: written without quotes in the journal. ``refers_to``: the kind of record whose id it holds.
    ``beside``: a field with which it changes; where that was written too, a roll back does not mind that this one
    was moved on since, as a place among siblings is. ``empty``: what it holds where there is nothing, None for NULL.
    ``optional``: the record can do without what it refers to.
    """

    sql: str
    is_number: bool = False
    refers_to: str = ""
    beside: str = ""
    empty: str | int | None = None
    optional: bool = False


@dataclass(frozen=True)
class Shown:
    """How a record is named in History, and where its page is."""

    title: str
    link: str = ""


Describe = Callable[[Tx, Sequence[int]], dict[int, Shown]]


@dataclass(frozen=True)
class RecordKind:
    """A kind of record as it was declared, and how a set of them is put back.

    ``describe`` names records by their ids.
    ``removable`` is a condition under which a record that was made may be removed again; where ``retired_when``
    holds instead, it stays and its ``retire`` (field, value) is set; where ``follows_when`` holds, it shares the
    lot of its parent and is not counted. ``settle``: is called with the change set before its first record is put
    back, to look at what these conditions ask of many records at once. ``whole_when``: holds for every record that
    came back as it should, ``lacking`` says what is wrong where it does not.
    ``reversible`` False: a roll back leaves it. ``at_once``: it reaches outside, so it is not prepared. ``alone``
    False: it goes back only with all of its change set, as do its fields ``not_alone``; ``stays``: one that was
    made is not taken away by itself either. ``describe_values``: names a record that is gone by its values, where
    no name of its own stands among them; ``telling``: the fields that History shows, where not all of them say
    something to people; ``calls``: of a record that is one value of another, what that is called, by id, from the
    values that the journal has of it. ``books``: what a roll back does, once, instead of taking records back, where
    what they did can only be made up for. ``flows``: comes in by itself all day, and nothing that people wrote
    changes with it. ``spares``: of fields that hold no value twice, SQL of what a record holds instead where another
    is imagined with its value.
    """

    record: Record
    describe: Describe
    removable: str = "TRUE"
    retired_when: str = "FALSE"
    retire: tuple[str, str] = ("", "")
    follows_when: str = "FALSE"
    settle: Callable[[Tx, int, str], None] | None = None
    whole_when: str = ""
    lacking: str = ""
    reversible: bool = True
    at_once: bool = False
    alone: bool = True
    not_alone: tuple[str, ...] = ()
    stays: bool = False
    describe_values: Callable[[Tx, Mapping[str, Any]], str] | None = None
    telling: tuple[str, ...] = ()
    calls: Callable[[Tx, Mapping[int, Mapping[str, Any]]], dict[int, str]] | None = None
    books: Callable[[Any], None] | None = None
    flows: bool = False
    spares: tuple[tuple[str, str], ...] = ()

    @property
    def name(self) -> str:
        """The kind, as the journal writes it."""
        return self.record.name

    @property
    def label(self) -> str:
        """What it is called."""
        return self.record.label

    @property
    def plain(self) -> str:
        """The table that holds its id."""
        return self.record.plain

    @property
    def key(self) -> str:
        """SQL of its id."""
        return f"{self.record.alias}.id"

    @property
    def version(self) -> str:
        """SQL of its version."""
        return f"{self.record.alias}.version"

    @property
    def touch(self) -> str:
        """Further SQL for a SET that changes it."""
        return f", {self.record.alias}.changed_at = UTC_TIMESTAMP(3)" if self.record.stamped else ""

    @property
    def holds_its_own(self) -> bool:
        """Whether one record may stand in another of the kind, as categories do."""
        return any(field.refers_to == self.name for field in self.record.fields)

    @cached_property
    def table(self) -> str:
        """The FROM clause with the aliases that the columns use; it may use the bound ``%(lang)s``."""
        record, beside = self.record, self.record.beside
        joined = f" JOIN {beside.table} {beside.alias} ON {beside.alias}.{beside.key} = {self.key} " if beside else ""
        return f"{record.plain} {record.alias}{joined}" + (f"AND {beside.alias}.lang = %(lang)s" if beside else "")

    @cached_property
    def fields(self) -> dict[str, Column]:
        """Its fields by name, as they stand in SQL."""
        return {
            one.name: Column(
                self.record.column(one.name), one.is_number, one.refers_to, one.moves_with, one.empty, one.optional
            )
            for one in self.record.fields
            if not one.booked
        }


_KINDS: dict[str, RecordKind] = {}


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
