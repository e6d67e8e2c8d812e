"""Attributes, types, brands and tags: made, joined, shared, and never lost while in use."""

import pytest

from graupel.core.attributes import AttributeKind, Fact
from graupel.core.errors import NotAllowed, Refused
from graupel.core.product_types import Need
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.products.service import replace
from graupel.features.vocabulary import attributes, carriers, joining, service, sharing, types
from graupel.features.vocabulary.attributes import ChoiceTyped, Definition
from graupel.features.vocabulary.types import Member
from tests.making import make_product, roll_back_newest


def make(ctx, name, kind=AttributeKind.ONE_CHOICE, *labels, **more):
    made = attributes.make(ctx, SYSTEM, Definition(name, kind, choices=labels, **more))
    return attributes.read(ctx, SYSTEM, made.id).attribute


def choice(attribute, label):
    return next(c.id for c in attribute.choices if c.label == label)


def change(ctx, product_id, **given):
    product = products.read(ctx, SYSTEM, product_id)
    return saving.save(ctx, SYSTEM, product_id, replace(product.values, **given), product.version)


def values(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id).values


def test_changing_the_type_sets_values_aside_and_gives_them_back(ctx):
    fibre, level = (
        make(ctx, "Fibre", AttributeKind.ONE_CHOICE, "Wool"),
        make(ctx, "Level", AttributeKind.ONE_CHOICE, "Easy"),
    )
    yarn, pattern = (service.make(ctx, SYSTEM, "type", name).id for name in ("Yarn", "Pattern"))
    types.save(ctx, SYSTEM, yarn, "Yarn", "YRN", [Member(fibre.id, need=Need.ALWAYS)])
    types.save(ctx, SYSTEM, pattern, "Pattern", "", [Member(level.id)])
    facts = {fibre.id: Fact(choices=(choice(fibre, "Wool"),))}
    product_id = make_product(ctx, "FEL", type_id=yarn, facts=facts)
    change(ctx, product_id, type_id=pattern)
    product = products.read(ctx, SYSTEM, product_id)
    assert product.values.facts == facts
    assert [a.name for a in products.product_types.set_aside(product.type, [fibre])] == ["Fibre"]
    change(ctx, product_id, type_id=yarn)
    assert values(ctx, product_id).facts == facts


def test_a_type_gives_product_codes_in_order_and_says_what_is_needed_to_go_live(ctx):
    fibre = make(ctx, "Fibre", AttributeKind.ONE_CHOICE, "Wool")
    yarn = service.make(ctx, SYSTEM, "type", "Yarn").id
    types.save(ctx, SYSTEM, yarn, "Yarn", "YRN", [Member(fibre.id, need=Need.ALWAYS)])
    drafts = [make_product(ctx, "", type_id=yarn, status=Status.DRAFT) for _ in range(2)]
    assert [values(ctx, one).code for one in drafts] == ["YRN-0001", "YRN-0002"]
    assert [values(ctx, one).sku for one in drafts] == ["YRN-0001", "YRN-0002"]
    with pytest.raises(Refused, match="Fibre is needed for the type Yarn"):
        change(ctx, drafts[0], status=Status.LIVE)
    change(ctx, drafts[0], status=Status.LIVE, facts={fibre.id: Fact(choices=(choice(fibre, "Wool"),))})


def test_a_pasted_list_adds_what_is_not_there_and_names_what_looks_double(ctx):
    fibre = make(ctx, "Fibre", AttributeKind.ONE_CHOICE, "Merino", "Alpaca")
    added = attributes.add_choices(ctx, SYSTEM, fibre.id, "merino; Linen; Alpacca")
    assert [c.label for c in added.made] == ["Linen", "Alpacca"]
    assert added.there == ["Merino"]
    assert [(d.one, d.other) for d in added.doubles] == [("Alpacca", "Alpaca")]


