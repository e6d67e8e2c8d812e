"""The state of the products table as its address holds it."""

import base64
import binascii
import json
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any
from urllib.parse import urlencode

from graupel.core import countries
from graupel.core.declarations.products import FACETS as FACET_FIELDS
from graupel.core.declarations.products import LISTED
from graupel.core.products import Status
from graupel.core.records import FieldKind
from graupel.core.sent import read_json
from graupel.core.words import words_of

PAGE_SIZE = 50
SORTS = ("name", "sku", "price", "list_price", "cost", "stock", "changed")
#: Sorted by a word that many products have: group after group, in each by their ids.
GROUPED_SORTS = ("status", "category", "type", "brand", "tags")
DEFAULT_SORT = "-changed"
#: Words that InnoDB's full-text index leaves out (information_schema.INNODB_FT_DEFAULT_STOPWORD).
STOPWORDS = frozenset((
    "a", "about", "an", "are", "as", "at", "be", "by", "com", "de", "en", "for", "from", "how", "i", "in", "is", "it",
    "la", "of", "on", "or", "that", "the", "this", "to", "was", "what", "when", "where", "who", "will", "with", "und",
    "www",
))  # fmt: skip
SHORTEST_INDEXED = 3


#: The columns that may be chosen, and those that are shown until somebody chooses.
COLUMNS = {
    "code": "Code or SKU",
    "type": "Type",
    "brand": "Brand",
    "category": "Category",
    "status": "Status",
    "price": "Price",
    "list_price": "List price",
    "cost": "Cost",
    "stock": "Stock",
    "variants": "Variants",
    "weight": "Weight",
    "tags": "Tags",
    **{field.name: field.label for field in LISTED},
    "changed": "Changed",
    "made": "Made",
}
DEFAULT_COLUMNS = ("code", "category", "status", "price", "stock", "changed")
#: Column -> what the table is sorted by under it.
SORTED_BY = {"code": "sku"} | {key: key for key in (*SORTS, *GROUPED_SORTS) if key in COLUMNS}
NUMBERS = ("price", "list_price", "cost", "stock", "variants", "weight")
#: What an address says for the latter.
USUAL = "usual"


def known_columns(names: Iterable[str]) -> tuple[str, ...]:
    """The known columns among the names, in order, each once."""
    return tuple(dict.fromkeys(name for name in names if name in COLUMNS))


def _columns(text: str) -> tuple[str, ...]:
    """The columns that an address names."""
    return DEFAULT_COLUMNS if text == USUAL else known_columns(text.split("."))


def read_columns(names: Iterable[str]) -> tuple[str, ...]:
    """The same; those by default where there is none."""
    return known_columns(names) or DEFAULT_COLUMNS


@dataclass(frozen=True)
class Cursor:
    """A place in the sorted table: the sort value and id of the row beside it."""

    value: str | None
    row_id: int
    backwards: bool = False

    def encode(self) -> str:
        """As an address carries it."""
        packed = json.dumps([self.value, self.row_id, int(self.backwards)]).encode()
        return base64.urlsafe_b64encode(packed).decode().rstrip("=")

    @classmethod
    def decode(cls, text: str) -> "Cursor | None":
        """None where the text is no cursor: then the table starts at its first page."""
        try:
            value, row_id, backwards = read_json(base64.urlsafe_b64decode(text + "=" * (-len(text) % 4)))
            return cls(None if value is None else str(value), int(row_id), bool(backwards))
        except (ValueError, TypeError, OverflowError, binascii.Error):
            return None


#: Facets whose values are numbers (ids), and those whose values are words; in the order in which they stand.
ID_FACETS = ("type", "brand", "category", "tag", "fact", "has")
WORD_FACETS = {
    "status": tuple(map(str, Status)),
    "price": ("0", "5", "10", "20", "50", "100", "200", "500", "none"),
    "stock": ("in", "low", "out", "later", "coming", "off", "uncounted"),
    "had": ("yes", "no", "hidden"),
    **{field.name: tuple(countries.names()) for field in FACET_FIELDS if field.kind is FieldKind.COUNTRY},
    "lacks": ("picture", "alt", "gtin", "description", "category", "type", "brand", "price"),
}
FACETS = (
    *("status", "type", "brand", "category", "tag", "price", "stock", "had", "lacks"),
    *(field.name for field in FACET_FIELDS),
    *("fact", "has"),
)
#: The lower ends of the price bands.
PRICE_BANDS = tuple(Decimal(text) for text in WORD_FACETS["price"][:-1])


def price_bands(low: Decimal | None, high: Decimal | None) -> list[str]:
    """The bands that prices from ``low`` to ``high`` touch; "none" where there is no price."""
    if low is None or high is None:
        return ["none"]
    ends = [*PRICE_BANDS[1:], None]
    return [
        str(begin) for begin, end in zip(PRICE_BANDS, ends, strict=True) if high >= begin and (end is None or low < end)
    ]


