"""Products that vary: made, grown, priced, taken apart, by one person and by two at once."""

import threading
from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind
from graupel.core.errors import NotAllowed, Outdated, Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.db import DuplicateKey
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import making, service, setting, taking
from graupel.features.variants.making import Wish
from graupel.features.vocabulary import attributes, joining
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from tests.making import catalogue, counted, make_product, roll_back_newest
from tests.needles import by_label, colour, needles, size, wish

__all__ = ["colour", "needles", "size"]


def read(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id)


def test_the_one_that_is_there_keeps_sku_stock_and_gtin_and_its_price_becomes_the_products(ctx, needles):
    product, found = read(ctx, needles), by_label(ctx, needles)
    first = found["Heather, 3 mm"]
    assert (first.sku, first.stock, first.gtin, first.mpn, first.price) == ("NDL", 7, "9521234567899", "N-1", None)
    assert (product.values.price, product.values.weight_g, product.values.sku) == (Decimal("6.40"), 100, "")
    assert sorted(v.sku for v in product.variants) == [
        "NDL", "NDL-HEA-4", "NDL-OAT-3", "NDL-OAT-4", "NDL-RUS-3", "NDL-RUS-4",
    ]  # fmt: skip
    assert product.unpriced == 6
    assert product.prices.low == product.prices.high == Decimal("6.40")


def test_a_dry_run_shows_the_grid_and_skus_and_writes_nothing(ctx, colour):
    product_id = make_product(ctx, "FEL")
    before = catalogue(ctx)
    planned = making.plan_making(ctx, SYSTEM, product_id, wish((colour, ["Heather", "Oat", "Peat"])))
    assert list(planned.labels.values()) == ["Oat", "Peat"]
    assert list(planned.skus.values()) == ["FEL-OAT", "FEL-PEA"]
    assert catalogue(ctx) == before


def test_combinations_that_are_left_out_stay_gaps_also_when_the_product_grows_and_are_filled_one_by_one(
    ctx, colour, size
):
    product_id = make_product(ctx, "FEL")
    grid = wish((colour, ["Heather", "Oat"]), (size, ["3 mm", "4 mm"]))
    planned = making.plan_making(ctx, SYSTEM, product_id, grid)
    left = next(c for c, label in planned.labels.items() if label == "Oat, 4 mm")
    making.make(ctx, SYSTEM, product_id, Wish(grid.axes, grid.given, left_out=frozenset([left])))
    making.make(ctx, SYSTEM, product_id, wish((colour, ["Heather", "Oat", "Rust"]), (size, ["3 mm", "4 mm"])))
    assert set(by_label(ctx, product_id)) == {
        "Heather, 3 mm", "Heather, 4 mm", "Oat, 3 mm", "Rust, 3 mm", "Rust, 4 mm",
    }  # fmt: skip
    assert making.fill_gap(ctx, SYSTEM, product_id, left).number == 1
    assert making.fill_gap(ctx, SYSTEM, product_id, left).number == 0
    assert "Oat, 4 mm" in by_label(ctx, product_id)
    with pytest.raises(Refused, match="not there any more"):
        making.fill_gap(ctx, SYSTEM, product_id, (1, 2))


def test_a_further_axis_keeps_everything_and_adds_what_is_new(ctx, needles, colour, size):
    made = attributes.make(ctx, SYSTEM, Definition("Wood", AttributeKind.ONE_CHOICE, choices=["Birch", "Plum"]))
    wood = attributes.read(ctx, SYSTEM, made.id).attribute
    before = {v.id: (v.sku, v.stock, v.price) for v in read(ctx, needles).variants}
    old = [(colour, ["Heather", "Oat", "Rust"]), (size, ["3 mm", "4 mm"])]
    with pytest.raises(Refused, match="Say which Wood"):
        making.make(ctx, SYSTEM, needles, Wish(wish(*old, (wood, ["Birch", "Plum"])).axes))
    assert making.make(ctx, SYSTEM, needles, wish(*old, (wood, ["Birch", "Plum"]))).number == 6
    after = read(ctx, needles)
    assert {v.id: (v.sku, v.stock, v.price) for v in after.variants if v.id in before} == before
    assert all(v.combination[2] == wood.choices[0].id for v in after.variants if v.id in before)
    roll_back_newest(ctx)
    product = read(ctx, needles)
    assert {v.id: (v.sku, v.stock, v.price) for v in product.variants} == before
    assert len(product.axes) == 2


