"""What the pages of files that come in send and ask."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from graupel.core import file_pictures, record_columns
from graupel.core.file_columns import COLUMNS, FACT, LIST, OWN, STOCK_AT, TAGS
from graupel.core.handling import Handling, Key, Way
from graupel.core.record_files import RowsAre
from graupel.features.files.new_attributes import NEW
from graupel.tables.writing import Out
from graupel.web.sent import File, Marks, MaybeWhole, Named, Search, Sent, Several, Texts, Ticked, Whole

Short = Annotated[str, StringConstraints(max_length=2_000)]
_OWN = rf"{OWN}[a-z0-9]{{0,12}}\.[A-Za-z-]{{0,12}}\.[a-z_]{{1,24}}|{STOCK_AT}\d{{1,9}}|{LIST}\d{{10}}"
#: Of a file of records: a name, with a language before it or without.
_RECORD = rf"(?:[a-z]{{2,3}}(?:-[A-Za-z]{{2,8}})?\.)?(?:{'|'.join(record_columns.NAMES)})"
_ALL = rf"{FACT}\d{{1,9}}|{_OWN}|{_RECORD}"
_FIXED = (*COLUMNS, TAGS, *file_pictures.FIELDS)
#: What a column can go to: a declared field, or an attribute that was there; "" where it is left out.
Target = Annotated[str, StringConstraints(pattern=rf"^(?:|{'|'.join(_FIXED)}|{_ALL})$")]
#: The same, or an attribute that is to be made of it.
Chosen = Annotated[str, StringConstraints(pattern=rf"^(?:|{'|'.join((*_FIXED, *NEW))}|{_ALL})$")]
Parts = dict[Whole, Annotated[str, StringConstraints(max_length=60_000)]]


class Uploaded(Sent):
    """A file to bring in: sent at once, or come in pieces under a key."""

    file: File = None
    upload: Annotated[str, StringConstraints(max_length=300)] = ""
    file_name: Annotated[str, StringConstraints(max_length=1_000)] = ""


class Pasted(Sent):
    """A table as it was copied in a spreadsheet, with its headers."""

    text: Annotated[str, StringConstraints(max_length=2_000_000)] = ""


class Copied(Sent):
    """Which goods of the table are copied, and which of its columns."""

    of: Annotated[str, StringConstraints(max_length=20_000)] = ""
    columns: Annotated[str, StringConstraints(max_length=1_000)] = ""


class Shown(Sent):
    """What of a file is looked at: the rows of one kind with some words. ``waits``: its page waits for how it is
    read."""

    waits: bool = False
    show: str = ""
    by: Annotated[str, StringConstraints(max_length=80)] = ""
    q: Search = ""
    after: MaybeWhole = None


class Matched(Sent):
    """Which column of the file is which field and what is done with its cells, how new goods and categories begin, and
    when stock was counted."""

    column: Annotated[dict[Whole, Chosen], Named("column_")]
    split: Annotated[Parts, Named("split_")] = Field(default_factory=dict)
    part: Annotated[Parts, Named("part_")] = Field(default_factory=dict)
    replaced: Annotated[Parts, Named("replaced_")] = Field(default_factory=dict)
    joined: Annotated[Parts, Named("joined_")] = Field(default_factory=dict)
    unit: Annotated[Parts, Named("unit_")] = Field(default_factory=dict)
    decimal: Annotated[Parts, Named("decimal_")] = Field(default_factory=dict)
    days: Annotated[Parts, Named("days_")] = Field(default_factory=dict)
    empty: Annotated[Parts, Named("empty_")] = Field(default_factory=dict)
    extra_field: Texts = ()
    extra_column: Texts = ()
    extra_fixed: Texts = ()
    extra_split: Texts = ()
    extra_part: Texts = ()
    new_as: Literal["draft", "live"] = "draft"
    new_categories: Literal["hidden", "shown"] = "hidden"
    archived_goods: Literal["left", "again"] = "left"
    counts_at: str = ""
    way: Literal["both", "add", "change", "equal"] = "both"
    among: Annotated[str, StringConstraints(pattern=r"^(?:|(?:category|brand)-\d{1,9})$")] = ""
    key_by: Annotated[str, StringConstraints(pattern=rf"^(?:{'|'.join(Key)}|{FACT}\d{{1,9}})$")] = "sku"
    rows_are: RowsAre = RowsAre.GOODS
    seen: Annotated[str, StringConstraints(max_length=40)] | None = None

    @property
    def handling(self) -> Handling:
        """How the file is brought in."""
        way = Way(self.way)
        among = self.among if way is Way.EQUAL else ""
        shown = self.new_categories == "shown"
        revive = self.archived_goods == "again"
        return Handling(self.new_as == "live", shown, way, among, self.key_by, self.rows_are, revive)

    @property
    def extra(self) -> list[dict[str, str]]:
        """Further rules, each with what was typed for it; rows are told by their fields."""
        names = ("field", "column", "fixed", "split", "part")
        lists = [getattr(self, f"extra_{name}") for name in names]
        return [
            {name: texts[place] if place < len(texts) else "" for name, texts in zip(names, lists, strict=True)}
            for place in range(min(len(self.extra_field), 200))
        ]


class ReadAs(Sent):
    """How a file is read, as chosen."""

    encoding: Short = "utf-8"
    delimiter: Short = ","
    other_delimiter: Short = ""
    quote: Short = '"'
    part: Short = ""
    member: Short = ""
    header: MaybeWhole = None


class Meant(Sent):
    """What the rows of a file are."""

    rows_are: RowsAre = RowsAre.GOODS


class RecordsOut(Meant):
    """Which records go out, and in which format."""

    form: Out = Out.CSV


class Kept(Sent):
    """Under which name the columns of a file are kept."""

    profile: Annotated[str, StringConstraints(max_length=1_000)] = ""


class SourceTyped(Sent):
    """Where files come from by themselves, as typed (core.sources)."""

    name: Short = ""
    place: Annotated[str, StringConstraints(max_length=4_000)] = ""
    profile: Annotated[str, StringConstraints(max_length=20)] = ""
    every: Literal["day", "hour"] = "day"
    at: Annotated[str, StringConstraints(max_length=20)] = ""
    bound: Annotated[str, StringConstraints(max_length=20)] = ""
    leave_out: Ticked = False
    marks: Marks = None


class MendedAll(Sent):
    """What is done about a problem of a column's cells in all rows (core.slips)."""

    field: str = ""
    code: str = ""
    how: str = ""


