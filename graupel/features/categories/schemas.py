"""What the pages of the category trees send and ask."""

from typing import Annotated, Any, Literal

from graupel.features.vocabulary.schemas import FactsTyped
from graupel.web.sent import (
    Among,
    Listed,
    Marks,
    MaybeParent,
    MaybeWhole,
    Named,
    Parent,
    Search,
    Sent,
    Texts,
    Ticked,
)

#: The fields of a category that are one text each.
SINGLE = (
    "name", "kind", "link", "description", "address_part", "canonical", "meta_title", "meta_description", "picture_id",
    "picture_alt", "search_words", "layout", "lead_product_id",
)  # fmt: skip


class Drawn(Sent):
    """What of the trees is drawn: what is unfolded and chosen, or searched for; ``field``: attributes being added."""

    open: Listed = ()
    at: MaybeWhole = None
    q: Search = ""
    field: Listed = ()


class Further(Sent):
    """The attribute of a further field."""

    attribute: MaybeWhole = None


class NewPath(Sent):
    """A path typed in a chooser; ``sure``: although one much like it is there."""

    path: str = ""
    sure: Ticked = False


class Added(Sent):
    """Names, or a pasted branch, and where they go."""

    names: str = ""
    parent: Parent = 0
    before: MaybeParent = None


class Moved(Sent):
    """Categories that move, and where to."""

    ids: Listed = ()
    parent: Parent = 0
    before: MaybeParent = None


class CategoryName(Sent):
    """A name."""

    name: str = ""


class Switched(Sent):
    """Whether buyers see it."""

    hidden: Ticked = False


class Typed(FactsTyped):
    """A category as typed; ``own``: what holds for the lens alone."""

    lines: Annotated[dict[str, str], Among(SINGLE)]
    own: Annotated[dict[str, str], Named("own-")]
    still: Annotated[dict[str, str], Named("still-own-")]
    tags: Texts = ()
    shown: Ticked = False
    in_navigation: Ticked = False
    marks: Marks = None

    @property
    def raw(self) -> dict[str, Any]:
        """As core reads it."""
        own = {f"own-{key}": text for key, text in self.own.items()}
        switches = {"hidden": not self.shown, "in_navigation": self.in_navigation}
        return {**self.lines, **own, **switches, **self.facts_on_page, "tags": list(self.tags)}


class Deleting(Sent):
    """What becomes of the branch, and where the goods go."""

    branch: Literal["rises", "goes"] = "rises"
    into: MaybeWhole = None


class MovedGoods(Sent):
    """Where all goods of a category go."""

    into: MaybeWhole = None
