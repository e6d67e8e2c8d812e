"""What products have several of beside tags, as columns of files: each area says which, and in which table it stands.

They go along with the facts of a file's rows (facts.py): a cell says what a product has then. Products that a row names
by a code may stand in the same file; they are looked for once more when its goods are made.
"""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from graupel.core.attributes import Fact
from graupel.core.errors import Refused
from graupel.core.file_columns import FIRST_LIST, TAGS_ID, ListColumn, fact_column
from graupel.core.file_facts import NewChoices
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.features.history.service import Recorder

#: The ids of the lists; of kinds of relation, that of the kind is added.
FURTHER, ASKED, DOWNLOADS, RELATED = (FIRST_LIST + number for number in (1, 2, 3, 1_000))
#: So many codes are looked for at a time.
_AT_ONCE = 5_000


#: What records are called, by id.
Called = Callable[[Tx, Collection[int]], Mapping[int, str]]


@dataclass(frozen=True)
class Listed:
    """A list, and how it stands in its table.

    ``kind``: of its records in the journal; ``index``: the key by which its owners are found, ``back_index`` that of
    what they list; ``value``: the column of what is listed, ``owner`` of the product; ``fixed``: what further columns
    say; ``among``: SQL of which of ``{row}`` beside; ``mutual``: what is listed lists the product too; ``called``: what
    records are called, by id; ``make``: makes what is not there, by name.
    """

    column: ListColumn
    kind: str
    index: str
    value: str
    called: Called
    owner: str = "product_id"
    fixed: Mapping[str, Any] = field(default_factory=dict)
    among: str = ""
    mutual: bool = False
    make: Callable[[Tx, Recorder, Sequence[str]], Mapping[str, int]] | None = None
    back_index: str = ""

    @property
    def table(self) -> str:
        """Where it stands; the kinds of record are called like their tables."""
        return self.kind

    @property
    def placed(self) -> bool:
        """It has an order, in ``position``."""
        return self.column.in_order

    def of(self, alias: str) -> str:
        """SQL: a row of the table is of this list."""
        said = [f"{alias}.{name} <=> {_literal(value)}" for name, value in self.fixed.items()]
        said += [self.among.format(row=alias)] if self.among else []
        return " AND ".join(said) or "TRUE"

    @property
    def fixed_values(self) -> list[str]:
        """SQL of what its further columns say."""
        return [_literal(value) for value in self.fixed.values()]

    @property
    def order(self) -> str:
        """SQL: in which order it stands."""
        return "o.position, o.id" if self.placed else "o.id"


def _literal(value: Any) -> str:
    """SQL of a value that the code says, never a user."""
    return "NULL" if value is None else str(int(value)) if isinstance(value, int) else f"'{value}'"


#: Runs work in a transaction of its own, at any time and in any thread.
Read = Callable[[Callable[[Tx], Any]], Any]
#: What says which lists there are; what they find by is read when the first is looked for.
Provider = Callable[[Tx, Read], Iterable[Listed]]
_PROVIDERS: list[Provider] = []


def register(provider: Provider) -> None:
    """Make lists known that come and go with files."""
    if provider not in _PROVIDERS:
        _PROVIDERS.append(provider)


def load(tx: Tx, ids: Collection[int] | None = None, read: Read | None = None) -> dict[int, Listed]:
    """All lists by their ids, or those of some ids. ``read``: where records are to be found by what they are called."""
    if ids is not None and not any(one == TAGS_ID or one >= FIRST_LIST for one in ids):
        return {}
    reads: Read = read or (lambda work: work(tx))
    found = {one.column.id: one for provider in _PROVIDERS for one in provider(tx, reads)}
    return {key: one for key, one in found.items() if ids is None or key in ids}


def standing(tx: Tx, listed: Iterable[Listed], product_ids: Sequence[int]) -> list[dict[str, Any]]:
    """What products list, as rows of facts with their product_id."""
    found: list[dict[str, Any]] = []
    for one in listed:
        rows = tx.all(
            f"""SELECT o.{one.owner} AS product_id, o.{one.value} AS choice_id FROM {one.table} o
                WHERE {one.of("o")} AND o.{one.owner} IN %s ORDER BY o.{one.owner}, {one.order}""",
            [list(product_ids) or [0]],
        )
        nothing = {"attribute_id": one.column.id, "number": None, "unit": None, "text": None}
        found += [{**row, **nothing} for row in rows]
    return found


