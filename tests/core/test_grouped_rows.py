"""Rows of a file that mean one product."""

from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from graupel.core.attributes import Attribute, AttributeKind, Choice, Fact
from graupel.core.grouped_rows import GroupedRow, Standing, plan_group

COLOUR, SIZE, NOTE = 1, 2, 3
ATTRIBUTES = {
    COLOUR: Attribute(COLOUR, "Colour", AttributeKind.COLOUR, choices=tuple(Choice(n, str(n), "") for n in (11, 12))),
    SIZE: Attribute(SIZE, "Size", AttributeKind.ONE_CHOICE, choices=tuple(Choice(n, str(n), "") for n in (21, 22))),
    NOTE: Attribute(NOTE, "Note", AttributeKind.SHORT_TEXT),
}


def fact(attribute_id, choices):
    value = Fact(text=str(choices)) if attribute_id == NOTE else Fact(choices=(choices,))
    return None if choices is None else value


facts = st.fixed_dictionaries(
    {},
    optional={
        COLOUR: st.sampled_from([None, 11, 12, -1]),
        SIZE: st.sampled_from([None, 21, 22]),
        NOTE: st.sampled_from([None, 1, 2]),
    },
).map(lambda said: {key: fact(key, value) for key, value in said.items()})
new_rows = st.lists(st.tuples(st.booleans(), facts), min_size=1, max_size=5).map(
    lambda found: [
        GroupedRow(line, f"S-{line}" if variant else "", None, said) for line, (variant, said) in enumerate(found, 2)
    ]
)


@given(new_rows)
def test_a_new_product_comes_in_whole_or_not_at_all_and_no_two_of_its_variants_are_the_same(rows):
    plan = plan_group(rows, None, ATTRIBUTES, "A")
    lines = {row.line for row in rows}
    assert set(plan.problems) in (set(), lines)
    if plan.problems:
        assert not plan.combinations
        assert not plan.facts
        return
    variants = [row for row in rows if row.sku]
    assert (len(variants) == 1) == (not plan.axes)
    if plan.axes:
        assert set(plan.combinations) == {row.line for row in variants}
        assert len(set(plan.combinations.values())) == len(variants)
        for place in range(len(plan.axes)):
            assert len({combination[place] for combination in plan.combinations.values()}) > 1, "it tells them apart"
    kept = [attribute_id for said in plan.facts.values() for attribute_id in said]
    assert len(kept) == len(set(kept)), "each fact is said once"
    assert not set(kept) & set(plan.axes)


@given(new_rows)
def test_what_was_brought_in_says_nothing_new_when_it_is_brought_in_again(rows):
    first = plan_group(rows, None, ATTRIBUTES, "A")
    if first.problems:
        return
    variants = [row for row in rows if row.sku]
    there = Standing(
        first.axes,
        {row.line: first.combinations.get(row.line, ()) for row in variants},
        {key: value for said in first.facts.values() for key, value in said.items() if value},
    )
    again = [GroupedRow(row.line, row.sku, row.line if row.sku else None, row.facts) for row in rows]
    plan = plan_group(again, there, ATTRIBUTES, "A")
    assert (plan.problems, plan.combinations, plan.facts) == ({}, {}, {})


def test_numbers_say_the_same_in_whatever_unit_and_an_emptied_fact_goes():
    there = Standing((), {7: ()}, {NOTE: Fact(text="soft")})
    plan = plan_group([GroupedRow(2, "S-2", 7, {NOTE: None, SIZE: None})], there, ATTRIBUTES, "A")
    assert plan.facts == {2: {NOTE: None}}


def test_a_variant_gets_no_choices_that_another_has_even_if_that_one_gives_them_up():
    there = Standing((COLOUR,), {7: (11,), 8: (12,)})
    rows = [GroupedRow(2, "S-7", 7, {COLOUR: Fact((12,))}), GroupedRow(3, "S-8", 8, {COLOUR: Fact((11,))})]
    plan = plan_group(rows, there, ATTRIBUTES, "A")
    assert set(plan.problems) == {2, 3}
    plan = plan_group([*rows[:1], GroupedRow(3, "S-9", None, {COLOUR: Fact((-1,))})], there, ATTRIBUTES, "A")
    assert (set(plan.problems), plan.combinations) == ({2}, {3: (-1,)})


def held(plan):
    return {key: value for said in plan.facts.values() for key, value in said.items()}


@given(new_rows)
def test_a_product_that_starts_to_vary_becomes_what_it_were_if_all_had_come_at_once(rows):
    at_once = plan_group(rows, None, ATTRIBUTES, "A")
    variants = [row for row in rows if row.sku]
    if at_once.problems or len(variants) == 1:
        return
    first = plan_group(variants[:1], None, ATTRIBUTES, "A")
    there = Standing((), {70: ()}, held(first))
    then = [replace(row, variant_id=70) if row is variants[0] else row for row in rows]
    plan = plan_group(then, there, ATTRIBUTES, "A")
    assert (plan.problems, plan.axes, plan.combinations) == ({}, at_once.axes, at_once.combinations)
    assert {key: value for key, value in {**there.facts, **held(plan)}.items() if value} == held(at_once)


def test_a_product_starts_to_vary_only_with_the_variant_that_it_has_and_whole():
    there = Standing((), {7: ()}, {COLOUR: Fact((11,))})
    new = GroupedRow(3, "S-8", None, {COLOUR: Fact((12,))})
    assert plan_group([new], there, ATTRIBUTES, "A").problems[3].code == "product.varies_not"
    own = GroupedRow(2, "S-7", 7, {})
    plan = plan_group([own, new], there, ATTRIBUTES, "A")
    assert (plan.axes, plan.combinations, plan.facts) == ((COLOUR,), {2: (11,), 3: (12,)}, {2: {COLOUR: None}})
    uncoded = plan_group([replace(own, coded=False), new], there, ATTRIBUTES, "A")
    alike = plan_group([own, replace(new, facts={COLOUR: Fact((11,))})], there, ATTRIBUTES, "A")
    assert set(uncoded.problems) == set(alike.problems) == {2, 3}
