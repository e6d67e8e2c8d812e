"""What the pages of the vocabulary send and ask, and facts as every form has them."""

from typing import Annotated

from pydantic import Field

from graupel.core.product_types import Need
from graupel.core.typed import number
from graupel.features.vocabulary.attributes import ChoiceTyped
from graupel.features.vocabulary.types import Member
from graupel.web.sent import Among, Ids, Marks, MaybeIds, MaybeWhole, Named, Sent, Texts, Ticked, Whole

#: "no", "yes", or with the choice of another attribute under which it is needed.
NeedTyped = Annotated[str, Field(pattern=rf"^({'|'.join(Need)})(:[0-9]{{0,10}})?$")]


class FactsTyped(Sent):
    """Facts in a form; ``has``: which fields with several values or none were on the page, facts among them."""

    facts: Annotated[dict[Whole, tuple[str, ...]], Named("fact-", several=True)]
    has: Texts = ()

    @property
    def facts_on_page(self) -> dict[str, list[str]]:
        """What was typed or chosen, also nothing, as core reads it."""
        keys = [number(name[5:]) for name in self.has if name.startswith("fact-")]
        return {f"fact-{key}": list(self.facts.get(key, ())) for key in keys if key is not None}


class NewAttribute(Sent):
    """An attribute as it is typed before it is made."""

    typed: Annotated[dict[str, str], Among(("name", "kind", "unit", "help", "choices"))]


class AttributeTyped(Sent):
    """An attribute, and its choices, a row each."""

    name: str = ""
    help: str = ""
    unit: str = ""
    unit_fixed: Ticked = False
    choice: Ids = ()
    label: Texts = ()
    code: Texts = ()
    swatch: Texts = ()
    picture: MaybeIds = ()
    marks: Marks = None

    @property
    def choices(self) -> list[ChoiceTyped]:
        rows = zip(self.choice, self.label, self.code, self.swatch, self.picture, strict=False)
        return [ChoiceTyped(*row) for row in rows]


class NewChoices(Sent):
    """One choice, or a pasted list."""

    choices: str = ""


class TypeTyped(Sent):
    """A product type with its attributes, in order, and those to add at the end."""

    name: str = ""
    code_prefix: str = ""
    delivered: str | None = None
    layout: str | None = None
    attribute: Ids = ()
    need: Annotated[dict[Whole, NeedTyped], Named("need-")]
    group: Annotated[dict[Whole, str], Named("group-")]
    differ: Annotated[dict[Whole, Ticked], Named("differ-")]
    add: MaybeIds = ()
    marks: Marks = None

    @property
    def members(self) -> list[Member]:
        found = [self._member(key) for key in self.attribute]
        group = found[-1].group if found else ""
        return found + [Member(key, group) for key in dict.fromkeys(self.add) if key is not None]

    def _member(self, key: int) -> Member:
        need, _, choice = self.need.get(key, Need.NO).partition(":")
        when = int(choice) if choice else None
        return Member(key, self.group.get(key, ""), Need(need), when, self.differ.get(key, False))


class NewName(Sent):
    """The name of a brand, tag, type or choice; ``sure``: although one much like it is there."""

    name: str = ""
    sure: Ticked = False


class NameTyped(Sent):
    """A brand or a tag; of a brand its tags too."""

    name: str = ""
    tags: str = ""
    marks: Marks = None


class Into(Sent):
    """What takes the place of a word that goes; none where it is deleted."""

    into: MaybeWhole = None