def out_sql(one: Listed) -> str:
    """SQL: the ids of what a product p lists, parted by commas, under the name of its column."""
    return f"""(SELECT GROUP_CONCAT(o.{one.value} ORDER BY {one.order}) FROM {one.table} o
                WHERE {one.of("o")} AND o.{one.owner} = p.id) AS `{fact_column(one.column.id)}`"""


def by_name(rows: Callable[[], Iterable[tuple[int, str]]]) -> Callable[[str], int | None]:
    """What finds records by their names, in any case of letters; ``rows`` are read when the first is looked for. It
    raises Refused where several are called so."""

    @lru_cache(1)
    def known() -> dict[str, list[int]]:
        found: dict[str, list[int]] = {}
        for record_id, name in rows():
            found.setdefault(name.casefold(), []).append(record_id)
        return found

    def find(text: str) -> int | None:
        ids = known().get(text.casefold(), [])
        if len(ids) > 1:
            said = f"{len(ids)} are called “{text[:60]}”. Give one of them another name, or mend the row."
            raise Refused.because("list.several", said)
        return ids[0] if ids else None

    return find


def names_of(read: Callable[[Tx, Sequence[int]], Sequence[Mapping[str, Any]]]) -> Called:
    """What records are called, of an area's function that reads their names."""
    return lambda tx, ids: {row["id"]: row["name"] for row in read(tx, list(ids))}


def all_called(tx: Tx, one: Listed) -> Mapping[int, str]:
    """What all that any product lists is called, by id."""
    rows = tx.all(f"SELECT DISTINCT o.{one.value} AS id FROM {one.table} o WHERE {one.of('o')}")
    return one.called(tx, [row["id"] for row in rows])


# --- products, named by a code -------------------------------------------------------------------------------


def by_codes(tx: Tx, codes: Sequence[str]) -> dict[str, int]:
    """Products by product code or SKU, in capitals; what nothing has is left out."""
    found: dict[str, int] = {}
    plain = [one for one in codes if one.isascii()]
    for place in range(0, len(plain), _AT_ONCE):
        rows = tx.all(
            """SELECT UPPER(sku) AS code, product_id AS id FROM variant WHERE sku IN %(codes)s
               UNION ALL SELECT UPPER(code), id FROM product WHERE code IN %(codes)s""",
            {"codes": plain[place : place + _AT_ONCE]},
        )
        found |= {row["code"]: row["id"] for row in rows}
    return found


def codes_of(tx: Tx, ids: Collection[int]) -> dict[int, str]:
    """By what products are named in files: their codes, without one the first SKU."""
    wanted = sorted(ids)
    found: dict[int, str] = {}
    for place in range(0, len(wanted), _AT_ONCE):
        rows = tx.all(
            """SELECT p.id, COALESCE(p.code, (SELECT v.sku FROM variant v WHERE v.product_id = p.id
                                              ORDER BY v.archived, v.id LIMIT 1)) AS code
               FROM product p WHERE p.id IN %s""",
            [wanted[place : place + _AT_ONCE]],
        )
        found |= {row["id"]: row["code"] for row in rows if row["code"]}
    return found


@dataclass
class Named:
    """What the codes of a file mean. ``there``: by the number of a code the product that has it; ``coming``: by number
    the row that speaks for the product that is made; what is in neither, nothing has. ``labels``: the codes."""

    there: Mapping[int, int] = field(default_factory=dict)
    coming: Mapping[int, int] = field(default_factory=dict)
    labels: Mapping[int, str] = field(default_factory=dict)


