"""What a planned set of rows would do: in numbers, in what it would make, and row by row."""

import json
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from graupel.core import doubles
from graupel.core.declarations.products import PRODUCT
from graupel.core.file_columns import COLUMNS, DECLARED, REFS, ROW_FIELDS, SHARED_FIELDS, Known, fact_column
from graupel.core.imports import ODD, Action, FileRow, RowPlan, jumps, plan_row
from graupel.db import Tx, like
from graupel.features.categories import service as categories
from graupel.features.products.batch import named, planned_facts, reviving
from graupel.features.products.batch.part_numbers import MPN
from graupel.features.products.batch.planning import file_row
from graupel.features.products.batch.reviving import ASLEEP
from graupel.features.products.batch.spoken import OF_PRODUCT, OF_VARIANT, held_sql
from graupel.features.vocabulary import service as vocabulary


def counts(tx: Tx, batch_id: int) -> dict[str, int]:
    """Rows by action; under "odd" those of them that would be written and are worth a look.

    Of how many products those are that would be written stands under "products". Where rows name products by a code,
    "made" says how many they make, and "variants" how many variants. "asleep": those of archived goods that stay so.
    """
    rows = tx.all(
        f"""SELECT action, COUNT(*) AS count, COUNT(odd) AS odd,
                   CAST(COALESCE(SUM(FIND_IN_SET('{ASLEEP}', odd) > 0), 0) AS INT) AS asleep
            FROM batch_row WHERE batch_id = %s GROUP BY action""",
        [batch_id],
    )
    found = {str(action): 0 for action in Action} | {row["action"]: row["count"] for row in rows}
    written = "batch_id = %s AND action IN ('new', 'changed')"
    found["products"] = found["new"] + found["changed"]
    if tx.value(f"SELECT 1 FROM batch_row WHERE {written} AND code IS NOT NULL LIMIT 1", [batch_id]):
        sums = tx.one(
            f"""SELECT COUNT(DISTINCT COALESCE(product_id, -1.0 * COALESCE(lead, line))) AS products,
                       COUNT(DISTINCT IF(product_id IS NULL, COALESCE(lead, line), NULL)) AS made,
                       COALESCE(SUM(action = 'new' AND sku IS NOT NULL), 0) AS variants
                FROM batch_row WHERE {written}""",
            [batch_id],
        )
        found |= {name: int(number) for name, number in (sums or {}).items()}
    found["asleep"] = sum(row["asleep"] for row in rows if row["action"] in ("changed", "unchanged"))
    return found | {"odd": sum(row["odd"] for row in rows if row["action"] in ("new", "changed"))}


@dataclass(frozen=True)
class NewWord:
    """What would be made: a category (its path), a brand, or a choice of the attribute whose column is its kind; and
    those that are there and much like it, with why."""

    kind: str
    name: str
    near: tuple[tuple[str, str], ...] = ()


#: So many new ones are compared with those that are there.
MOST_COMPARED = 300


def new_words(tx: Tx, batch_id: int, known: Known = DECLARED) -> list[NewWord]:
    """The categories that would be made, with those above them, the brands and the choices; of each what is much like
    one that is there comes first."""
    tree = categories.load(tx)
    found: dict[str, NewWord] = {}
    for path in new_names(tx, batch_id, "category"):
        missing = tree.missing(path)
        for one in missing:
            if one not in found:
                near = tree.near(one) if one == missing[0] and len(found) < MOST_COMPARED else []
                found[one] = NewWord("category", one, tuple((double.other, double.why) for double in near))
    brands = vocabulary.names_of(tx, "brand").values()
    made = [_new_word("brand", name, brands, at) for at, name in enumerate(new_names(tx, batch_id, "brand"))]
    labels = {attribute.id: [choice.label for choice in attribute.choices] for attribute in known.attributes.values()}
    made += [
        _new_word(fact_column(row["attribute_id"]), row["label"], labels.get(row["attribute_id"], ()), at)
        for at, row in enumerate(planned_facts.new_choices(tx, batch_id))
        if not ((listed := known.lists.get(fact_column(row["attribute_id"]))) and listed.by_code)
    ]
    kinds = list(dict.fromkeys(["category", "brand", *(one.kind for one in made)]))
    return sorted([*found.values(), *made], key=lambda one: (kinds.index(one.kind), not one.near, one.name))


