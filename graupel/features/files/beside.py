"""What the page of a file is given beside the file itself: what can be chosen, and what its dry run comes to."""

from collections.abc import Callable, Sequence
from typing import Any

from graupel.core import columns, file_pictures, guessing, held_for, matching, price_bands, slips
from graupel.core.declarations.products import INHERITED
from graupel.core.encodings import ENCODINGS
from graupel.core.file_columns import COLUMNS
from graupel.core.handling import KEYS, ways_of
from graupel.core.record_files import CALLED, ROWS_ARE, RowsAre
from graupel.core.records import FieldKind
from graupel.features.categories import service as categories
from graupel.features.files import new_attributes, results
from graupel.features.files.new_attributes import NEW_WORDS
from graupel.features.files.rows import ImportFileRow
from graupel.features.files.service import ImportFile
from graupel.features.vocabulary import service as vocabulary
from graupel.tables.shapes import DELIMITERS, KINDS, QUOTES

#: Where records are that are no goods.
PLACES_OF_RECORDS = {
    RowsAre.CATEGORY: "/categories",
    RowsAre.ATTRIBUTE: "/vocabulary/attributes",
    RowsAre.TYPE: "/vocabulary/types",
    RowsAre.SALE: "/prices",
    RowsAre.BRAND: "/vocabulary/brands",
    RowsAre.TAG: "/vocabulary/tags",
}


def mends(row: ImportFileRow) -> Callable[[str, str], tuple[slips.Mend, ...]]:
    """What can be done about a problem of a column's cells."""
    of_cells = {(name, code) for name, code in (row["overview"] or {}).get("of_cells", ())}
    return lambda name, code: slips.mends(name, code, is_of_cell=(name, code) in of_cells)


def slashed(row: ImportFileRow) -> list[str]:
    """Categories that would be made and look like paths with another sign between their names."""
    return [name for name, _, kind in row["makes"] or () if kind == "category" and slips.has_slashes(name)]


def _overview(file: ImportFile) -> dict[str, Any]:
    """What the dry run comes to, as it is drawn."""
    overview = file.row["overview"] or {}
    bands = {int(band): number for band, number in overview.get("bands", {}).items()}
    rise, fall = price_bands.moved(bands)
    changing = [(name, number) for name, number in overview.get("fields", {}).items() if name in file.known.fields]
    return {
        "bars": price_bands.bars(bands),
        "rise": rise,
        "fall": fall,
        "changing": sorted(changing, key=lambda one: -one[1]),
        "reasons": overview.get("reasons", []),
    }


def among_name(among: str, tree: categories.Tree, brands: Sequence[vocabulary.Named]) -> str:
    """Of which goods a file is all there is, in words."""
    kind, _, number = among.partition("-")
    if kind == "category":
        return tree.path(int(number)) or "a category that is gone"
    return next((one.name for one in brands if str(one.id) == number), "a brand that is gone")


def choices(file: ImportFile) -> dict[str, Any]:
    """What can be chosen of how a file is read and matched, in words."""
    return {
        "delimiters": DELIMITERS,
        "encodings": ENCODINGS,
        "quotes": QUOTES,
        "kinds": KINDS,
        "numbers": columns.NUMBERS,
        "day": FieldKind.DAY,
        "kept": file.known.records.kept if file.known.records else matching.KEPT,
        "inherits": lambda name: name in INHERITED or name in file.known.own,
        "units_of": file.known.units,
        "declared": file.known.fields if file.known.records else {**COLUMNS, **file_pictures.FIELDS},
        "kinds_of_rows": ROWS_ARE,
        "fits_a_sheet": lambda refused: results.told_of(file.row, refused=refused) <= results.MOST_IN_A_SHEET,
        "places_of_records": PLACES_OF_RECORDS,
        "held_for": held_for.said(file.rules, file.known),
        "called": CALLED[RowsAre(file.row["rows_are"])],
        **_overview(file),
        "ways": ways_of(file.row["rows_are"]),
        "keys": {**KEYS, **file.known.keys},
        "new_words": {} if file.known.records else NEW_WORDS,
        "name_of": new_attributes.name_of,
        "pairs": lambda names: [(name, name) for name in names],
        "said_of": columns.said,
        "why": guessing.WHY,
        "show_replaced": columns.show_replaced,
        "extra": matching.beside_none(file.rules),
        "unmatched": [one for one in file.columns if not one.rules],
    }
