"""Which column of a file is which field: by its header, by what was chosen before, and by the look of its values."""

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache

from rapidfuzz import fuzz, process

from graupel.core import countries, record_columns
from graupel.core.errors import Refused
from graupel.core.file_columns import COLUMNS, DECLARED, Known
from graupel.core.file_pictures import PICTURES

#: From here on a header is taken for one that is much like it, of 100.
GOOD_GUESS = 86
#: Of the values that are looked at, so many must look like a field's.
MOST_OF_THEM = 0.8


class Why(StrEnum):
    """By what a column was matched, the surest first."""

    BEFORE = "before"
    HEADER = "header"
    ALIKE = "alike"
    VALUES = "values"


#: In words, with how sure that is.
WHY: Mapping[Why, str] = {
    Why.BEFORE: "as last time",
    Why.HEADER: "by its header",
    Why.ALIKE: "by a header much like it",
    Why.VALUES: "by its values: look twice",
}


@dataclass(frozen=True)
class Guess:
    """A field for a column. ``sure``: of 100."""

    field: str
    column: int
    why: Why
    sure: float


#: What ends the header of a column that went out as a lens shows it: its words may be another language's.
_SEEN_AS = re.compile(r" \(as [^()]+, [^()]+\)$")


def seen_as(header: str, lens: str) -> str:
    """What heads a column that goes out through a lens, and is matched to nothing where it comes in. ``lens``: in
    words, destination and language parted by a comma."""
    return f"{header} (as {lens.replace('(', '').replace(')', '')})"


def plain(header: str) -> str:
    """A header as it is compared: small letters, words parted by one blank."""
    return re.sub(r"[^\w]+", " ", header.lower().replace("_", " ")).strip()


def guess(
    headers: Sequence[str],
    values: Sequence[Sequence[str]] = (),
    before: Mapping[str, str] | None = None,
    skus: Callable[[Sequence[str]], float] | None = None,
    columns: Known = DECLARED,
) -> list[Guess]:
    """The field that each column most likely holds, in the order of columns; no field is given twice.

    ``values``: the first ones of each column; ``before``: by plain header the field that was chosen last time, "" where
    it was left out; ``skus``: of some values, which share are SKUs that are there; ``columns``: what columns can go to.
    The surest is taken first, so an exact header wins over a like one, and any header over values.
    """
    scored = []
    for index, header in enumerate(headers):
        if _SEEN_AS.search(header):
            continue
        known = (before or {}).get(plain(header))
        if known and known in columns.fields:
            scored.append(Guess(known, index, Why.BEFORE, 101))
            continue
        if known == "":
            continue  # what was left out last time is not guessed at; what is gone since is
        found = _by_header(header, index, columns)
        scored += found or _by_values(values[index] if index < len(values) else (), index, skus)
    taken: dict[int, Guess] = {}
    for one in sorted(scored, key=lambda one: (-one.sure, one.column)):
        if one.column not in taken and one.field not in {other.field for other in taken.values()}:
            taken[one.column] = one
    return [taken[column] for column in sorted(taken)]


def known_headers(cells: Sequence[str]) -> int:
    """Of how many cells of a row it is known what they head."""
    return len({field for cell in cells for field in _exact().get(plain(cell), ())})


@lru_cache(1)
def _exact() -> Mapping[str, tuple[str, ...]]:
    found: dict[str, tuple[str, ...]] = {}
    known = [(name, column.file.headers if column.file else ()) for name, column in COLUMNS.items()]
    for name, headers in (*known, *record_columns.all_headers()):
        for header in headers:
            found[plain(header)] = (*found.get(plain(header), ()), name)
    return found


def _by_header(header: str, index: int, columns: Known) -> list[Guess]:
    whole = plain(header)
    if not whole:
        return []
    last = plain(re.split(r"[./]", header.strip())[-1])  # of a path, such as offer/price, its end counts a little less
    found = []
    for name, column in columns.fields.items():
        headers = [plain(one) for one in column.file.headers] if column.file else []
        best = process.extractOne(whole, headers, scorer=fuzz.ratio)
        sure = best[1] if best else 0.0
        if last != whole and last in headers:
            sure = max(sure, 97.0)
        if sure >= GOOD_GUESS:
            found.append(Guess(name, index, Why.HEADER if sure >= 97 else Why.ALIKE, sure))
    return found


def _is_country(text: str) -> bool:
    try:
        return countries.parse(text) is not None
    except Refused:
        return False


_MONEY = re.compile(r"(?:[€$£]|EUR|USD|GBP|CHF)\s?\d[\d.,' ]*|\d[\d.,' ]*\s?(?:[€$£]|EUR|USD|GBP|CHF)")
_WEIGHT = re.compile(r"\d[\d.,]*\s?(?:mg|g|gr|kg|oz|lb|lbs)", re.IGNORECASE)
_PICTURE = re.compile(r"https?://\S+\.(?:jpe?g|png|webp|gif|avif)(?:\?\S*)?(?:\s*[|\s]\s*https?://\S+)*", re.IGNORECASE)
_LOOKS: Mapping[str, Callable[[str], bool]] = {
    "price": lambda text: bool(_MONEY.fullmatch(text)),
    "weight_g": lambda text: bool(_WEIGHT.fullmatch(text)),
    "category": lambda text: " > " in text or (text.count("/") > 1 and "://" not in text),
    PICTURES: lambda text: bool(_PICTURE.fullmatch(text)),
    "description": lambda text: "</" in text,
    "origin_country": lambda text: len(text) > 3 and _is_country(text),
}


def _by_values(values: Sequence[str], index: int, skus: Callable[[Sequence[str]], float] | None) -> list[Guess]:
    filled = [value.strip() for value in values if value.strip()]
    if not filled:
        return []
    found = [
        Guess(name, index, Why.VALUES, 50.0)
        for name, looks in _LOOKS.items()
        if sum(map(looks, filled)) >= MOST_OF_THEM * len(filled)
    ]
    if skus and skus(filled) >= MOST_OF_THEM:
        found.append(Guess("sku", index, Why.VALUES, 60.0))
    return found
