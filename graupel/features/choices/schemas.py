"""What the pages of choices send."""

from typing import Annotated

from graupel.core import choice_making
from graupel.web.sent import Among, Ids, Marks, MaybeWhole, Named, Sent, Texts, rows_of


class ChoiceTyped(Sent):
    """A choice with its entries, a row each. ``product``: a new one is private to it.

    ``answers``: what was tried in the preview, by the rest of the fields' names.
    """

    typed: Annotated[dict[str, str], Among(choice_making.FIELDS)]
    closed: Texts = ()
    entry: Texts = ()
    entry_label: Texts = ()
    adds: Texts = ()
    once: Texts = ()
    weight: Texts = ()
    sku_code: Texts = ()
    unshipped: Texts = ()
    state: Texts = ()
    swatch: Texts = ()
    picture: Texts = ()
    product: MaybeWhole = None
    answers: Annotated[dict[str, list[str]], Named("c1", several=True)]
    marks: Marks = None

    @property
    def raw(self) -> dict[str, str]:
        """The choice's own fields, as core reads them."""
        return self.typed | {"closed_weekdays": "".join(self.closed)}

    @property
    def rows(self) -> list[dict[str, str]]:
        """Its entries, a row each."""
        columns = (
            *(self.entry, self.entry_label, self.adds, self.once, self.weight),
            *(self.sku_code, self.unshipped, self.state, self.swatch, self.picture),
        )
        return rows_of(choice_making.ENTRY_FIELDS, columns)


class Looked(Sent):
    """What is asked of the page of a new choice: the product that it is for."""

    product: MaybeWhole = None


class UsesTyped(Sent):
    """The choices that are asked with a product, in their order, and one that is added."""

    choices: Ids = ()
    add: MaybeWhole = None
    marks: Marks = None
