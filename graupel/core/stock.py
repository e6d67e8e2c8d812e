"""Stock: what somebody types of it, why it changed, from which locations goods are taken.

Stock is never written, only booked: each entry says by how much it changed and why, and the entries of a variant at a
location add up to what is there. So two people who add 5 make 10, and a roll back books the opposite.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from enum import StrEnum

from graupel.core import quantities
from graupel.core.errors import Refused
from graupel.core.problems import Problem

MOST = Decimal(100_000_000)
PLACES = 2
_EXAMPLE = "Write it like +20, -3 or =50."


class Reason(StrEnum):
    """Why stock changed."""

    CORRECTED = "corrected"
    COUNTED = "counted"
    RECEIVED = "received"
    SOLD = "sold"
    RETURNED = "returned"
    LOST = "lost"
    MOVED = "moved"


#: What a person may choose; sales come from outside, and moves have a page of their own.
TYPED_REASONS = (Reason.CORRECTED, Reason.COUNTED, Reason.RECEIVED, Reason.RETURNED, Reason.LOST)


class How(StrEnum):
    """What a typed text does: changes stock by an amount, says how much there is, or ends the counting."""

    BY = "by"
    COUNT = "count"
    NOT_COUNTED = "not counted"


@dataclass(frozen=True)
class Typed:
    """What somebody typed of the stock of a variant at a location."""

    how: How
    amount: Decimal = Decimal(0)

    def change(self, held: Decimal) -> Decimal:
        """By how much it changes what is there."""
        if self.how is How.BY:
            return self.amount
        return self.amount - held if self.how is How.COUNT else -held

    @property
    def changes(self) -> bool:
        """Whether it may do anything."""
        return self.how is not How.BY or bool(self.amount)


def plain(amount: Decimal) -> Decimal:
    """The same amount without needless noughts: 3.00 is 3."""
    whole = amount.to_integral_value()
    return whole.quantize(Decimal(1)) if amount == whole else amount.normalize()


def quantity(text: str, what: str = "quantity") -> Decimal:
    """A quantity with at most two decimals, "24", "0.5", "1 200". Raises Refused."""
    said = " ".join(str(text).replace("\u00a0", " ").split())
    if not re.fullmatch(r"-?[\d .,']*\d[\d .,']*", said):
        raise Refused.because(f"{what}.not_a_number", f"“{said[:40]}” is no {what}. Write a number such as 24 or 2.5.")
    found, _ = quantities.split_number(said, what, "24 or 2.5")
    if abs(found) > MOST:
        raise Refused.because(f"{what}.too_large", f"“{said[:40]}” is more than can be meant.")
    if found != round(found, PLACES):
        raise Refused.because(f"{what}.too_fine", f"“{said[:40]}” has more than two decimals. Round it.")
    return plain(round(found, PLACES))


def parse(text: str, shown: Decimal | None = None) -> Typed:
    """What was typed: "+20" and "-3" change it, "=50" says how much there is, nothing ends the counting.

    A bare number changes it by what it differs from ``shown``, which stood there while it was typed: sales of the
    meantime stay taken off. Where stock is below 0, "-3" changes it too; "=-3" says it. Raises Refused.
    """
    said = str(text).replace("\u00a0", " ").strip()
    if not said:
        return Typed(How.NOT_COUNTED)
    sign, rest = (said[0], said[1:].strip()) if said[0] in "+-=−" else ("", said)
    if not rest or (sign in "+-−" and rest[0] in "+-=−"):
        raise Refused.because("stock.not_a_number", f"“{said[:40]}” says no number. {_EXAMPLE}")
    try:
        number = quantity(rest, "stock")
    except Refused as refusal:
        if refusal.problems[0].code == "stock.not_a_number":
            raise Refused.because(
                "stock.not_a_number", f"“{said[:40]}” is no number of pieces. {_EXAMPLE}"
            ) from refusal
        raise
    if sign == "=":
        return Typed(How.COUNT, number)
    if sign:
        return Typed(How.BY, number if sign == "+" else -number)
    return Typed(How.COUNT, number) if shown is None else Typed(How.BY, number - shown)


def count(text: str) -> Decimal | None:
    """How much there is, "24" or "-3", None where it is not counted. Raises Refused."""
    said = str(text).replace("\u00a0", " ").strip()
    return quantity(said.removeprefix("="), "stock") if said else None


def show(amount: Decimal | int | None) -> str:
    """An amount as people read it, "" where there is none."""
    return "" if amount is None else f"{plain(Decimal(amount)):f}"


def taken(levels: Sequence[tuple[int, Decimal]], amount: Decimal) -> dict[int, Decimal]:
    """From which locations an amount is taken; ``levels``: locations in their order of use, with what is there.

    What is more than all of them hold is taken from the first, which then has less than nothing.
    """
    left, found = amount, dict.fromkeys((location for location, _ in levels), Decimal(0))
    for location, there in levels:
        part = min(max(there, Decimal(0)), left)
        found[location] += part
        left -= part
    if left and levels:
        found[levels[0][0]] += left
    return {location: part for location, part in found.items() if part}


def given_back(taken_from: Mapping[int, Decimal], amount: Decimal, first: int) -> dict[int, Decimal]:
    """To which locations an amount goes back: where it was taken, the last first; anything beyond to ``first``."""
    left, found = amount, {}
    for location, part in reversed(list(taken_from.items())):
        back = min(part, left)
        if back > 0:
            found[location] = back
            left -= back
    if left:
        found[first] = found.get(first, Decimal(0)) + left
    return found


@dataclass(frozen=True)
class CodeLine:
    """A code that was typed or scanned, and how many."""

    line: int
    code: str
    amount: Decimal


_CODE_LINE = re.compile(r"(\S.*?)(?:\s*[;\t×*]\s*|\s+[x×]\s*)([\d.,]+)\s*|(\S+)\s+([\d.,]+)\s*|(\S+)\s*")
MOST_CODES = 5_000


def read_codes(text: str) -> tuple[list[CodeLine], list[Problem]]:
    """Codes as a scanner types them, one a line, with a number behind where it is not one: "NDL-4", "NDL-4 12".

    What can't be read is named with its line.
    """
    found, problems = [], []
    for number, line in enumerate(text.splitlines()[:MOST_CODES], 1):
        if not line.strip():
            continue
        match = _CODE_LINE.fullmatch(line.strip())
        try:
            if match is None:
                raise Refused.because("code.line", f"“{line.strip()[:40]}” is no code with a number. Write NDL-4 12.")
            code, amount = match[1] or match[3] or match[5], match[2] or match[4]
            found.append(CodeLine(number, code, quantity(amount) if amount else Decimal(1)))
        except Refused as refusal:
            problems += [one.at(row=number) for one in refusal.problems]
    return found, problems


def moment(text: str) -> datetime | None:
    """A moment, UTC, as our page wrote it; None for none, and for what it did not write."""
    try:
        return datetime.fromisoformat(text) if text else None
    except ValueError:
        return None
