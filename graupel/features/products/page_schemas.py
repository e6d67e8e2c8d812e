"""What the pages of products send and ask."""

from collections.abc import Mapping
from itertools import zip_longest
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, Field, StringConstraints
from pydantic_core import PydanticCustomError

from graupel.core import products as rules
from graupel.core.pictures import Picture
from graupel.core.products import Status
from graupel.features.history.schemas import Pieces
from graupel.features.products.table_facets import ORDERS
from graupel.features.vocabulary.schemas import FactsTyped
from graupel.web.sent import (
    AS_JSON,
    Among,
    Ids,
    Maybe,
    MaybeWhole,
    Named,
    Search,
    Sent,
    Several,
    Texts,
    Ticked,
    Whole,
    one_of,
)

#: Fields of one line of text each, of several values each, and switches.
SINGLE = (
    "name", "code", "type_id", "sku", "price", "list_price", "cost", "stock", "weight_g", "origin_country",
    "suggested_price", "tax_class_id", "contents", "priced_per",
    "sells", "at_zero", "zero_limit", "held_back", "least_stock", "low_stock", "back_on", "coming_on",
    "order_least", "order_most", "order_step", "sold_in",
    "delivered", "promise_id", "packed_size", "customs_code", "customs_value",
    "category_id", "brand", "mpn",
    "gtin", "elsewhere", "short_text", "description", "key_points", "address_part", "canonical",
    "meta_title", "meta_description",
    "first_place", "search_words", "sent_note",
)  # fmt: skip
SEVERAL = ("categories", "tags")
#: The choices and variants that a picture shows: "c12 c14 v7".
Belongs = Annotated[str, Field(pattern=r"^(?:[cv][0-9]{1,10} ?)*$")]


def belongs_of(text: str) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """The ids of choices and those of variants."""
    found: dict[str, list[int]] = {"c": [], "v": []}
    for word in text.split():
        found[word[0]].append(int(word[1:]))
    return tuple(found["c"]), tuple(found["v"])


def _as_in_form(theirs: Mapping[str, Any]) -> dict[str, Any]:
    """The values that somebody else saved, as the form has them."""
    try:
        return {name: _one_as_in_form(name, value) for name, value in theirs.items()}
    except (ValueError, TypeError) as error:
        raise PydanticCustomError("theirs", "it is not what our page sends.") from error


def _one_as_in_form(name: str, value: Any) -> Any:
    if name == "pictures":
        return [rules.picture_of_plain(one) for one in value]
    several = name in SEVERAL or name.startswith("fact-")
    if isinstance(value, list) != several or not all(isinstance(one, str) for one in (value if several else [value])):
        raise TypeError(name)
    return value


class ProductTyped(FactsTyped):
    """The product's form.

    ``own``: what holds for the lens alone, ``still``: of that what still holds although its original changed.
    ``version`` and ``seen``: of the product as the page began with it. ``choose``: whose value is to stay where
    somebody else changed a field too, ``theirs`` and ``marks``: the other value, and by what it is known.
    """

    lines: Annotated[dict[str, str], Among(SINGLE)]
    own: Annotated[dict[str, str], Named("own-")]
    still: Annotated[dict[str, str], Named("still-own-")]
    categories: Texts = ()
    tags: Texts = ()
    buyer_raises: Texts = ()
    picture: Ids = ()
    alt: Texts = ()
    title: Texts = ()
    belongs: Annotated[tuple[Belongs, ...], Several()] = ()
    status: Maybe[Status] = None
    then: Maybe[Status] = None
    version: MaybeWhole = None
    seen: Annotated[dict[str, Any], AS_JSON] = Field(default_factory=dict)
    choose: Annotated[dict[str, Literal["mine", "theirs"]], Named("choose_")]
    theirs: Annotated[dict[str, Annotated[Any, AS_JSON]], AfterValidator(_as_in_form), Named("theirs_")]
    marks: Annotated[dict[str, str], Named("theirs-mark_")]

    @property
    def pictures(self) -> list[Picture]:
        """One value each of id, alt, title and what it shows for each picture, in their order."""
        rows = zip_longest(self.picture, self.alt, self.title, self.belongs, fillvalue="")
        return [
            Picture(media_id, alt, title, *belongs_of(belongs))
            for media_id, alt, title, belongs in rows
            if isinstance(media_id, int)
        ]

    @property
    def raw(self) -> dict[str, Any]:
        """What was on the page, as core reads it; where the other's value was chosen, that."""
        several = {name: list(getattr(self, name)) for name in SEVERAL if name in self.has}
        switches = {name: next(iter(getattr(self, name)), "") for name in rules.SWITCHES}
        return {
            **self.lines,
            **{f"own-{key}": text for key, text in self.own.items()},
            **several,
            **self.facts_on_page,
            **{name: text for name, text in switches.items() if name in self.has},
            "pictures": self.pictures,
            **{name: value for name, value in self.theirs.items() if self.choose.get(name) == "theirs"},
        }

    @property
    def settled(self) -> dict[str, str]:
        """The fields of which somebody said whose value is to stay, with the mark of the other's that was shown."""
        return {name: self.marks.get(name, "") for name in self.choose}


class AttributeAdded(ProductTyped):
    """The form with an attribute to add: one that is known, or one that is typed, for the product or its type."""

    known: MaybeWhole = Field(None, alias="known-attribute")
    of: Literal["product", "type"] = Field("product", alias="attribute-for")
    new: Annotated[dict[str, str], Named("new-")]


class PictureRow(Sent):
    """A file that becomes a picture; ``guess``: its name tells which variants it belongs to."""

    media: Whole
    alt: str = ""
    title: str = ""
    belongs: Belongs = ""
    guess: Ticked = False


class Said(Sent):
    """What was done before the page came."""

    made: Ticked = False
    copied: Ticked = False


class Words(Sent):
    """A search as it is typed."""

    q: Search = ""


class MediaUsed(Sent):
    """A file of the library."""

    media: Whole


class Columns(Sent):
    """The columns that a person chose, in order, and the table as it was."""

    column: Texts = ()
    query: str = ""


class View(Sent):
    """A view under a name."""

    name: str = ""
    query: str = ""


class FacetAsked(Sent):
    """Words in a facet's values, and their order."""

    fq: Search = ""
    order: Annotated[str, one_of(ORDERS)] = "number"


class Moments(Sent):
    """Two moments as they are typed, UTC where they are exact; the second one "" for now. ``prepared``: a prepared
    change that counts as made at what lies ahead."""

    at: Search = ""
    other: Search = ""
    prepared: MaybeWhole = None


class TableMoment(Sent):
    """A moment as it is typed, and the view of the table that is looked at; ``after``: the product before the page."""

    at: Search = ""
    of: Annotated[str, StringConstraints(max_length=20_000)] = ""
    after: MaybeWhole = None


class PutBack(Pieces):
    """What is put back as it was at a moment."""

    at: Search