def test_codes_may_be_swapped_and_are_never_double(ctx):
    size = make(ctx, "Size", AttributeKind.ONE_CHOICE, "Small", "Large")
    one, other = size.choices
    swapped = [ChoiceTyped(other.id, "Large", one.code), ChoiceTyped(one.id, "Small", other.code, "#aabbcc")]
    attributes.save(ctx, SYSTEM, size.id, choices=swapped)
    after = attributes.read(ctx, SYSTEM, size.id).attribute.choices
    assert [(c.label, c.code, c.swatch) for c in after] == [("Large", "SMA", None), ("Small", "LAR", "#AABBCC")]
    twice = [ChoiceTyped(one.id, "Small", "SMA"), ChoiceTyped(other.id, "Large", "sma")]
    with pytest.raises(Refused, match="Two choices have the code SMA"):
        attributes.save(ctx, SYSTEM, size.id, choices=twice)


@pytest.mark.parametrize("kind", ["brand", "tag"])
def test_near_doubles_are_found_and_joined_with_a_dry_run_and_rolled_back(ctx, kind):
    def given(name):
        return {"brand": name} if kind == "brand" else {"tags": (name,)}

    names = ("Carrow Mill", "Carrow Mill 2", "carrow mill", "Tarn")
    ids = [make_product(ctx, f"P-{number}", **given(name)) for number, name in enumerate(names)]
    before = [values(ctx, one) for one in ids]
    pairs = [(p.gone_name, p.into_name, p.why) for p in joining.all_doubles(ctx, SYSTEM)]
    assert ("carrow mill", "Carrow Mill", "only case differs") in pairs
    named = {one.name: one.id for one in service.list_named(ctx, SYSTEM, kind)}
    plan = joining.plan(ctx, SYSTEM, kind, named["carrow mill"], named["Carrow Mill"])
    assert plan.use.products == 1
    joining.join(ctx, SYSTEM, kind, named["carrow mill"], named["Carrow Mill"])
    assert getattr(values(ctx, ids[2]), *given("")) in ("Carrow Mill", ("Carrow Mill",))
    assert "carrow mill" not in [one.name for one in service.list_named(ctx, SYSTEM, kind)]
    roll_back_newest(ctx)
    assert [values(ctx, one) for one in ids] == before


def test_a_tag_that_two_joined_tags_had_both_stands_once(ctx):
    product_id = make_product(ctx, "FEL", tags=("summer", "Summer"))
    named = {one.name: one.id for one in service.list_named(ctx, SYSTEM, "tag")}
    joining.join(ctx, SYSTEM, "tag", named["Summer"], named["summer"])
    assert values(ctx, product_id).tags == ("summer",)
    roll_back_newest(ctx)
    assert set(values(ctx, product_id).tags) == {"summer", "Summer"}


def test_what_is_in_use_can_not_vanish_and_a_replacement_takes_its_place(ctx):
    fibre = make(ctx, "Fibre", AttributeKind.SEVERAL_CHOICES, "Wool", "Linen", "Flax")
    wool, linen, flax = (choice(fibre, label) for label in ("Wool", "Linen", "Flax"))
    both = make_product(ctx, "A", facts={fibre.id: Fact(choices=(linen, flax))})
    one = make_product(ctx, "B", facts={fibre.id: Fact(choices=(flax,))})
    for kind, gone in (("attribute_choice", flax), ("attribute", fibre.id)):
        with pytest.raises(Refused, match="used by 2 products"):
            joining.join(ctx, SYSTEM, kind, gone, None)
    joining.join(ctx, SYSTEM, "attribute_choice", flax, linen)
    assert values(ctx, both).facts[fibre.id].choices == (linen,)
    assert values(ctx, one).facts[fibre.id].choices == (linen,)
    joining.join(ctx, SYSTEM, "attribute_choice", wool, None)
    assert [c.label for c in attributes.read(ctx, SYSTEM, fibre.id).attribute.choices] == ["Linen"]
    roll_back_newest(ctx)
    assert len(attributes.read(ctx, SYSTEM, fibre.id).attribute.choices) == 2