def _new_word(kind: str, name: str, there: Collection[str], place: int) -> NewWord:
    near = doubles.near(name, there) if place < MOST_COMPARED else []
    return NewWord(kind, name, tuple((double.other, double.why) for double in near))


def lines(tx: Tx, batch_id: int, action: str) -> list[int]:
    """The lines of the rows of one action."""
    rows = tx.all("SELECT line FROM batch_row WHERE batch_id = %s AND action = %s ORDER BY line", [batch_id, action])
    return [row["line"] for row in rows]


def told(tx: Tx, batch_id: int, action: str = "") -> Iterator[dict[str, Any]]:
    """Line, action and problems of all rows, or those of one action, in order, one by one."""
    narrowed = "AND action = %(action)s" if action else ""
    yield from tx.stream(
        f"SELECT line, action, problems FROM batch_row WHERE batch_id = %(batch)s {narrowed} ORDER BY line",
        {"batch": batch_id, "action": action},
    )


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
    """One row with what it would do. ``name``: what the product is called, now or then; ``variant_id``: the variant
    that it means, ``speaks``: it is the one that speaks for the product."""

    line: int
    sku: str
    name: str
    product_id: int | None
    plan: RowPlan
    odd: tuple[str, ...] = ()
    variant_id: int | None = None
    speaks: bool = True

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


def samples(
    tx: Tx,
    batch_id: int,
    shown: str,
    lang: str,
    limit: int,
    after: int = 0,
    search: str = "",
    cleared: Collection[str] = (),
    known: Known = DECLARED,
    narrowed: str = "",
    by: str = "",
    change_set_id: int | None = None,
    revives: bool = False,
) -> list[Sample]:
    """Rows of one action, or "odd" or "moved" ones, in the order of the file, beyond the line ``after``.

    ``search``: in the SKU or the name; ``cleared``: the fields that an empty cell empties; ``narrowed``: SQL of which
    of them, with ``%(by)s``; ``change_set_id``: the act that wrote them, whose journal says what was before;
    ``revives``: archived variants are for sale again.
    """
    found = "AND (b.shown_sku LIKE %(search)s OR COALESCE(t.name, b.name, l.name) LIKE %(search)s)" if search else ""
    now = [f"{PRODUCT.column(name)} AS {name}_now" for name in OF_PRODUCT]
    now += [f"{held_sql(name)} AS {name}_now" for name in (*OF_VARIANT, MPN)] + ["b.stock_held AS stock_now"]
    now += [f"{reviving.AGAIN if revives else 'FALSE'} AS again"]
    now += [f"v.{name} IS NULL AS {name}_inherited" for name in OF_VARIANT if name in cleared]
    rows = tx.all(
        f"""SELECT b.*, l.name AS lead_name, {", ".join(now)}
           FROM batch_row b LEFT JOIN product p ON p.id = b.product_id
           LEFT JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s
           LEFT JOIN variant v ON v.id = b.variant_id
           LEFT JOIN batch_row l ON l.batch_id = b.batch_id AND l.line = b.lead
           WHERE b.batch_id = %(batch)s AND {_SHOWN[shown]} AND b.line > %(after)s {found} {narrowed}
           ORDER BY b.line LIMIT %(limit)s""",
        {"batch": batch_id, "lang": lang, "limit": limit, "after": after, "search": f"%{like(search)}%", "by": by},
    )
    called = named.called(tx)
    done = {} if change_set_id is None else _done(tx, change_set_id, rows, called)
    facts = planned_facts.read(tx, batch_id, [row for row in rows if row["line"] not in done], known)
    return [_sample(row, called, cleared, facts.get(row["line"], planned_facts.NOTHING), done) for row in rows]


