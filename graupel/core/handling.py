"""How a file is brought in: by what its rows mean goods, what it may do to the catalogue, and how new goods begin."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from enum import StrEnum
from typing import Any

from graupel.core.errors import Refused
from graupel.core.record_files import RowsAre


class Way(StrEnum):
    """What a file may do."""

    BOTH = "both"
    ADD = "add"
    CHANGE = "change"
    EQUAL = "equal"


WAYS: Mapping[Way, str] = {
    Way.BOTH: "adds and changes",
    Way.ADD: "only adds what is new",
    Way.CHANGE: "only changes what is there",
    Way.EQUAL: "is all there is: the rest is archived",
}


def ways_of(rows_are: str) -> dict[Way, str]:
    """What a file of such rows may do, in words: nothing but goods is archived because a file does not have it."""
    return {way: words for way, words in WAYS.items() if way is not Way.EQUAL or rows_are == RowsAre.GOODS}


class Key(StrEnum):
    """By what a row means a variant."""

    SKU = "sku"
    GTIN = "gtin"
    MPN = "mpn"
    ELSEWHERE = "elsewhere"
    CHOICES = "choices"


KEYS: Mapping[str, str] = {
    Key.SKU: "their SKU",
    Key.GTIN: "their GTIN",
    Key.MPN: "their part number",
    Key.ELSEWHERE: "their id elsewhere",
    Key.CHOICES: "product code and choices",
}


@dataclass(frozen=True)
class Handling:
    """``go_live``: new products go live at once; ``show_new``: buyers see new categories at once; ``among``: of which
    goods a file is all there is: "" of all, "category-12", those of a branch, "brand-3"; ``key_by``: a Key, or
    "fact-12", an attribute in which other systems' ids stand; ``rows_are``: what its rows are; ``revive``: archived
    goods that stand in it are for sale again."""

    go_live: bool = False
    show_new: bool = False
    way: Way = Way.BOTH
    among: str = ""
    key_by: str = Key.SKU
    rows_are: RowsAre = RowsAre.GOODS
    revive: bool = False

    @classmethod
    def of(cls, row: Mapping[str, Any]) -> "Handling":
        """As it is kept with a file or a profile."""
        said = {one.name: row[one.name] for one in fields(cls)}
        words = (Way(said["way"]), said["among"] or "", said["key_by"], RowsAre(said["rows_are"]))
        return cls(bool(said["go_live"]), bool(said["show_new"]), *words, bool(said["revive"]))

    def as_row(self) -> dict[str, Any]:
        """As it is kept."""
        return {name: str(value) if isinstance(value, str) else int(value) for name, value in asdict(self).items()}


def refuse_way(chosen: Handling) -> None:
    """Refuses what a file of such rows can't do."""
    if chosen.way not in ways_of(chosen.rows_are):
        raise Refused.because(
            "way.goods", "Only a file of goods can be all there is. Choose what this one may do.", "way"
        )


#: The columns in which it is kept.
FIELDS = tuple(one.name for one in fields(Handling))


def refuse_wrong_number(archived: int, confirmed: str) -> None:
    """Refuses to archive goods where their number was not typed as it is: it was not seen, or is another by now."""
    plain = confirmed.strip().replace(",", "").replace(".", "")
    if archived and plain != str(archived):
        said = f"This file would archive {archived:,}. Type that number to say that you have seen it."
        raise Refused.because("archive.number", said, "confirm")
