"""What the pages of relations are sent."""

from typing import Annotated

from graupel.features.relations.service import Wish
from graupel.web.sent import Ids, Marks, MaybeWhole, Search, Sent, Ticked


class RelatedTyped(Sent):
    """The related goods of a product, a row each with its kind; and one more, of a kind."""

    others: Ids = ()
    kinds: Ids = ()
    add: MaybeWhole = None
    add_kind: MaybeWhole = None
    marks: Marks = None

    @property
    def wishes(self) -> list[Wish]:
        """What is wanted, in its order."""
        found = [Wish(kind, other) for kind, other in zip(self.kinds, self.others, strict=False)]
        return [*found, *([Wish(self.add_kind, self.add)] if self.add and self.add_kind else [])]


class Looked(Sent):
    """A search for goods to relate."""

    q: Search = ""


class KindTyped(Sent):
    """A kind of relation, as typed."""

    name: Annotated[str, "as typed"] = ""
    mutual: Ticked = False
    offered: Ticked = False
    marks: Marks = None
