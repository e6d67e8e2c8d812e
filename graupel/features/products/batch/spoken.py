"""Of what the rows of a batch speak, and in SQL whether what they say differs from what the catalogue holds."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from graupel.core import file_pictures
from graupel.core.declarations.products import INHERITED, PRODUCT, VARIANT
from graupel.core.file_columns import FACT, LIST, OWN, REFS, ROW_FIELDS, STOCK_AT, TAGS
from graupel.core.imports import JUMPS
from graupel.features.products.batch import part_numbers
from graupel.features.products.batch.part_numbers import MPN
from graupel.features.products.columns import inherited_sql

#: What a row of a batch may say of a product, and of a variant.
OF_PRODUCT = PRODUCT.in_files
OF_VARIANT = tuple(name for name in VARIANT.in_files if name not in ("sku", MPN) and not VARIANT.field(name).booked)


def said_or_empty(name: str, said: str) -> str:
    """SQL: what is said of a field of a product, or what its column holds where nothing is."""
    return said if PRODUCT.field(name).empty is None else f"COALESCE({said}, '')"


def _product_differs(name: str, *, cleared: bool) -> str:
    """SQL: the batch says something of the product, and it is not what the catalogue holds, to the letter."""
    if name.removesuffix("_id") in REFS:
        said, other = f"b.{name.removesuffix('_id')}", f"NOT (b.{name} <=> p.{name} AND b.{name} IS NOT NULL)"
        emptied = f"p.{name} IS NOT NULL" if cleared else "FALSE"
        return f"(IF({said} IS NULL, {emptied}, {other}))"
    if cleared:
        return f"(NOT (BINARY {said_or_empty(name, f'b.{name}')} <=> BINARY {PRODUCT.column(name)}))"
    return f"(b.{name} IS NOT NULL AND NOT (BINARY b.{name} <=> BINARY {PRODUCT.column(name)}))"


def _variant_differs(name: str, *, cleared: bool) -> str:
    """The same of a variant; what one of a product that varies shows is its own value or its product's, and what is
    emptied is its own."""
    if cleared:
        return f"(IF(b.{name} IS NULL, v.{name} IS NOT NULL, NOT (b.{name} <=> {held_sql(name)})))"
    return f"(b.{name} IS NOT NULL AND NOT (b.{name} <=> {held_sql(name)}))"


def held_sql(name: str) -> str:
    """SQL: what holds for a variant of a field, its product's where it inherits that."""
    if name == MPN:
        return part_numbers.HELD
    return inherited_sql(name) if name in INHERITED else f"v.{name}"


@dataclass(frozen=True)
class Spoken:
    """The fields of products and of variants that a file speaks of; the others cost its rows nothing.

    ``cleared``: those that an empty cell empties; ``grouped``: rows may name their products by a code; ``facts``: they
    say something of attributes; ``own``: the columns in which they say something for a language or a destination;
    ``counts``: those in which stock is counted at further locations; ``pictures``: they say which goods show;
    ``mpn``: part numbers, which stand with the product or with the variant;
    ``fields``: all names of columns that it has.
    """

    product: tuple[str, ...]
    variant: tuple[str, ...]
    cleared: frozenset[str] = frozenset()
    grouped: bool = False
    facts: bool = False
    own: frozenset[str] = frozenset()
    counts: frozenset[str] = frozenset()
    pictures: bool = False
    mpn: bool = False
    fields: frozenset[str] = frozenset()

    def differs(self, name: str) -> str:
        """SQL: whether what a row says of a field differs from what the catalogue holds."""
        if name == MPN:
            return part_numbers.differs(cleared=MPN in self.cleared)
        of = _product_differs if name in OF_PRODUCT else _variant_differs
        return of(name, cleared=name in self.cleared)

    @property
    def product_differs(self) -> str:
        """SQL: whether anything that a row says of its product differs; of several rows of one product one speaks."""
        differs = self.any_differs(self.product)
        return f"(b.lead IS NULL AND {differs})" if self.grouped else differs

    @property
    def variant_differs(self) -> str:
        """SQL: whether anything that it says of its variant does."""
        return self.any_differs(self.of_variant)

    @property
    def of_variant(self) -> tuple[str, ...]:
        """All that it says of its variant, wherever that stands."""
        return (*self.variant, MPN) if self.mpn else self.variant

    def any_differs(self, names: Sequence[str]) -> str:
        """SQL: whether anything that it says of these fields does."""
        return f"({' OR '.join(map(self.differs, names)) or 'FALSE'})"


def spoken(columns: Collection[str], cleared: Collection[str] = (), *, revive: bool = False) -> Spoken:
    """Of what a file speaks that has columns for these fields of COLUMNS; where it lets archived goods ``revive``, it
    speaks of what they are too."""
    fields = {*columns, "status"} if revive else columns
    names, emptied = ({f"{name}_id" if name in REFS else name for name in some} for some in (fields, cleared))
    return Spoken(
        tuple(name for name in OF_PRODUCT if name in names),
        tuple(name for name in OF_VARIANT if name in names),
        frozenset(emptied),
        "code" in fields,
        any(name == TAGS or name.startswith((FACT, LIST)) for name in fields),
        frozenset(name for name in fields if name.startswith(OWN)),
        frozenset(name for name in fields if name.startswith(STOCK_AT)),
        file_pictures.PICTURES in fields,
        MPN in names,
        frozenset(fields),
    )


def goes_live(otherwise: str, of: Spoken) -> str:
    """SQL: a new product is shown; ``otherwise``: how those begin of which nothing is said."""
    return f"(COALESCE(b.status, '{otherwise}') = 'live')" if "status" in of.product else str(otherwise == "live")


EVERYTHING = spoken(ROW_FIELDS)
#: SQL: a count of a file is not what was there when it was made.
STOCK_DIFFERS = "(b.stock IS NOT NULL AND NOT (b.stock <=> b.stock_held))"
#: SQL: a value is far from what it was, as core.imports.jumps has it.
JUMPS_SQL = "({})".format(
    " OR ".join(
        f"(b.{name} IS NOT NULL AND {inherited_sql(name)} <> 0 AND (b.{name} > {inherited_sql(name)} * {times} "
        f"OR b.{name} * {times} < {inherited_sql(name)}))"
        for name, times in JUMPS.items()
    )
)
#: A row of a batch with what it means.
JOINED = """batch_row b STRAIGHT_JOIN product p ON p.id = b.product_id
             STRAIGHT_JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
             STRAIGHT_JOIN variant v ON v.id = b.variant_id"""