def test_a_product_that_begins_to_vary_can_be_rolled_back_to_what_it_was(ctx, colour):
    product_id = make_product(ctx, "FEL", stock=4, mpn="M-1")
    before, values = catalogue(ctx), read(ctx, product_id).values
    making.make(ctx, SYSTEM, product_id, wish((colour, ["Heather", "Oat"])))
    roll_back_newest(ctx)
    assert read(ctx, product_id).values == values
    assert catalogue(ctx) == before


def test_a_sku_is_never_given_again_even_after_its_variant_is_gone(ctx, needles, colour):
    gone = by_label(ctx, needles)["Rust, 4 mm"]
    going = taking.plan_taking(ctx, SYSTEM, needles, ids=[gone.id])
    taking.take_away(ctx, SYSTEM, needles, going.signature, ids=[gone.id])
    with pytest.raises(Refused, match="NDL-RUS-4 belonged to a variant that is gone"):
        make_product(ctx, "NDL-RUS-4")
    making.fill_gap(ctx, SYSTEM, needles, gone.combination)
    assert by_label(ctx, needles)["Rust, 4 mm"].sku == "NDL-RUS-4-2"
    renamed = by_label(ctx, needles)["Oat, 3 mm"]
    setting.save_one(ctx, SYSTEM, renamed.id, {"sku": "PALE-3"})
    with pytest.raises(Refused, match="was one of “Fellside aran NDL” before"):
        make_product(ctx, "ndl-oat-3")
    setting.save_one(ctx, SYSTEM, renamed.id, {"sku": "NDL-OAT-3"})


def test_the_sku_of_what_was_never_live_is_free_once_it_is_gone_and_then_does_not_come_back(ctx):
    draft = make_product(ctx, "DRAFT-1", status=Status.DRAFT)
    saving.delete(ctx, SYSTEM, draft)
    gone = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    other = make_product(ctx, "draft-1", status=Status.DRAFT)
    with pytest.raises(Refused, match="was given to something else since"):
        ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, gone))
    saving.delete(ctx, SYSTEM, other)
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, gone))
    assert read(ctx, draft).values.sku == "DRAFT-1"
    with pytest.raises(Refused, match="DRAFT-1 belongs to"):
        make_product(ctx, "DRAFT-1")


def test_a_sku_that_is_given_up_at_this_moment_is_not_given_to_another(ctx):
    first, second = (read(ctx, make_product(ctx, sku)).variants[0] for sku in ("X-1", "B-1"))
    told = []

    def rename(tx, variant, sku):
        with history.change_set(tx, SYSTEM, "variants.set", f"SKU {sku}") as recorder:
            tx.value("SELECT COUNT(*) FROM former_sku")  # what it sees from now on without a lock
            tx.run("UPDATE variant SET sku = %s, version = version + 1 WHERE id = %s", [sku, variant.id])
            recorder.changed("variant", variant.id, {"sku": variant.sku}, {"sku": sku}, variant.version + 1)

    def take():
        try:
            ctx.db.run(lambda tx: rename(tx, second, "X-1"))
        except Refused as refusal:
            told.append(str(refusal))

    def give_up(tx):
        rename(tx, first, "Y-1")
        taking = threading.Thread(target=take)
        taking.start()
        waiting = "SELECT COUNT(*) FROM information_schema.processlist WHERE info LIKE %s AND id <> CONNECTION_ID()"
        while taking.is_alive() and not tx.value(waiting, ["UPDATE variant SET sku = 'X-1'%"]):
            taking.join(0.02)
        return taking

    ctx.db.run(give_up).join(10)
    assert told == ["X-1 belonged to another variant before, and is not given again."]


def test_taking_a_value_away_shows_what_goes_archives_what_holds_stock_and_can_be_rolled_back(ctx, needles, colour):
    found = by_label(ctx, needles)
    setting.set_values(ctx, SYSTEM, needles, [found["Oat, 4 mm"].id], "stock", counted(3))
    before = catalogue(ctx)
    oat = next(c.id for c in colour.choices if c.label == "Oat")
    going = taking.plan_taking(ctx, SYSTEM, needles, choice=oat)
    assert [h.sku for h in going.taken.deleted] == ["NDL-OAT-3"]
    assert [(h.sku, h.stock) for h in going.taken.archived] == [("NDL-OAT-4", 3)]
    taking.take_away(ctx, SYSTEM, needles, going.signature, choice=oat)
    after = by_label(ctx, needles)
    assert "Oat, 3 mm" not in after
    assert after["Oat, 4 mm"].archived
    roll_back_newest(ctx)
    assert catalogue(ctx) == before


