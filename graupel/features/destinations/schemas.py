"""What the pages of shops send."""

from graupel.web.sent import Marks, Sent, Texts


class ShopTyped(Sent):
    """A shop as typed; its languages in their order."""

    name: str = ""
    address_part: str = ""
    currency: str = ""
    languages: Texts = ()
    marks: Marks = None

    @property
    def raw(self) -> dict[str, str]:
        """As it is read (destinations/shops.py)."""
        named = {"name": self.name, "address_part": self.address_part, "currency": self.currency}
        return {**named, "languages": " ".join(self.languages)}
