"""The rows of a file that mean one product: what its variants differ by then, and what is said of it once.

Rows belong together by a product code, or because their SKUs are variants of one product that is there. A row without a
SKU speaks of the product alone. An attribute in which the rows of a new product differ tells its variants apart, if it
is one of choices; all others are facts of the product, of which its rows can't say different things. A product that is
there and does not vary yet starts to, where a row brings a second variant.
"""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from graupel.core.attributes import Attribute, Fact
from graupel.core.file_facts import same
from graupel.core.problems import Problem
from graupel.core.variants import MOST_AXES, MOST_VARIANTS, Combination


@dataclass(frozen=True)
class GroupedRow:
    """A row as far as its product must know it.

    ``sku``: "" where it speaks of the product alone; ``variant_id``: of the variant that is there; ``facts``: what it
    says, by attribute, None where that is emptied; ``coded``: it names its product by a code.
    """

    line: int
    sku: str
    variant_id: int | None = None
    facts: Mapping[int, Fact | None] = field(default_factory=dict)
    coded: bool = True


@dataclass(frozen=True)
class Standing:
    """A product that is there: the attributes it differs by, the choices of its variants by their ids, its facts."""

    axes: tuple[int, ...] = ()
    combinations: Mapping[int, Combination] = field(default_factory=dict)
    facts: Mapping[int, Fact] = field(default_factory=dict)


@dataclass
class GroupPlan:
    """What the rows of a product would do beside what each says by itself.

    ``axes``: what a new product differs by, or one that starts to vary; ``combinations``: by line the choices of a
    variant that is made, or that gets other ones; ``facts``: by line and attribute what the product says then, None
    for nothing more; ``problems``: by line why a row is refused. Ids of choices below 0 are those that the file makes.
    """

    axes: tuple[int, ...] = ()
    combinations: dict[int, Combination] = field(default_factory=dict)
    facts: dict[int, dict[int, Fact | None]] = field(default_factory=dict)
    problems: dict[int, Problem] = field(default_factory=dict)


def plan_group(
    rows: Sequence[GroupedRow], there: Standing | None, attributes: Mapping[int, Attribute], called: str
) -> GroupPlan:
    """What these rows would do to their product, None where it is to be made. ``called``: its code, for sentences.

    A new product, and one that starts to vary, comes in whole: where one of its rows is refused, all are.
    """
    if there is None and len(rows) == 1 and rows[0].sku:  # as most are; what follows would say the same, and later
        said: dict[int, Fact | None] = {key: fact for key, fact in rows[0].facts.items() if fact}
        return GroupPlan(facts={rows[0].line: said} if said else {})
    plan = GroupPlan()
    variants = [row for row in rows if row.sku]
    starts = there is not None and not there.axes and any(row.variant_id is None for row in variants)
    if there and starts:
        variants = [_with_its_facts(row, there, attributes) for row in variants]
    axes = there.axes if there and not starts else _axes(variants, attributes)
    if there is None or starts:
        plan.axes = axes
        _check_new(plan, rows, variants, axes, called)
    if there and starts:
        _check_start(plan, variants, there, called)
    _combine(plan, variants, axes, None if starts else there, attributes)
    _say(plan, rows, axes, there, attributes)
    if there and starts:
        _move_to_variants(plan, rows[0].line, axes, there)
    if plan.problems and (there is None or starts):
        first = min(plan.problems)
        for row in rows:
            plan.problems.setdefault(row.line, _as_another(first, called, new=there is None))
    for line in plan.problems:
        plan.combinations.pop(line, None)
        plan.facts.pop(line, None)
    return plan


def _as_another(line: int, called: str, *, new: bool) -> Problem:
    whole = "a new product comes in whole" if new else "one that starts to vary does so whole"
    return Problem("product.whole", f"Line {line:,} of the same product, {called}, is refused; {whole}.")


def _refuse(plan: GroupPlan, line: int, code: str, said: str, attribute_id: int | None = None) -> None:
    plan.problems.setdefault(line, Problem(code, said, f"fact-{attribute_id}" if attribute_id else None, line))


def _axes(variants: Sequence[GroupedRow], attributes: Mapping[int, Attribute]) -> tuple[int, ...]:
    """The attributes of choices in which these rows differ, in the order in which they are first said."""
    said: dict[int, set[tuple[int, ...]]] = {}
    for row in variants:
        for attribute_id, fact in row.facts.items():
            if fact and attributes[attribute_id].can_vary:
                said.setdefault(attribute_id, set()).add(fact.choices)
    return tuple(attribute_id for attribute_id, values in said.items() if len(values) > 1)


def _check_new(
    plan: GroupPlan, rows: Sequence[GroupedRow], variants: Sequence[GroupedRow], axes: Sequence[int], called: str
) -> None:
    if not variants:
        _refuse(plan, rows[0].line, "product.no_sku", f"{called} is new, and no row of it has a SKU.")
    elif len(variants) > 1 and not axes:
        _refuse(
            plan,
            variants[1].line,
            "variants.alike",
            f"Nothing tells the variants of {called} apart. Match a column such as its colour or size to an attribute, "
            "or give each row a product code of its own.",
        )
    elif len(axes) > MOST_AXES:
        said = f"The rows of {called} differ in {len(axes)} attributes; a product differs by at most {MOST_AXES}."
        _refuse(plan, variants[0].line, "axes.too_many", said)
    elif len(variants) > MOST_VARIANTS:
        said = f"{called} would have {len(variants):,} variants; a product has at most {MOST_VARIANTS:,}."
        _refuse(plan, variants[0].line, "variants.too_many", said)


