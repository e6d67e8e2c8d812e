"""What the pages of kits are sent."""

from typing import Annotated

from graupel.core.kits import PricedBy
from graupel.features.kits.service import Wish
from graupel.web.sent import Ids, Marks, MaybeWhole, Search, Sent, Texts


class KitTyped(Sent):
    """What a product is made of, a row each; and one more part."""

    variants: Ids = ()
    quantities: Texts = ()
    picks: Texts = ()
    priced_by: PricedBy = PricedBy.OWN
    percent: Annotated[str, "as typed"] = ""
    add: MaybeWhole = None
    marks: Marks = None

    @property
    def wishes(self) -> list[Wish]:
        """What is wanted, in its order."""
        found = [
            Wish(key, quantity, pick)
            for key, quantity, pick in zip(self.variants, self.quantities, self.picks, strict=False)
        ]
        return [*found, *([Wish(self.add)] if self.add else [])]


class PartLooked(Sent):
    """A search for goods that a kit is made of."""

    q: Search = ""
