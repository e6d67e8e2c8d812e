"""What one good of the demo shop is, as its makers say it."""

from dataclasses import dataclass, field
from decimal import Decimal

from graupel.core.identifiers import gtin_check_digit


@dataclass(frozen=True)
class Shot:
    """A picture to be drawn. ``side`` in pixels; ``choice``: the label of the colour it shows, "" for all."""

    kind: str
    colour: str
    alt: str
    side: int = 520
    choice: str = ""


@dataclass(frozen=True)
class Good:
    """One product of the demo shop.

    ``axes``: (attribute, labels of its choices); ``gaps``: every so many combinations one does not exist, 0 for none;
    ``own_prices``: label of a choice -> the price of variants with it; ``stocked``: a seed for pieces on hand, None
    where they are not counted; ``hall``: Ostlerby's category; ``also``: what else is to be seen: film, link, model.
    """

    name: str
    sku: str
    kind: str
    category: str
    price: str | None
    weight_g: int | None = None
    brand: str = ""
    mpn: str = ""
    gtins: bool = True
    short_text: str = ""
    description: str = ""
    key_points: tuple[str, ...] = ()
    status: str = "live"
    shots: tuple[Shot, ...] = ()
    facts: dict[str, tuple[str, ...]] = field(default_factory=dict)
    tags: tuple[str, ...] = ()
    further: tuple[str, ...] = ()
    axes: tuple[tuple[str, tuple[str, ...]], ...] = ()
    gaps: int = 0
    own_prices: dict[str, str] = field(default_factory=dict)
    cost: str | None = None
    list_price: str | None = None
    stocked: int | None = None
    hall: str | None = None
    also: tuple[str, ...] = ()

    @property
    def amount(self) -> Decimal | None:
        """The price as a number."""
        return Decimal(self.price) if self.price else None

    @property
    def variants(self) -> int:
        """How many variants it has at most, gaps not taken out."""
        number = 1
        for _, labels in self.axes:
            number *= len(labels)
        return number


class Numbers:
    """Running GTINs."""

    def __init__(self) -> None:
        self._last = 10_000

    def next(self) -> str:
        """One that was not given before."""
        self._last += 7
        body = f"952{self._last:09d}"
        return body + gtin_check_digit(body)
