"""What a planned set of rows would do: in numbers, in what it would make, and row by row."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from graupel.core import doubles
from graupel.core.declarations.products import PRODUCT
from graupel.core.imports import COLUMNS, ODD, REFS, ROW_FIELDS, Action, RowPlan, jumps, plan_row
from graupel.db import Tx, like
from graupel.features.categories import service as categories
from graupel.features.products.batch import OF_PRODUCT, OF_VARIANT, file_row, held_sql
from graupel.features.vocabulary import service as vocabulary


def counts(tx: Tx, batch_id: int) -> dict[str, int]:
    """Rows by action, and under "odd" those of them that would be written and are worth a look."""
    rows = tx.all(
        "SELECT action, COUNT(*) AS count, COUNT(odd) AS odd FROM batch_row WHERE batch_id = %s GROUP BY action",
        [batch_id],
    )
    found = {str(action): 0 for action in Action} | {row["action"]: row["count"] for row in rows}
    return found | {"odd": sum(row["odd"] for row in rows if row["action"] in ("new", "changed"))}


@dataclass(frozen=True)
class NewWord:
    """A category (its path) or brand that would be made, and those that are there and much like it, with why."""

    kind: str
    name: str
    near: tuple[tuple[str, str], ...] = ()


#: So many new ones are compared with those that are there.
MOST_COMPARED = 300


def new_words(tx: Tx, batch_id: int) -> list[NewWord]:
    """The categories that would be made, with those above them, and the brands; what is much like one that is there
    comes first."""
    tree = categories.load(tx)
    found: dict[str, NewWord] = {}
    for path in new_names(tx, batch_id, "category"):
        missing = tree.missing(path)
        for one in missing:
            if one not in found:
                near = tree.near(one) if one == missing[0] and len(found) < MOST_COMPARED else []
                found[one] = NewWord("category", one, tuple((double.other, double.why) for double in near))
    brands, there = new_names(tx, batch_id, "brand"), vocabulary.brand_names(tx).values()
    made = [
        NewWord("brand", name, tuple((double.other, double.why) for double in near))
        for place, name in enumerate(brands)
        for near in [doubles.near(name, there) if place < MOST_COMPARED else []]
    ]
    return sorted([*found.values(), *made], key=lambda one: (one.kind != "category", not one.near, one.name))


def lines(tx: Tx, batch_id: int, action: str) -> list[int]:
    """The lines of the rows of one action."""
    rows = tx.all("SELECT line FROM batch_row WHERE batch_id = %s AND action = %s ORDER BY line", [batch_id, action])
    return [row["line"] for row in rows]


def new_names(tx: Tx, batch_id: int, kind: str) -> list[str]:
    """Names or paths of the records of a kind of REFS that would be made; of one written in several ways the first."""
    rows = tx.all(
        f"""SELECT MIN({kind}) AS name FROM batch_row WHERE batch_id = %s AND {kind} IS NOT NULL AND {kind}_id IS NULL
            AND action IN ('new', 'changed') GROUP BY {kind} ORDER BY name""",
        [batch_id],
    )
    return [row["name"] for row in rows]


@dataclass(frozen=True)
class Sample:
    """One row with what it would do. ``name``: what the product is called, now or then."""

    line: int
    sku: str
    name: str
    product_id: int | None
    plan: RowPlan
    odd: tuple[str, ...] = ()

    @property
    def odd_words(self) -> list[str]:
        """What is odd about it, in sentences."""
        fields = ", ".join(COLUMNS[name].label for name in jumps(self.plan.before, self.plan.after))
        return [f"{fields} {ODD[one]}" if one == "jump" else ODD[one] for one in self.odd]


#: Which rows are shown, by what they are asked for by: an action, or those that are worth a look.
_SHOWN = {str(action): f"b.action = '{action}'" for action in Action} | {
    "moved": "b.action = 'moved'",
    "odd": "b.odd IS NOT NULL AND b.action IN ('new', 'changed')",
}


def _shown(tree: categories.Tree, brands: Mapping[int, str], name: str, record_id: int | None) -> str | None:
    """What a record of REFS is called in a row."""
    return (tree.path(record_id) if name == "category" else brands.get(record_id or 0)) or None


def samples(
    tx: Tx,
    batch_id: int,
    shown: str,
    lang: str,
    limit: int,
    after: int = 0,
    search: str = "",
    cleared: Collection[str] = (),
) -> list[Sample]:
    """Rows of one action, or "odd" or "moved" ones, in the order of the file, beyond the line ``after``.

    ``search``: in the SKU or the name; ``cleared``: the fields that an empty cell empties.
    """
    tree = categories.load(tx)
    found = "AND (b.shown_sku LIKE %(search)s OR COALESCE(t.name, b.name) LIKE %(search)s)" if search else ""
    now = [f"{PRODUCT.column(name)} AS {name}_now" for name in OF_PRODUCT]
    now += [*(f"{held_sql(name)} AS {name}_now" for name in OF_VARIANT), "b.stock_held AS stock_now"]
    now += [f"v.{name} IS NULL AS {name}_inherited" for name in OF_VARIANT if name in cleared]
    rows = tx.all(
        f"""SELECT b.*, {", ".join(now)}
           FROM batch_row b LEFT JOIN product p ON p.id = b.product_id
           LEFT JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
           LEFT JOIN variant v ON v.id = b.variant_id
           WHERE b.batch_id = %(batch)s AND {_SHOWN[shown]} AND b.line > %(after)s {found}
           ORDER BY b.line LIMIT %(limit)s""",
        {"batch": batch_id, "lang": lang, "limit": limit, "after": after, "search": f"%{like(search)}%"},
    )
    brands = vocabulary.brand_names(tx)
    return [_sample(row, partial(_shown, tree, brands), cleared) for row in rows]


def _sample(row: dict[str, Any], called: Callable[[str, int | None], str | None], cleared: Collection[str]) -> Sample:
    current = None
    if row["name_now"] is not None:
        current = {name: row[f"{name}_now"] for name in ROW_FIELDS if name not in REFS}
        current |= {name: called(name, row[f"{name}_id_now"]) for name in REFS}
        current["inherited"] = [name for name in cleared if row.get(f"{name}_inherited")]
    said = file_row(row | {name: called(name, row[f"{name}_id"]) or row[name] for name in REFS}, cleared)
    refused = RowPlan(Action.REFUSED, {}, {}, said.problems)  # judged already; the reasons stand in the row
    planned = refused if row["action"] == "refused" else plan_row(said, current, live=False)
    name = row["name_now"] or row["name"] or ""
    odd = tuple((row["odd"] or "").split(",")) if row["odd"] else ()
    return Sample(row["line"], row["shown_sku"], name, row["product_id"], planned, odd)
