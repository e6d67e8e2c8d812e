"""The values of many variants through a lens, resolved by sets in SQL, and what is asked for them.

COALESCE over the places of core.resolve, in their order; ``core.products`` says the same for one product, and a test
holds the two against each other. Only places at which any value stands are joined at all.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from graupel.core.declarations.products import AMOUNTS, PRODUCT, VARIANT_TEXT, VARIANT_WORDS, WORDS
from graupel.core.resolve import OF_VARIANT, Lens, Level, ValuePlace, money_places, places
from graupel.db import Tx
from graupel.features.products.columns import VARIES, inherited_sql
from graupel.features.terms import asked_sql
from graupel.features.wording import store as wording

#: What a variant or product has by itself: at a place for everywhere and in the default language. A product that
#: does not vary keeps its amounts in its only variant.
_VARIES = "ax.product_id IS NOT NULL"
_AXES = "LEFT JOIN (SELECT DISTINCT product_id FROM product_axis WHERE {among}) ax ON ax.product_id = p.id"
_BASES = {
    **{(Level.VARIANT, name): f"NULLIF({VARIANT_TEXT.column(name)}, '')" for name in VARIANT_WORDS},
    **{(Level.PRODUCT, name): f"NULLIF({PRODUCT.column(name)}, '')" for name in WORDS},
    **{(Level.VARIANT, name): f"IF({_VARIES}, v.{name}, NULL)" for name in AMOUNTS},
    **{(Level.PRODUCT, name): f"COALESCE(p.{name}, IF({_VARIES}, NULL, v.{name}))" for name in AMOUNTS},
}
#: The words of products and variants in the default language.
_WORDS_JOINED = """JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
                   LEFT JOIN variant_text vt ON vt.variant_id = v.id AND vt.lang = %(lang)s"""


#: May be asked beside the fields: what is paid for a piece now, with "asked_sale" the sale that is nearest.
ASKED = "asked"


@dataclass(frozen=True)
class LensReading:
    """Rows with ``variant_id``, ``product_id`` and each field; "<field>_at" numbers its place in ``places``."""

    rows: Iterator[dict[str, Any]]
    places: Mapping[str, Sequence[ValuePlace]]


def variants(
    tx: Tx,
    lens: Lens,
    fields: Sequence[str],
    lang: str,
    product_ids: Sequence[int] | None = None,
    at: datetime | None = None,
) -> LensReading:
    """The fields of all variants that are for sale, of all products or of ``product_ids``, through a lens.

    ``fields``: words and amounts of the declaration, and ASKED; ``lang``: the default language; ``at``: the moment for
    which prices are asked, UTC. One by one, in the order of products and variants.
    """
    found = select(tx, lens, fields, lang, product_ids, at)
    return LensReading(iter(tx.stream(f"{found.sql} ORDER BY p.id, v.id", found.params)), found.places)


@dataclass(frozen=True)
class LensSelect:
    """The same as SQL, with what it binds."""

    sql: str
    params: dict[str, Any]
    places: Mapping[str, Sequence[ValuePlace]]

    @property
    def fields(self) -> list[str]:
        """The fields that it reads."""
        return list(self.places)


def select(
    tx: Tx,
    lens: Lens,
    fields: Sequence[str],
    lang: str,
    product_ids: Sequence[int] | None = None,
    at: datetime | None = None,
    *,
    within: str = "TRUE",
    only_sale: int | None = None,
) -> LensSelect:
    """A SELECT of these fields; ``within``: SQL that narrows it; ``only_sale``: ASKED is by this sale, on or not."""
    asked_at = {name: _places("price" if name == ASKED else name, lens) for name in fields}
    used = wording.used_places(
        tx,
        [
            (str(level), where, lang, "price" if name == ASKED else name)
            for name, found in asked_at.items()
            for level, where, lang in found
            if where or lang
        ],
    )
    params: dict[str, Any] = {"lang": lang, "ids": list(product_ids or [])}
    joins: list[str] = []
    columns: list[str] = []
    where: dict[str, Sequence[ValuePlace]] = {}
    for field in fields:
        name = "price" if field == ASKED else field
        there = [(place, sql) for place in asked_at[field] if (sql := _at(place, name, used, joins, params))]
        if field == ASKED and there and not any(place.destination for place, _ in there):
            # Nothing was typed for a destination: the variant's before its product's, whether it varies or not.
            there = [(there[-1][0], inherited_sql(name))]
        where[field] = [place for place, _ in there]
        if field == ASKED:
            found = asked_sql.asked(tx, lens, _first(there), _is_here(there, lens), at, only=only_sale)
            joins.append(found.joins)
            columns.append(f"{found.asked} AS asked, {found.sale} AS asked_sale")
            continue
        columns.append(f"{_first(there, lens if field in AMOUNTS else None)} AS {field}")
        cases = " ".join(f"WHEN {sql} IS NOT NULL THEN {number}" for number, (_, sql) in enumerate(there))
        columns.append(f"{f'CASE {cases} END' if cases else 'NULL'} AS {field}_at")
    among = "{} IN %(ids)s" if product_ids is not None else "TRUE"
    axes = _AXES.format(among=among.format("product_id"))
    said = " ".join(columns + joins)
    worded = _WORDS_JOINED if any(name in (*WORDS, *VARIANT_WORDS) for name in fields) else ""
    return LensSelect(
        f"""SELECT v.id AS variant_id, v.product_id, {", ".join(columns)}
            FROM product p STRAIGHT_JOIN variant v ON v.product_id = p.id {worded}
            {axes if _VARIES in said else ""} {" ".join(joins)}
            WHERE NOT v.archived AND {among.format("p.id")} AND {within}""",
        params,
        where,
    )


def _first(there: Sequence[tuple[ValuePlace, str]], by_rule: Lens | None = None) -> str:
    """SQL of the value at the first place that has one; with a lens, amounts for everywhere by its price rule."""
    rule = by_rule.rule if by_rule else None
    sqls = [sql if place.destination else asked_sql.rule_sql(sql, rule) for place, sql in there]
    return f"COALESCE({', '.join(sqls or ['NULL'])}, NULL)"


def _is_here(there: Sequence[tuple[ValuePlace, str]], lens: Lens) -> str:
    """SQL: the first value stands with the destination itself."""
    if not lens.destination or lens.rule is None:
        return "TRUE"
    if not any(place.destination for place, _ in there):
        return "FALSE"
    cases = " ".join(f"WHEN {sql} IS NOT NULL THEN {bool(place.destination)}" for place, sql in there)
    return f"(CASE {cases} END)"


def priced_at(tx: Tx, destination: str) -> list[int]:
    """The products that have a price written for a destination, themselves or one of their variants for sale."""
    rows = tx.all(
        f"""SELECT record_id AS id FROM own_value WHERE destination = %(at)s AND lang = '' AND kind = 'product'
            AND field = 'price'
            UNION SELECT v.product_id FROM own_value o JOIN variant v ON v.id = o.record_id
            WHERE o.destination = %(at)s AND o.lang = '' AND o.kind = 'variant' AND o.field = 'price'
            AND NOT v.archived AND {VARIES.format(product="v.product_id")}""",
        {"at": destination},
    )
    return [row["id"] for row in rows]


def _places(field: str, lens: Lens) -> Sequence[ValuePlace]:
    return money_places(lens, OF_VARIANT) if field in AMOUNTS else places(lens, OF_VARIANT, worded=True)


def _at(
    place: ValuePlace, field: str, used: set[tuple[str, str, str, str]], joins: list[str], params: dict[str, Any]
) -> str | None:
    """SQL of the value at one place, with its join; None where no record has one there."""
    if not (place.destination or place.lang):
        return _BASES.get((Level(place.level), field))
    if (place.level, place.destination, place.lang, field) not in used:
        return None
    alias = f"o{len(joins)}"
    params |= {f"{alias}_at": place.destination, f"{alias}_lang": place.lang, f"{alias}_field": field}
    record = "v.id" if place.level == Level.VARIANT else "p.id"
    joins.append(
        f"""LEFT JOIN own_value {alias} ON {alias}.kind = '{place.level}' AND {alias}.record_id = {record}
            AND {alias}.destination = %({alias}_at)s AND {alias}.lang = %({alias}_lang)s
            AND {alias}.field = %({alias}_field)s"""
    )
    if field not in AMOUNTS:
        return f"{alias}.value"
    amount = f"CAST({alias}.value AS DECIMAL(12,2))"
    # The only variant of a product that does not vary has its product's amounts, everywhere.
    return f"IF({_VARIES}, {amount}, NULL)" if place.level == Level.VARIANT else amount
