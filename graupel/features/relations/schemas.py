"""What the pages of relations are sent."""

from itertools import chain, repeat, zip_longest
from typing import Annotated

from graupel.features.relations.cheaper import Wish
from graupel.web.sent import Ids, Marks, MaybeWhole, Search, Sent, Texts, Ticked


class RelatedTyped(Sent):
    """The related goods of a product, a row each with its kind; and one more, of a kind."""

    others: Ids = ()
    kinds: Ids = ()
    less: Texts = ()
    begins: Texts = ()
    ends: Texts = ()
    add: MaybeWhole = None
    add_kind: MaybeWhole = None
    marks: Marks = None

    @property
    def wishes(self) -> list[Wish]:
        """What is wanted, in its order."""
        said = zip_longest(self.less, self.begins, self.ends, fillvalue="")
        rows = zip(self.kinds, self.others, chain(said, repeat(("", "", ""))), strict=False)
        found = [Wish(kind, other, *texts) for kind, other, texts in rows]
        return [*found, *([Wish(self.add_kind, self.add)] if self.add and self.add_kind else [])]


class Looked(Sent):
    """A search for goods to relate."""

    q: Search = ""


class RuleTyped(Sent):
    """A rule by categories."""

    rule_kind: MaybeWhole = None
    of_category: MaybeWhole = None
    other_category: MaybeWhole = None


class LinesTyped(Sent):
    """Relations as lines."""

    text: Annotated[str, "as typed"] = ""


class Replacing(Sent):
    """Another product in the place of one: which, and in how many places that was shown."""

    by: MaybeWhole = None
    shown: MaybeWhole = None


class ReplaceAsked(Sent):
    """A search for what is put in the place, or what was chosen."""

    q: Search = ""
    by: MaybeWhole = None


class KindTyped(Sent):
    """A kind of relation, as typed."""

    name: Annotated[str, "as typed"] = ""
    mutual: Ticked = False
    offered: Ticked = False
    marks: Marks = None
