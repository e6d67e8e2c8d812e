"""What History is asked for."""

from datetime import date
from typing import Annotated

from pydantic import Field

from graupel.features.history.pieces import Piece
from graupel.web.sent import Marks, Maybe, MaybeWhole, Search, Sent, Texts, Whole


class Searched(Sent):
    """A search among the change sets: words, a person, days in the shop's time zone, kind, field, product."""

    q: Search = ""
    who: Search = ""
    since: Maybe[date] = None
    until: Maybe[date] = None
    kind: str = ""
    field: str = ""
    product: MaybeWhole = None
    before: MaybeWhole = None

    @property
    def texts(self) -> dict[str, str]:
        """As the fields of the search have them."""
        names = ("q", "who", "since", "until", "kind", "field")
        return {name: str(getattr(self, name) or "") for name in names}


class Keeping(Sent):
    """For how many days the record is kept, as typed; "" for ever."""

    flow_days: str = ""
    large_days: str = ""
    rest_days: str = ""
    marks: Marks = None


class OfRecord(Sent):
    """What of a record's history is read: older than a change set, and of one field, or one kind of record, alone."""

    before: MaybeWhole = None
    field: str = ""


class Paged(Sent):
    """Which page of the records of a change set is read, from 1."""

    page: Annotated[Whole, Field(ge=1)] = 1


class Pieces(Sent):
    """What is put back: records, and single fields of them (pieces.Piece)."""

    piece: Texts = ()
    page: Annotated[Whole, Field(ge=1)] = 1

    @property
    def pieces(self) -> list[Piece]:
        """Those of them that can be."""
        return [piece for text in self.piece if (piece := Piece.read(text))]