def _done(
    tx: Tx, change_set_id: int, rows: Sequence[Mapping[str, Any]], called: Mapping[str, Callable[[int], str | None]]
) -> dict[int, RowPlan]:
    """By line what was changed of the product and of the variant of a row, as far as they have columns of files."""
    wanted = {("product", row["product_id"]) for row in rows} | {("variant", row["variant_id"]) for row in rows}
    ids = sorted({one for _, one in wanted if one})
    journalled = tx.all(
        """SELECT record_kind, record_id, was, became FROM change_row WHERE change_set_id = %s
           AND record_kind IN ('product', 'variant') AND record_id IN %s AND was IS NOT NULL AND became IS NOT NULL""",
        [change_set_id, ids or [0]],
    )
    held = {(row["record_kind"], row["record_id"]): row for row in journalled}
    found = {}
    for row in rows:
        if row["action"] != Action.CHANGED:
            continue
        before: dict[str, Any] = {}
        after: dict[str, Any] = {}
        for key in (("product", row["product_id"]), ("variant", row["variant_id"])):
            if key in held and not (key[0] == "product" and row["lead"]):
                before |= _in_words(json.loads(held[key]["was"]), called)
                after |= _in_words(json.loads(held[key]["became"]), called)
        found[row["line"]] = RowPlan(Action.CHANGED, before, after)
    return found


def _in_words(values: Mapping[str, Any], called: Mapping[str, Callable[[int], str | None]]) -> dict[str, Any]:
    """Journalled values by the names of columns; records by what they are called."""
    said: dict[str, Any] = {}
    for name, value in values.items():
        column = name.removesuffix("_id") if name.removesuffix("_id") in REFS else name
        if name == "archived":
            said["status"] = "archived" if value else "live"
        elif column in COLUMNS:
            said[column] = called[column](value) if column != name and value else value
    return said


def _sample(
    row: dict[str, Any],
    called: Mapping[str, Callable[[int], str | None]],
    cleared: Collection[str],
    facts: planned_facts.Told,
    done: Mapping[int, RowPlan],
) -> Sample:
    def shown(kind: str, record_id: int | None) -> str | None:
        return (called[kind](record_id) if record_id else None) or None

    said = file_row(row | {name: shown(name, row[f"{name}_id"]) or row[name] for name in REFS}, cleared)
    if row["lead"]:  # another row speaks of the product
        said = replace(said, values={k: v for k, v in said.values.items() if k not in SHARED_FIELDS})
    plan = done.get(row["line"]) or _plan(row, said, shown, cleared)
    if plan.action is not Action.REFUSED and (facts.after or facts.before):
        action = Action.NEW if plan.action is Action.NEW else Action.CHANGED
        plan = RowPlan(action, plan.before | facts.before, plan.after | facts.after)
    name = row["name_now"] or row["name"] or row["lead_name"] or ""
    odd = tuple((row["odd"] or "").split(",")) if row["odd"] else ()
    sku = row["shown_sku"] or row["code"] or ""
    return Sample(row["line"], sku, name, row["product_id"], plan, odd, row["variant_id"], row["lead"] is None)


def _plan(
    row: dict[str, Any],
    said: FileRow,
    shown: Callable[[str, int | None], str | None],
    cleared: Collection[str],
) -> RowPlan:
    """What a row does by itself, as it was judged."""
    if row["action"] == "refused":  # the reasons stand in the row
        return RowPlan(Action.REFUSED, {}, {}, said.problems)
    if row["name_now"] is None or (row["action"] == "new" and row["product_id"]):
        whole = replace(said, values={"name": row["lead_name"] or row["name_now"], **said.values})
        plan = plan_row(whole, None, live=False)
        return replace(plan, after={k: v for k, v in plan.after.items() if k != "name" or k in said.values})
    current = {name: row[f"{name}_now"] for name in ROW_FIELDS if name not in REFS}
    current |= {name: shown(name, row[f"{name}_id_now"]) for name in REFS}
    if row["again"]:
        current["status"], said = "archived", replace(said, values={**said.values, "status": "live"})
    current["inherited"] = [name for name in cleared if row.get(f"{name}_inherited")]
    return plan_row(said, current, live=False)