def test_a_dry_run_of_taking_away_that_is_out_of_date_takes_nothing_away(ctx, needles):
    gone = by_label(ctx, needles)["Oat, 4 mm"].id
    going = taking.plan_taking(ctx, SYSTEM, needles, ids=[gone])
    setting.set_values(ctx, SYSTEM, needles, [gone], "stock", counted(5))
    before = catalogue(ctx)
    with pytest.raises(Refused, match="changed since you looked"):
        taking.take_away(ctx, SYSTEM, needles, going.signature, ids=[gone])
    assert catalogue(ctx) == before
    with pytest.raises(Refused, match="At least one variant must stay"):
        taking.plan_taking(ctx, SYSTEM, needles, ids=[v.id for v in read(ctx, needles).variants])


def test_giving_up_the_last_axis_leaves_a_product_that_does_not_vary(ctx, colour):
    product_id = make_product(ctx, "FEL", price=Decimal("5.00"))
    making.make(ctx, SYSTEM, product_id, wish((colour, ["Heather", "Oat"])))
    oat = next(c.id for c in colour.choices if c.label == "Oat")
    setting.set_values(ctx, SYSTEM, product_id, [by_label(ctx, product_id)["Oat"].id], "price", Decimal("6.00"))
    dropping = taking.plan_dropping(ctx, SYSTEM, product_id, colour.id, oat)
    before = catalogue(ctx)
    taking.drop_axis(ctx, SYSTEM, product_id, colour.id, oat, dropping.signature)
    product = read(ctx, product_id)
    assert (product.varies, product.values.sku, product.values.price) == (False, "FEL-OAT", Decimal("6.00"))
    assert product.values.weight_g == 100
    roll_back_newest(ctx)
    assert catalogue(ctx) == before


def test_values_are_set_for_a_selection_and_given_back_to_the_product(ctx, needles):
    ids = [v.id for label, v in by_label(ctx, needles).items() if label.endswith("4 mm")]
    plan = setting.plan_setting(ctx, SYSTEM, needles, ids, "price", Decimal("9.80"))
    assert (len(plan.changing), plan.same) == (3, 0)
    assert setting.set_values(ctx, SYSTEM, needles, ids, "price", Decimal("9.80")) == 3
    product = read(ctx, needles)
    assert (product.prices.low, product.prices.high, product.unpriced) == (Decimal("6.40"), Decimal("9.80"), 3)
    assert setting.set_values(ctx, SYSTEM, needles, ids, "price", None) == 3
    assert read(ctx, needles).prices.is_one
    assert setting.set_values(ctx, SYSTEM, needles, ids, "price", None) == 0


def test_a_variant_that_costs_nothing_has_a_price_of_its_own(ctx, needles):
    first = read(ctx, needles).variants[0]
    setting.set_values(ctx, SYSTEM, needles, [first.id], "price", Decimal("0.00"))
    assert (read(ctx, needles).prices.low, read(ctx, needles).prices.high) == (Decimal("0.00"), Decimal("6.40"))


def test_each_variant_gets_its_own_value_of_a_pasted_column(ctx, needles):
    ids = [v.id for v in read(ctx, needles).variants]
    setting.set_each(ctx, SYSTEM, needles, "stock", {one: counted(place % 3) for place, one in enumerate(ids)})
    assert [v.stock for v in read(ctx, needles).variants] == [0, 1, 2, 0, 1, 2]
    roll_back_newest(ctx)
    assert [v.stock for v in read(ctx, needles).variants] == [7, None, None, None, None, None]


def test_a_live_product_has_no_variant_without_a_price(ctx, needles):
    values = read(ctx, needles).values
    with pytest.raises(Refused, match="6 variants have no price"):
        saving.save(ctx, SYSTEM, needles, products.replace(values, price=None), None)
    ids = [v.id for v in read(ctx, needles).variants]
    setting.set_values(ctx, SYSTEM, needles, ids, "price", Decimal("3.00"))
    saving.save(ctx, SYSTEM, needles, products.replace(read(ctx, needles).values, price=None), None)
    with pytest.raises(Refused, match="would have no price"):
        setting.set_values(ctx, SYSTEM, needles, ids[:1], "price", None)


def test_one_variant_has_texts_of_its_own_until_they_are_given_back(ctx, needles):
    first = read(ctx, needles).variants[0]
    setting.save_one(ctx, SYSTEM, first.id, {"name": "The first", "short_text": "Its own"})
    assert service.texts_of(ctx, first.id) == {"name": "The first", "short_text": "Its own"}
    setting.save_one(ctx, SYSTEM, first.id, {"name": "", "short_text": ""})
    assert service.texts_of(ctx, first.id) == {"name": "", "short_text": ""}
    roll_back_newest(ctx)
    assert service.texts_of(ctx, first.id)["name"] == "The first"
    with pytest.raises(Outdated):
        setting.save_one(ctx, SYSTEM, first.id, {"stock": counted(1)}, version=1)