def test_a_private_attribute_is_made_shared_and_joins_the_shared_one_of_its_name(ctx):
    product_id = make_product(ctx, "FEL")
    private = make(ctx, "Finish", AttributeKind.ONE_CHOICE, "matt", "Waxed", product_id=product_id)
    change(ctx, product_id, facts={private.id: Fact(choices=(choice(private, "matt"),))})
    shared = make(ctx, "Finish", AttributeKind.ONE_CHOICE, "Matt", "Gloss")
    before = values(ctx, product_id)
    plan = sharing.plan_share(ctx, SYSTEM, private.id)
    assert (plan.joined, plan.added) == ([("matt", "Matt")], ["Waxed"])
    into = sharing.share(ctx, SYSTEM, private.id)
    assert into == shared.id
    after = attributes.read(ctx, SYSTEM, shared.id).attribute
    assert [c.label for c in after.choices] == ["Matt", "Gloss", "Waxed"]
    assert values(ctx, product_id).facts == {shared.id: Fact(choices=(choice(shared, "Matt"),))}
    roll_back_newest(ctx)
    assert values(ctx, product_id) == before
    alone = make(ctx, "Grain", AttributeKind.NUMBER, product_id=product_id, unit="length:mm")
    assert sharing.share(ctx, SYSTEM, alone.id) == alone.id
    assert attributes.read(ctx, SYSTEM, alone.id).attribute.product_id is None


def test_types_join_and_their_products_follow(ctx):
    fibre = make(ctx, "Fibre", AttributeKind.ONE_CHOICE, "Wool")
    yarn, yarns = (service.make(ctx, SYSTEM, "type", name).id for name in ("Yarn", "Yarns"))
    types.save(ctx, SYSTEM, yarns, "Yarns", "", [Member(fibre.id)])
    product_id = make_product(ctx, "FEL", type_id=yarns)
    joining.join(ctx, SYSTEM, "type", yarns, yarn)
    assert values(ctx, product_id).type_id == yarn
    roll_back_newest(ctx)
    assert values(ctx, product_id).type_id == yarns
    assert types.read(ctx, SYSTEM, yarns).type.has(fibre.id)


def test_a_tags_page_shows_all_that_carry_it(ctx):
    product_id = make_product(ctx, "FEL", tags=("summer",), name="Fellside")
    brand = service.make(ctx, SYSTEM, "brand", "Carrow Mill").id
    service.rename(ctx, SYSTEM, "brand", brand, "Carrow Mill", ["summer", " "])
    tag = service.list_named(ctx, SYSTEM, "tag")[0].id
    assert [(c.label, [r.title for r in c.records]) for c in carriers.of_tag(ctx, tag)] == [
        ("Products", ["Fellside"]),
        ("Brands", ["Carrow Mill"]),
    ]
    joining.join(ctx, SYSTEM, "brand", brand, None)
    assert [c.label for c in carriers.of_tag(ctx, tag)] == ["Products"]
    assert values(ctx, product_id).tags == ("summer",)


def test_a_viewer_changes_no_word(ctx, viewer):
    fibre = make(ctx, "Fibre", AttributeKind.ONE_CHOICE, "Wool")
    for attempt in (
        lambda: service.make(ctx, viewer, "brand", "New"),
        lambda: service.rename(ctx, viewer, "brand", 1, "New"),
        lambda: attributes.make(ctx, viewer, Definition("New", AttributeKind.DATE)),
        lambda: attributes.add_choices(ctx, viewer, fibre.id, "Linen"),
        lambda: attributes.save(ctx, viewer, fibre.id, "New", "", ""),
        lambda: types.save(ctx, viewer, 1, "New", "", []),
        lambda: joining.join(ctx, viewer, "attribute", fibre.id, None),
    ):
        with pytest.raises(NotAllowed):
            attempt()
