"""What the pages of variants, their copies and their cells send and ask."""

from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field

from graupel.core.declarations.products import VARIANT
from graupel.features.variants.cells import Cell
from graupel.features.variants.copying import Wanted
from graupel.features.variants.making import Wish
from graupel.features.variants.views import SHADES_BY
from graupel.web.sent import (
    AS_JSON,
    Among,
    Ids,
    Listed,
    MaybeWhole,
    Named,
    Sent,
    Ticked,
    Whole,
    one_of,
)

#: What can be set for several variants, and what it is called.
FIELDS = {name: VARIANT.field(name).label for name in VARIANT.for_many}
#: The fields of one variant that are typed.
OWN = (
    "sku", "gtin", "elsewhere", "mpn", *(name for name in VARIANT.for_many if name != "archived"), "name", "short_text",
)  # fmt: skip
#: Combinations of choices: "4.12 4.13".
Combinations = Annotated[tuple[Listed, ...], BeforeValidator(lambda value: str(value).split())]


class Grid(Sent):
    """How the grid is looked at: what colours it, and the choices of the axes beyond the second."""

    by: Annotated[str, Field(pattern=rf"^({'|'.join(SHADES_BY)}|stock-[0-9]{{1,10}})$")] = "stock"
    layer: Listed = ()


class Wished(Sent):
    """What a product is to differ by: attributes with the choices that are ticked, and those of the variants there."""

    axis: Ids = ()
    choices: Annotated[dict[Whole, tuple[Whole, ...]], Named("choice-", several=True)]
    given: Annotated[dict[Whole, MaybeWhole], Named("given-")]
    pattern: str = ""
    left_out: Combinations = ()

    @property
    def wish(self) -> Wish:
        axes = tuple((key, self.choices.get(key, ())) for key in self.axis)
        given = {key: one for key in self.axis if (one := self.given.get(key)) is not None}
        return Wish(axes, given, self.pattern, frozenset(self.left_out))


class Building(Wished):
    """The same while it is put together: one attribute more or less, further values, one made on the spot."""

    take_out: MaybeWhole = None
    add_axis: MaybeWhole = None
    values: Annotated[dict[Whole, str], Named("values-")]
    new_name: str = ""
    new_values: str = ""


class Making(Wished):
    """What is to be made of what the dry run showed."""

    shown: Combinations = ()


class Gap(Grid):
    """The combination of a gap."""

    combination: Listed = ()


class Setting(Grid):
    """A field that is set for a selection, or for all variants with a choice."""

    ids: Listed = ()
    field: Annotated[str, one_of(FIELDS)] = "price"
    with_choice: MaybeWhole = None
    inherit: Ticked = False
    value: str = ""


class Taking(Grid):
    """What is taken away: a selection, all with a choice, or an attribute with the choice whose variants are kept."""

    ids: Listed = ()
    choice: MaybeWhole = None
    axis: MaybeWhole = None
    keep: MaybeWhole = None
    signature: str = ""

    @property
    def given_up(self) -> tuple[int, int] | None:
        """The attribute that is given up, and the choice whose variants are kept; None where variants go by others."""
        return None if self.axis is None or self.keep is None else (self.axis, self.keep)


class RowsAsked(Sent):
    """The columns of the table, in order, by commas."""

    columns: str = ""


class One(Sent):
    """One variant as typed; ``own``: what holds for the lens alone, by the keys of its fields."""

    typed: Annotated[dict[str, str], Among(OWN)]
    own: Annotated[dict[str, str], Named("own-")]
    version: MaybeWhole = None
    stock_shown: str = ""


class Copy(Sent):
    """What a copy is called. Blank: as proposed."""

    name: str = ""
    code: str = ""
    pattern: str = ""
    sku: str = ""

    @property
    def wanted(self) -> Wanted:
        return Wanted(self.name, self.code, self.pattern, self.sku)


class CellSent(BaseModel):
    """A cell as the table's page names it, what was typed, and what it showed."""

    model_config = ConfigDict(frozen=True)
    cell: Annotated[str, Field(pattern=r"^[pv][0-9]{1,10}:[a-z_]{1,40}$")]
    text: str
    was: str = ""

    @property
    def typed(self) -> Cell:
        where, _, name = self.cell.partition(":")
        return Cell(where[0], int(where[1:]), name, self.text, self.was)


class Cells(Sent):
    """Cells that were edited, all of which are saved or none."""

    cells: Annotated[tuple[CellSent, ...], AS_JSON] = ()