class HeldForOne(Sent):
    """For which destination the prices of a file are, and in which language its texts; "" everywhere, and the default
    language."""

    destination: Annotated[str, StringConstraints(pattern=r"^[a-z0-9]{0,12}$")] = ""
    lang: Annotated[str, StringConstraints(pattern=r"^[A-Za-z-]{0,12}$")] = ""


class Mended(Sent):
    """Which name that a file would make is read as which that is there."""

    kind: Target
    was: Annotated[str, StringConstraints(max_length=1_000)]
    now: Annotated[str, StringConstraints(max_length=1_000)]


class Used(Sent):
    """By which profile a file is read."""

    profile_id: Whole


class Applied(Sent):
    """Whether refused rows are left out; without it the file is brought in whole or not at all. ``confirm``: how many
    goods it would archive."""

    leave_out: Ticked = False
    confirm: Annotated[str, StringConstraints(max_length=40)] = ""


class Sampled(Sent):
    """Of which product type a sample file is wanted; without one it has all attributes."""

    type: MaybeWhole = None


class Asked(Sent):
    """Of which view of the table the goods are taken out; without one it is all of them. ``change``: which of the files
    that go by themselves is to be changed."""

    of: Annotated[str, StringConstraints(max_length=20_000)] | None = None
    change: MaybeWhole = None


class TakenOut(Sent):
    """What goes out: in which format, which fields, and of which view; ``with_pictures``: as a zip, these beside it;
    ``seen``: through which lens. Under which name, and when, it goes by itself (core.outlets)."""

    form: Out = Out.CSV
    with_pictures: Ticked = False
    fields: Annotated[list[Target], Several()] = Field(default_factory=list)
    of: Annotated[str, StringConstraints(max_length=20_000)] = ""
    seen: Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9.-]{0,24}$")] = ""
    name: Short = ""
    every: Literal["day", "hour"] = "day"
    at: Annotated[str, StringConstraints(max_length=20)] = ""
    marks: Marks = None
