"""Slips in many rows of a file: gathered by what is wrong, and mended for all of them by the rule of their column."""

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from graupel.core.columns import Rule

LEAVE, BACK, ZEROS, SLASH = "leave", "back", "zeros", "levels:/"
#: Without these no row knows what it means.
_NAMING = ("sku", "code")
#: Said of a picture by who looks for it, and not by who reads the cell.
_PICTURES = ("pictures.unknown", "pictures.several")
#: A number that a spreadsheet shortened, or a day that it made of a code.
_EATEN = re.compile(
    r"\d(?:[.,]\d+)?E\+?\d{1,3}|\d{1,2}[-.](?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)\w*", re.IGNORECASE
)


@dataclass(frozen=True)
class Mend:
    """A way to mend a slip in all rows. ``how``: as a form sends it; ``words``: what it does."""

    how: str
    words: str


_OF_CODE = {
    "weight.no_unit": (Mend("unit:kg", "They are kilograms"), Mend("unit:g", "They are grams")),
    "gtin.zeros": (Mend(ZEROS, "Put the zeros back"),),
    "day.ambiguous": (Mend("days:dmy", "The day stands first"), Mend("days:mdy", "The month stands first")),
    "number.decimal": (Mend("decimal:", "Let each number tell by itself"),),
    "category.slash": (Mend(SLASH, "Read / as the sign between the names"),),
}
_DECIMALS = (Mend("decimal:,", "“,” stands before decimals"), Mend("decimal:.", "“.” stands before decimals"))


def mends(field: str, code: str, *, is_of_cell: bool) -> tuple[Mend, ...]:
    """What can be done about a problem of a column's cells in all rows; nothing where each row has to be looked at.

    ``is_of_cell``: it was found as the cell was read, so that the cell can be left out.
    """
    found = _OF_CODE.get(code, _DECIMALS if code.endswith(".ambiguous") else ())
    leave = (is_of_cell and field not in _NAMING) or code in _PICTURES
    what = "Leave these pictures out" if code in _PICTURES else "Leave these cells out"
    return (*found, *((Mend(LEAVE, what),) if leave else ()))


def mended(rules: Sequence[Rule], field: str, code: str, how: str) -> list[Rule]:
    """The rules with a mend for a column; the same ones where it is none of those that are offered."""
    if how not in (BACK, *(one.how for one in mends(field, code, is_of_cell=True))):
        return list(rules)
    return [_mended(rule, code, how) if rule.field == field else rule for rule in rules]


def _mended(rule: Rule, code: str, how: str) -> Rule:
    if how == LEAVE:
        return replace(rule, left_out=tuple(dict.fromkeys((*rule.left_out, code))))
    if how == BACK:
        return replace(rule, left_out=tuple(one for one in rule.left_out if one != code))
    if how == ZEROS:
        return replace(rule, zeros=True)
    part, _, value = how.partition(":")
    return Rule.of({**rule.as_dict(), part: value})


def looks_eaten(text: str) -> bool:
    """Whether a code looks like a number that a spreadsheet shortened, or a day that it made of it."""
    return bool(_EATEN.fullmatch(text.strip()))


def has_slashes(path: str) -> bool:
    """Whether a category that would be made looks like a path with another sign between its names."""
    return "/" in path and " > " not in path