@pytest.mark.concurrency
def test_two_who_add_the_same_value_at_once_make_each_variant_once(ctx, needles, colour, size):
    wanted = wish((colour, ["Heather", "Oat", "Rust", "Peat"]), (size, ["3 mm", "4 mm"]))
    barrier, made = threading.Barrier(3), []

    def add():
        barrier.wait()
        made.append(making.make(ctx, SYSTEM, needles, wanted).number)

    threads = [threading.Thread(target=add) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(made) == [0, 0, 2]
    assert len(by_label(ctx, needles)) == len(read(ctx, needles).variants) == 8


def test_the_database_itself_refuses_two_variants_with_the_same_values(ctx, needles):
    twin = read(ctx, needles).variants[0]
    with pytest.raises(DuplicateKey) as refusal:
        ctx.db.run(
            lambda tx: tx.run(
                "INSERT INTO variant (product_id, sku, choice_1, choice_2) VALUES (%s, 'TWIN', %s, %s)",
                [needles, *twin.combination],
            )
        )
    assert refusal.value.key == "variant_combination"


def test_three_thousand_combinations_are_refused_with_the_number_before_anything_is_made(ctx):
    many = [
        attributes.read(
            ctx,
            SYSTEM,
            attributes.make(
                ctx, SYSTEM, Definition(f"A{n}", AttributeKind.ONE_CHOICE, choices=[f"v{i}" for i in range(n)])
            ).id,
        ).attribute
        for n in (60, 50)
    ]
    product_id = make_product(ctx, "FEL")
    before = catalogue(ctx)
    with pytest.raises(Refused, match="3,000 variants; a product has at most 2,000"):
        making.make(ctx, SYSTEM, product_id, wish(*((a, [c.label for c in a.choices]) for a in many)))
    assert catalogue(ctx) == before


def test_joining_two_choices_moves_the_variants_and_is_refused_where_a_product_has_both(ctx, needles, colour):
    product_id = make_product(ctx, "FEL")
    making.make(ctx, SYSTEM, product_id, wish((colour, ["Peat"])))
    ids = {c.label: c.id for c in colour.choices}
    with pytest.raises(Refused, match=f"such as number {needles}"):
        joining.join(ctx, SYSTEM, "attribute_choice", ids["Oat"], ids["Rust"])
    before = catalogue(ctx)
    joining.join(ctx, SYSTEM, "attribute_choice", ids["Peat"], ids["Oat"])
    assert [v.combination for v in read(ctx, product_id).variants] == [(ids["Oat"],)]
    assert "Peat" not in [c.label for c in vocabulary.read(ctx).attributes[colour.id].choices]
    roll_back_newest(ctx)
    assert catalogue(ctx) == before


def test_a_product_that_was_never_live_is_deleted_with_all_its_variants_and_comes_back_whole(ctx, colour):
    product_id = make_product(ctx, "FEL", status=Status.DRAFT, picture_side=600, tags=("summer",), brand="Carrow Mill")
    making.make(ctx, SYSTEM, product_id, wish((colour, ["Heather", "Oat"])))
    before, values = catalogue(ctx), read(ctx, product_id).values
    saving.delete(ctx, SYSTEM, product_id)
    assert catalogue(ctx) == {}
    roll_back_newest(ctx)
    assert catalogue(ctx) == before
    assert read(ctx, product_id).values == values
    live = make_product(ctx, "LIVE")
    with pytest.raises(Refused, match="Archive it instead"):
        saving.delete(ctx, SYSTEM, live)


def test_a_viewer_changes_no_variant(ctx, needles, viewer, colour):
    first = read(ctx, needles).variants[0]
    before = catalogue(ctx)
    for attempt in (
        lambda: making.make(ctx, viewer, needles, wish((colour, ["Peat"]))),
        lambda: making.fill_gap(ctx, viewer, needles, first.combination),
        lambda: setting.set_values(ctx, viewer, needles, [first.id], "stock", counted(1)),
        lambda: setting.set_each(ctx, viewer, needles, "stock", {first.id: counted(1)}),
        lambda: setting.save_one(ctx, viewer, first.id, {"stock": counted(1)}),
        lambda: taking.take_away(ctx, viewer, needles, "", ids=[first.id]),
        lambda: taking.drop_axis(ctx, viewer, needles, colour.id, 1, ""),
    ):
        with pytest.raises(NotAllowed):
            attempt()
    assert catalogue(ctx) == before
