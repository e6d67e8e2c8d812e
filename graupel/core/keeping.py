"""For how long the record keeps what acts changed: a time for each kind of them."""

from dataclasses import dataclass

from graupel.core.errors import Refused
from graupel.core.problems import Problem

#: What a reduction is told with needs the prices of 30 days before it, of a sale that may have begun a while ago.
LEAST_DAYS = 60
MOST_DAYS = 36_500


@dataclass(frozen=True)
class Group:
    """Acts that are kept alike. ``field``: of the record that says for how long; ``kinds``: the beginnings of their
    kinds; () for all that no other group has."""

    field: str
    label: str
    help: str
    kinds: tuple[str, ...] = ()


GROUPS = (
    Group(
        "flow_days",
        "Orders, stock and what time brings",
        "what comes in by itself all day",
        ("order.", "stock.", "review.", "goods.", "kits.", "sale.time", "listing.state"),
    ),
    Group(
        "large_days",
        "Files and bulk edits",
        "what was written by many at once, with the rows that were read",
        ("files.", "bulk.", "translation.bring_in", "relations.file"),
    ),
    Group("rest_days", "All else", "what people changed one by one, and what was rolled back"),
)


def parse(texts: dict[str, str]) -> dict[str, int | None]:
    """Days as typed, by field; "" is for ever. Raises Refused with a problem for each that is none."""
    found: dict[str, int | None] = {}
    problems = []
    for group in GROUPS:
        text = texts.get(group.field, "").strip()
        if text and not (text.isascii() and text.isdigit() and LEAST_DAYS <= int(text[:9]) <= MOST_DAYS):
            said = (
                f"At least {LEAST_DAYS} days, or nothing for ever: a sale is told with the prices of 30 days before it."
            )
            problems.append(Problem("keeping.days", said, group.field))
        else:
            found[group.field] = int(text) if text else None
    if problems:
        raise Refused(problems)
    return found
