"""Goods as rows of a file that goes out, a variant each."""

import json
from collections.abc import Collection, Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

from graupel.core import file_pictures
from graupel.core.attributes import Fact
from graupel.core.declarations.products import AMOUNTS, CHOICES, PRODUCT, VARIANT
from graupel.core.file_columns import OWN, STOCK_AT, TAGS_ID, fact_column
from graupel.core.resolve import split_key
from graupel.db import Tx
from graupel.db.loading import load_rows
from graupel.features.products import out_pictures, store
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch.lists import Listed
from graupel.features.products.batch.spoken import held_sql
from graupel.features.products.columns import VARIES
from graupel.features.products.out_pictures import Places
from graupel.features.products.resolving import ASKED, LensSelect
from graupel.features.terms import stock_store
from graupel.features.vocabulary.facts import facts_of

#: What stands before the name of a field that is seen through a lens.
SEEN = "seen-"
#: What the attributes of a product say, as JSON, which it differs by, and its tags.
_FACTS = f""", (SELECT CONCAT('[', GROUP_CONCAT(JSON_ARRAY(f.attribute_id, f.choice_id, f.number, f.unit, f.text)), ']')
                FROM fact f WHERE f.product_id = p.id AND f.attribute_id IN %(attributes)s) AS facts,
              (SELECT GROUP_CONCAT(o.tag_id) FROM tagging o WHERE o.kind = 'product' AND o.record_id = p.id) AS tags,
              (SELECT GROUP_CONCAT(x.attribute_id ORDER BY x.position) FROM product_axis x
                WHERE x.product_id = p.id) AS axes, {", ".join(f"v.{name}" for name in CHOICES)}"""


def export_rows(
    tx: Tx,
    lang: str,
    product_ids: Sequence[int] | None = None,
    attribute_ids: Sequence[int] = (),
    own_keys: Sequence[str] = (),
    location_ids: Sequence[int] = (),
    pictures_at: Places | None = None,
    listed: Collection[Listed] = (),
    seen: LensSelect | None = None,
) -> Iterator[dict[str, Any]]:
    """All variants one by one with their products, or those of some products, for a file.

    What these attributes say of each stands under the names of their columns, as a Fact, None where nothing; under
    these keys, with OWN before them, what holds for a language or a destination. ``pictures_at``: with the pictures
    that each variant shows, and where these are; ``listed``: with what products list; ``seen``: with what a lens shows,
    under SEEN before the names of fields.
    """
    used = used_attributes(tx)
    said = any(one in used for one in attribute_ids)
    shows = bool(pictures_at and tx.value("SELECT 1 FROM picture LIMIT 1"))
    among = ""
    if product_ids is not None:
        tx.run("CREATE OR REPLACE TEMPORARY TABLE exported (id INT UNSIGNED NOT NULL PRIMARY KEY)")
        load_rows(tx, "exported", ("id",), ((one,) for one in product_ids))
        among = "JOIN exported x ON x.id = p.id"
    of_variant = [one for one in VARIANT.fields if one.file and one.name != "sku" and not one.booked]
    inherited = [
        *(f"{held_sql(one.name)} AS {one.name}" for one in of_variant),
        f"IF(k.counted, {_at(first) if (first := _first_of_several(tx)) else 'k.on_hand'}, NULL) AS stock",
        *(f"IF(k.counted, {_at(one)}, NULL) AS `{STOCK_AT}{one}`" for one in location_ids),
    ]
    keys = [key for key in own_keys if key in _used_keys(tx)]
    owns = "".join(f", {_own_sql(key, f'o{place}')} AS `{OWN}{key}`" for place, key in enumerate(keys))
    joins = " ".join(_own_join(key, f"o{place}") for place, key in enumerate(keys))
    sees, as_seen = _seen(tx, seen) if seen else ("", "")
    lists = "".join(f", {batch_lists.out_sql(one)}" for one in listed)
    rows = tx.stream(
        f"""SELECT v.sku, {", ".join([*map(PRODUCT.column, PRODUCT.in_files), *inherited])}
            {_FACTS if said else ""} {owns} {sees} {lists} {out_pictures.SHOWN if shows else ""}
            FROM {store.FROM} {among} JOIN variant v ON v.product_id = p.id LEFT JOIN stock k ON k.id = v.id
            {joins} {as_seen}
            WHERE NOT v.archived ORDER BY p.id, v.id""",
        {"lang": lang, "attributes": list(attribute_ids)},
    )
    nothing: dict[str, Any] = dict.fromkeys(f"{OWN}{key}" for key in own_keys if key not in keys)
    if not said:
        nothing |= dict.fromkeys(map(fact_column, attribute_ids))
    nothing |= dict.fromkeys(file_pictures.FIELDS)
    for row in rows:
        row.update(nothing)
        if said:
            row.update(_facts(row, attribute_ids))
        if shows and pictures_at:
            row.update(out_pictures.cells(row, pictures_at))
        yield row


