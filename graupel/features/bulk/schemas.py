"""What bulk edits send and ask."""

from typing import Annotated

from graupel.features.bulk import service
from graupel.web.sent import Listed, Search, Sent, Texts, Ticked, one_of

Field = Annotated[str, one_of(service.FIELDS)]


class Wanted(Sent):
    """A value for a field of the chosen products, or with ``everything`` of all that the ``query`` finds."""

    field: Field
    value: Texts = ()
    ids: Listed = ()
    everything: Ticked = False
    query: str = ""

    @property
    def typed(self) -> str:
        """Several values a line each."""
        return "\n".join(self.value)


class FieldAsked(Sent):
    """The field that a value is chosen for."""

    field: Field = "status"


class NewWord(Sent):
    """A word that the edit would make; ``sure``: although one much like it is there."""

    field: Field
    name: str = ""
    sure: Ticked = False


class Shown(Sent):
    """Which products of the dry run are looked at."""

    show: str = ""
    q: Search = ""
    after: str = ""


class Again(Sent):
    """Another value; without one the products that were left out are looked at again."""

    value: Texts = ()