def _with_its_facts(row: GroupedRow, there: Standing, attributes: Mapping[int, Attribute]) -> GroupedRow:
    """The row of the only variant of a product, with what the product says: that is what the variant is."""
    if row.variant_id is None:
        return row
    own = {key: fact for key, fact in there.facts.items() if key in attributes and len(fact.choices) == 1}
    return replace(row, facts=own | {key: fact for key, fact in row.facts.items() if fact})


def _check_start(plan: GroupPlan, variants: Sequence[GroupedRow], there: Standing, called: str) -> None:
    """Of the variant that is there it must be known what it is beside the new ones."""
    if not any(row.variant_id and row.coded for row in variants):
        first = next(row for row in variants if row.variant_id is None)
        said = (
            f"{called} is there, and does not vary yet. Give the variant that it has a row in this file too, with the "
            "product code and what tells it apart."
        )
        plan.problems[first.line] = Problem("product.varies_not", said, "code", first.line)


def _move_to_variants(plan: GroupPlan, lead: int, axes: Sequence[int], there: Standing) -> None:
    """What its variants differ by the product itself says no more."""
    for attribute_id in axes:
        if attribute_id in there.facts:
            plan.facts.setdefault(lead, {})[attribute_id] = None


def _combine(
    plan: GroupPlan,
    variants: Sequence[GroupedRow],
    axes: Sequence[int],
    there: Standing | None,
    attributes: Mapping[int, Attribute],
) -> None:
    """The choices of each variant; two with the same can't be."""
    if not axes:
        return
    held = dict(there.combinations) if there else {}
    taken: dict[Combination, int | None] = dict.fromkeys(held.values())
    number = len(held)
    for row in variants:
        was = held.get(row.variant_id or 0)
        combination = _combination(plan, row, axes, was, attributes)
        if combination is None or combination == was:
            continue
        if combination in taken:
            _refuse(plan, row.line, "variant.same", _same_as(taken[combination]))
            continue
        number += was is None
        if number > MOST_VARIANTS:
            said = f"A product has at most {MOST_VARIANTS:,} variants."
            _refuse(plan, row.line, "variants.too_many", said)
            continue
        taken[combination] = row.line
        plan.combinations[row.line] = combination


def _same_as(line: int | None) -> str:
    other = "a variant that is there" if line is None else f"line {line:,}"
    return f"This variant has the same choices as {other}. Match the column that tells them apart, or take one out."


def _combination(
    plan: GroupPlan,
    row: GroupedRow,
    axes: Sequence[int],
    was: Combination | None,
    attributes: Mapping[int, Attribute],
) -> Combination | None:
    found = []
    for place, attribute_id in enumerate(axes):
        fact = row.facts.get(attribute_id)
        if fact:
            found.append(fact.choices[0])
        elif was:
            found.append(was[place])
        else:
            attribute = attributes.get(attribute_id)  # one that is private to a product has no column
            said = f"Which {attribute.name if attribute else 'choice'} this variant has is not said, and its "
            said += "product’s variants differ by it."
            _refuse(plan, row.line, "variant.choice", said, attribute_id)
            return None
    return tuple(found)


def _say(
    plan: GroupPlan,
    rows: Iterable[GroupedRow],
    axes: Sequence[int],
    there: Standing | None,
    attributes: Mapping[int, Attribute],
) -> None:
    """What the rows say of the product itself, by the first row that says it; a second can't say otherwise."""
    said: dict[int, tuple[int, Fact | None]] = {}
    for row in rows:
        if row.line in plan.problems:
            continue
        for attribute_id, fact in row.facts.items():
            if attribute_id in axes:
                continue
            before = said.get(attribute_id)
            if before is None or (before[1] is None and fact):
                said[attribute_id] = (row.line, fact)
            elif fact and not same(before[1], fact):
                name = attributes[attribute_id].name
                apart = f"Line {before[0]:,} says another {name} of the same product."
                _refuse(plan, row.line, "fact.apart", apart, attribute_id)
    _keep(plan, said, {row.line for row in rows if row.coded}, axes, there, attributes)


def _keep(
    plan: GroupPlan,
    said: Mapping[int, tuple[int, Fact | None]],
    coded: Collection[int],
    axes: Sequence[int],
    there: Standing | None,
    attributes: Mapping[int, Attribute],
) -> None:
    """Keep what differs from what the product says now. ``coded``: the lines that name their product by its code."""
    for attribute_id, (line, fact) in said.items():
        before = there.facts.get(attribute_id) if there else None
        if same(fact, before, in_order=attributes[attribute_id].in_order):
            continue
        if axes and there and line not in coded:
            _refuse(plan, line, "fact.shared", shared_fact(attributes[attribute_id].name), attribute_id)
        elif line not in plan.problems:
            plan.facts.setdefault(line, {})[attribute_id] = fact


def shared_fact(name: str) -> str:
    """Why a row that names one variant of several says no fact of the product."""
    return (
        f"This SKU is one of several variants, and {name} belongs to all of them. Say the product code too, "
        "or change it at the product."
    )