def _seen(tx: Tx, select: LensSelect) -> tuple[str, str]:
    """SQL of what a lens shows, and the join of it: worked out by sets first."""
    made = "CREATE OR REPLACE TEMPORARY TABLE seen_goods (PRIMARY KEY (variant_id))"
    tx.run(f"{made} {select.sql}", select.params)
    names = {name: "price" if name == ASKED else name for name in select.fields}
    columns = "".join(f", z.{name} AS `{SEEN}{shown}`" for name, shown in names.items())
    return columns, "LEFT JOIN seen_goods z ON z.variant_id = v.id"


def _first_of_several(tx: Tx) -> int | None:
    """The first location, where there are others; their stock stands in columns of its own."""
    found = stock_store.locations(tx)
    return found[0]["id"] if len(found) > 1 else None


def _at(location_id: int) -> str:
    """SQL of what is there of a variant at a location."""
    held = f"SELECT a.on_hand FROM stock_at a WHERE a.variant_id = v.id AND a.location_id = {int(location_id)}"
    return f"COALESCE(({held}), 0)"


def _used_keys(tx: Tx) -> set[str]:
    """The keys of values for a language or a destination that any product or variant has."""
    sql = "SELECT DISTINCT destination, lang, field FROM own_value WHERE kind IN ('product', 'variant')"
    return {f"{row['destination']}.{row['lang']}.{row['field']}" for row in tx.all(sql)}


def _own_sql(key: str, alias: str) -> str:
    """What holds for a language or a destination; an amount of a variant that has none, as its product has it."""
    destination, lang, field = split_key(key)
    if field not in AMOUNTS:
        return f"{alias}.value"
    return f"""COALESCE({alias}.value, IF(v.{field} IS NULL, (SELECT io.value FROM own_value io
               WHERE io.kind = 'product' AND io.record_id = p.id AND io.destination = '{destination}'
                 AND io.lang = '{lang}' AND io.field = '{field}'), NULL))"""


def _own_join(key: str, alias: str) -> str:
    """The join of what holds for a language or a destination, where a file says it: an amount with the variant, if its
    product varies."""
    destination, lang, field = split_key(key)
    level = f"IF({VARIES.format(product='p.id')}, 'variant', 'product')" if field in AMOUNTS else "'product'"
    return f"""LEFT JOIN own_value {alias} ON {alias}.kind = {level} AND {alias}.destination = '{destination}'
               AND {alias}.record_id = IF({level} = 'variant', v.id, p.id) AND {alias}.lang = '{lang}'
               AND {alias}.field = '{field}'"""


def used_attributes(tx: Tx) -> set[int]:
    """The attributes that say something of any product, TAGS_ID among them where any has a tag."""
    rows = tx.all(
        """SELECT DISTINCT attribute_id AS id FROM fact UNION SELECT DISTINCT attribute_id FROM product_axis
           UNION SELECT * FROM (SELECT %s FROM tagging WHERE kind = 'product' LIMIT 1) tagged""",
        [TAGS_ID],
    )
    return {int(row["id"]) for row in rows}


def _facts(row: Mapping[str, Any], attribute_ids: Sequence[int]) -> dict[str, Fact | None]:
    """What attributes say of a variant: those that its product differs by its own choice."""
    names = ("attribute_id", "choice_id", "number", "unit", "text")
    said = [dict(zip(names, one, strict=True)) for one in json.loads(row["facts"] or "[]", parse_float=Decimal)]
    facts = facts_of(said)
    for attribute_id, choice in zip((row["axes"] or "").split(","), CHOICES, strict=False):
        if attribute_id:
            facts[int(attribute_id)] = Fact((row[choice],))
    if row["tags"]:
        facts[TAGS_ID] = Fact(tuple(int(one) for one in row["tags"].split(",")))
    return {fact_column(one): facts.get(one) for one in attribute_ids}
