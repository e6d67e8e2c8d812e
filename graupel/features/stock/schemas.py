"""What the pages of stock send and ask."""

from typing import Annotated

from graupel.core.declarations.stock import RULES
from graupel.features.stock.store import SHOWN
from graupel.web.sent import Among, Marks, MaybeWhole, Search, Sent, one_of

_RULES = tuple(one.name for one in RULES)


class StockAsked(Sent):
    """Which variants are looked at."""

    show: Annotated[str, one_of(SHOWN)] = "counted"
    q: Search = ""
    location: MaybeWhole = None
    after: str = ""


class Booked(Sent):
    """What was typed of a variant at a location, what stood there, and why."""

    variant: int
    location: MaybeWhole = None
    text: str = ""
    shown: str = ""
    reason: str = "corrected"


class RecordAsked(Sent):
    """Whose record is looked at, and from which entry on."""

    variant: MaybeWhole = None
    before: MaybeWhole = None


class Scanned(Sent):
    """Codes that were typed or scanned, one a line; ``began``: when the page was opened, UTC."""

    codes: str = ""
    location: MaybeWhole = None
    to: MaybeWhole = None
    began: str = ""


class LocationTyped(Sent):
    """The name of a location."""

    name: str = ""


class RulesTyped(Sent):
    """Rules of selling; blank: as those above."""

    typed: Annotated[dict[str, str], Among(_RULES)]
    marks: Marks = None


class NoticeTyped(Sent):
    """Who is written to."""

    mails: str = ""