@dataclass(frozen=True)
class TableState:
    """Search words, chosen facets, sorting, page and columns. ``chosen``: facet -> values, ids as numbers;
    ``columns``: none where it is left to the person who looks; ``touched``: the change set whose goods these are."""

    q: str = ""
    chosen: Mapping[str, tuple[Any, ...]] = field(default_factory=dict)
    sort: str = DEFAULT_SORT
    cursor: Cursor | None = None
    page: int = 1
    columns: tuple[str, ...] = ()
    touched: int | None = None

    @property
    def sort_key(self) -> str:
        """The column sorted by."""
        return self.sort.lstrip("-")

    @property
    def descending(self) -> bool:
        """Whether the largest comes first."""
        return self.sort.startswith("-")

    @property
    def is_filtered(self) -> bool:
        """Whether anything narrows the table."""
        return bool(self.q or self.chosen or self.touched)

    @classmethod
    def read(cls, query: Mapping[str, list[str]]) -> "TableState":
        """From an address; what can't be read is left out, so an old link still opens."""
        sort = _first(query, "sort")
        page, touched = _first(query, "page"), _first(query, "touched")
        chosen = {facet: _values(facet, query.get(facet, [])) for facet in FACETS}
        return cls(
            q=re.sub(r"\s+", " ", _first(query, "q")).strip()[:200],
            chosen={facet: values for facet, values in chosen.items() if values},
            sort=sort if sort.removeprefix("-") in (*SORTS, *GROUPED_SORTS) else DEFAULT_SORT,
            cursor=Cursor.decode(_first(query, "at")) if _first(query, "at") else None,
            page=int(page) if page.isdecimal() and 0 < len(page) < 8 else 1,
            columns=_columns(_first(query, "columns")),
            touched=int(touched) if touched.isdecimal() and 0 < len(touched) < 19 else None,
        )

    def pairs(self) -> list[tuple[str, Any]]:
        """What narrows and sorts the table, as names and values of an address."""
        pairs: list[tuple[str, Any]] = [("q", self.q)] if self.q else []
        pairs += [(facet, value) for facet in FACETS for value in self.chosen.get(facet, ())]
        pairs += [("touched", self.touched)] if self.touched else []
        pairs += [("sort", self.sort)] if self.sort != DEFAULT_SORT else []
        usual = self.columns == DEFAULT_COLUMNS
        return pairs + ([("columns", USUAL if usual else ".".join(self.columns))] if self.columns else [])

    def query(self) -> str:
        """The address' query, without what is as by default."""
        at = [("at", self.cursor.encode()), ("page", self.page)] if self.cursor else []
        return urlencode(self.pairs() + at)

    def query_without_page(self) -> str:
        """The address' query of the first page."""
        return replace(self, cursor=None, page=1).query()

    def of_a_view(self) -> str:
        """The query as a view keeps it: its columns stand beside."""
        return replace(self, columns=()).query_without_page()

    def toggled(self, facet: str, value: Any) -> "TableState":
        """With one value of a facet switched, at the first page."""
        held = self.chosen.get(facet, ())
        now = tuple(v for v in held if v != value) if value in held else (*held, value)
        chosen = {**self.chosen, facet: now}
        return replace(self, chosen={f: v for f, v in chosen.items() if v}, cursor=None, page=1)

    def sorted_by(self, key: str) -> "TableState":
        """Sorted by a column, the other way round where it is sorted by it already."""
        sort = f"-{key}" if self.sort == key else key
        return replace(self, sort=sort, cursor=None, page=1)

    def at(self, cursor: Cursor, page: int) -> "TableState":
        """At another page."""
        return replace(self, cursor=cursor if page > 1 else None, page=max(page, 1))


def _values(facet: str, texts: list[str]) -> tuple[Any, ...]:
    if facet in ID_FACETS:
        return tuple(dict.fromkeys(int(text) for text in texts if text.isdecimal() and len(text) < 19))
    return tuple(dict.fromkeys(text for text in texts if text in WORD_FACETS[facet]))


@dataclass(frozen=True)
class SearchWords:
    """A search text taken apart. ``words``: without accents and capitals; ``code``: as codes are looked for.

    ``indexed``: what a full-text index of the database can find of it, as a boolean expression in which all words
    begin; "" where that is nothing.
    """

    words: tuple[str, ...]
    code: str
    indexed: str


def search_words(text: str) -> SearchWords | None:
    """None where nothing is searched."""
    if not text.strip():
        return None
    plain = re.findall(r"\w+", text.lower())
    indexed = [word for word in plain if len(word) >= SHORTEST_INDEXED and word not in STOPWORDS]
    return SearchWords(tuple(words_of(text)), text.strip(), " ".join(f"+{word}*" for word in indexed))


def _first(query: Mapping[str, list[str]], name: str) -> str:
    return (query.get(name) or [""])[0]
