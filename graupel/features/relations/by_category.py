"""Rules by which goods belong together: what is in one category has the goods of another beside it.

A category that fills itself by conditions makes a rule one by conditions.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from graupel.context import Context
from graupel.core.declarations.relations import RELATION_RULE
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx, declared
from graupel.features.categories import service as categories
from graupel.features.history import service as history
from graupel.features.relations import store
from graupel.features.relations.rows import RuleRow

MOST_RULES = 300


@dataclass(frozen=True)
class Rule:
    """A rule in words: paths of categories, "" of one that is not there any more."""

    row: RuleRow
    kind: str
    of: str
    other: str


def list_rules(ctx: Context, actor: Actor) -> list[Rule]:
    """All rules, by kind."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: _in_words(ctx, tx, store.rules(tx)))


def _in_words(ctx: Context, tx: Tx, rows: Sequence[RuleRow]) -> list[Rule]:
    tree = categories.current(ctx, tx)
    kinds = {row["id"]: row["name"] for row in store.kinds(tx)}

    def path(category_id: int) -> str:
        return tree.path(category_id) if category_id in tree.by_id else ""

    return [
        Rule(row, kinds[row["relation_kind_id"]], path(row["of_category_id"]), path(row["other_category_id"]))
        for row in rows
    ]


def add(ctx: Context, actor: Actor, kind_id: int | None, of_id: int | None, other_id: int | None) -> None:
    """A new rule. Raises Refused."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        tree, kinds = categories.current(ctx, tx), {row["id"]: row["name"] for row in store.kinds(tx)}
        for name, value, known in (
            ("rule_kind", kind_id, kinds),
            ("of_category", of_id, tree.by_id),
            ("other_category", other_id, tree.by_id),
        ):
            if value not in known:
                raise Refused.because("relation.rule", "Choose one that is there.", name)
        assert kind_id is not None  # it is known
        rows = store.rules(tx)
        if len(rows) >= MOST_RULES:
            raise Refused.because("relation.rules", f"At most {MOST_RULES} rules are kept.", "rule_kind")
        title = f"{kinds[kind_id]}: goods of {tree.path(of_id)} with those of {tree.path(other_id)}"
        values = {
            "relation_kind_id": kind_id,
            "of_category_id": of_id,
            "other_category_id": other_id,
            "position": len(rows),
        }
        with history.change_set(tx, actor, "relation.rule", title) as recorder:
            recorder.made("relation_rule", declared.insert(tx, RELATION_RULE, values), values)

    try:
        ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("relation.rule", "This rule is there already.", "of_category") from error


def remove(ctx: Context, actor: Actor, rule_id: int) -> None:
    """A rule goes. Raises NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = next((one for one in store.rules(tx, lock=True) if one["id"] == rule_id), None)
        if row is None:
            raise NotFound("This rule is not there any more.")
        (said,) = _in_words(ctx, tx, [row])
        title = f"No longer {said.kind}: goods of {said.of or 'gone'} with those of {said.other or 'gone'}"
        with history.change_set(tx, actor, "relation.rule", title) as recorder:
            values = {name: row[name] for name in RELATION_RULE.columns()}  # type: ignore[literal-required]
            recorder.removed("relation_rule", rule_id, values, row["version"])
            declared.delete(tx, RELATION_RULE, rule_id)

    ctx.db.run(work)


def of_goods(ctx: Context, tx: Tx, category_ids: Sequence[int | None]) -> list[Rule]:
    """The rules that hold for what stands in some categories, or in any below that of a rule."""
    rows = ctx.counts.get((history.written_stamp(tx), "rules of relations"), lambda: store.rules(tx))
    if not rows:
        return []
    tree = categories.current(ctx, tx)
    within = {step.id for one in category_ids for step in tree.way(one)}
    return _in_words(ctx, tx, [row for row in rows if row["of_category_id"] in within])