def named(tx: Tx, params: Mapping[str, Any], listed: Mapping[int, Listed], new: NewChoices) -> Named:
    """Find what the codes of a file mean, among what is there and among its own rows."""
    by_code = {key for key, one in listed.items() if one.column.by_code}
    labels = {-at: label for at, (key, label) in enumerate(new.labels, start=1) if key in by_code}
    if not labels:
        return Named()
    found = by_codes(tx, sorted(set(labels.values())))
    rows = tx.all(
        """SELECT UPPER(COALESCE(b.code, b.sku)) AS code, UPPER(b.sku) AS sku, COALESCE(b.lead, b.line) AS line
           FROM batch_row b WHERE b.batch_id = %(batch)s AND b.action = 'new' AND b.product_id IS NULL
           ORDER BY b.line DESC""",
        params,
    )
    lines = {row["sku"]: row["line"] for row in rows if row["sku"]} | {row["code"]: row["line"] for row in rows}
    return Named(
        {number: found[code] for number, code in labels.items() if code in found},
        {number: lines[code] for number, code in labels.items() if code not in found and code in lines},
        labels,
    )


def only_refused(tx: Tx, params: Mapping[str, Any]) -> dict[str, int]:
    """By code and SKU, in capitals, of goods that no row would make which is not refused the first that is."""
    rows = tx.all(
        """SELECT UPPER(b.code) AS code, UPPER(b.sku) AS sku, b.line, b.action FROM batch_row b
           WHERE b.batch_id = %(batch)s AND b.action IN ('new', 'refused') AND b.product_id IS NULL
           ORDER BY b.line DESC""",
        params,
    )
    lines = {name: row["line"] for row in rows for name in (row["code"], row["sku"]) if name}
    made = {name for row in rows if row["action"] == "new" for name in (row["code"], row["sku"])}
    return {name: line for name, line in lines.items() if name not in made}


@dataclass
class Beside:
    """The products that rows list by codes, while they are planned product by product.

    A product is told by its id, one that is made by the line below 0 of the row that speaks for it.
    """

    listed: Mapping[int, Listed]
    named: Named
    _problems: list[tuple[int, Problem]] = field(default_factory=list)
    _said: dict[tuple[int, int], tuple[int, set[int]]] = field(default_factory=dict)

    @property
    def codes(self) -> bool:
        """Whether anything is named by a code at all."""
        return bool(self.named.labels)

    def meant(self, product: int, line: int, facts: Mapping[int, Fact | None]) -> Mapping[int, Fact | None]:
        """What a row of a product says, with the products that its codes mean; those that are made keep their
        numbers."""
        found = dict(facts)
        for key, fact in facts.items():
            one = self.listed.get(key)
            if one and one.column.by_code and fact:
                found[key] = Fact(choices=self._of_codes(one, product, line, fact.choices))
        return found

    def _of_codes(self, one: Listed, product: int, line: int, numbers: Sequence[int]) -> tuple[int, ...]:
        choices, products = [], set()
        for number in numbers:
            meant = self.named.there.get(number) or -self.named.coming.get(number, 0)
            if not meant or meant == product:
                self._problems.append((line, self._wrong(one, number, itself=bool(meant))))
                continue
            choices.append(meant if meant > 0 else number)
            products.add(meant)
        if one.mutual:
            self._said.setdefault((one.column.id, product), (line, set()))[1].update(products)
        return tuple(dict.fromkeys(choices))

    def _wrong(self, one: Listed, number: int, *, itself: bool) -> Problem:
        code, label = self.named.labels[number], one.column.label
        if itself:
            return Problem("list.itself", f"{label}: {code} would stand beside itself.", one.column.name)
        said = f"{label}: nothing has the code or SKU {code}, here or in this file."
        return Problem("list.unknown", said, one.column.name)

    def taken(self) -> list[tuple[int, Problem]]:
        """By line what could not be found since this was asked last."""
        found, self._problems = self._problems, []
        return found

    def apart(self) -> Iterator[tuple[int, Problem]]:
        """By line what holds both ways and is said by one row alone, though the other product has a row that lists."""
        for (key, product), (line, others) in self._said.items():
            for other in others:
                back = self._said.get((key, other))
                if back and product not in back[1]:
                    column = self.listed[key].column
                    said = (
                        f"{column.label} holds both ways, and line {line:,} lists this product, which does not list "
                        "that one. Name both in both rows, or leave the cell of one of them empty."
                    )
                    yield back[0], Problem("list.apart", said, column.name)
