"""One product: made, changed by two at once, and rolled back."""

import threading
from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core import changes, products
from graupel.core.changes import goes_back
from graupel.core.errors import NotAllowed, NotFound, Refused
from graupel.core.pictures import Picture
from graupel.core.products import ProductValues, Status
from graupel.core.roles import SYSTEM
from graupel.features.categories import service as categories
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import saving, service
from graupel.features.products.saving import SaveConflict
from graupel.features.variants import setting
from tests.making import catalogue, counted, jpeg, make_product, roll_back_newest
from tests.needles import colour, needles, size

__all__ = ["colour", "needles", "size"]


def change(ctx, product_id, actor=SYSTEM, **given):
    product = service.read(ctx, SYSTEM, product_id)
    return saving.save(ctx, actor, product_id, replace(product.values, **given), product.version)


def save_as_seen(ctx, actor, before, **given):
    """A save by somebody whose page shows what ``before`` was."""
    return saving.save(
        ctx, actor, before.id, replace(before.values, **given), before.version, products.flat(before.values)
    )


def newest(ctx):
    return history.list_change_sets(ctx, SYSTEM).change_sets[0]


def test_what_was_written_is_read_back_with_its_pictures_in_order(ctx, editor):
    files = [media.take(ctx, editor, f"{c}.jpg", jpeg(colour=c)) for c in ("#112233", "#445566")]
    values = ProductValues(
        name="Fellside 🧶 aran",
        sku="FEL-1",
        price=Decimal("9.80"),
        weight_g=100,
        gtin="9521234567899",
        category_id=categories.make(ctx, editor, "Yarn > Aran").id,
        brand="Carrow Mill",
        mpn="CM-1",
        description="<p>Wool</p>",
        status=Status.LIVE,
        pictures=(Picture(files[1].id, "Second"), Picture(files[0].id, "")),
    )
    product = service.read(ctx, editor, saving.create(ctx, editor, values))
    assert product.values == values
    assert [file.id for file in product.pictures] == [files[1].id, files[0].id]
    assert product.category_path == "Yarn > Aran"


def test_a_taken_sku_is_refused_with_the_name_of_its_owner_in_any_case(ctx):
    make_product(ctx, "FEL-1", name="Fellside aran")
    with pytest.raises(Refused, match="The SKU fel-1 belongs to “Fellside aran” already"):
        make_product(ctx, "fel-1")
    other = make_product(ctx, "FEL-2")
    with pytest.raises(Refused) as refusal:
        change(ctx, other, sku="FEL-1")
    assert refusal.value.problems[0].field == "sku"


@pytest.mark.concurrency
def test_two_who_take_the_same_sku_at_the_same_moment_make_one_product(ctx):
    make_product(ctx, "OTHER")
    results = []
    barrier = threading.Barrier(4)

    def take():
        barrier.wait()
        try:
            results.append(make_product(ctx, "FEL-1"))
        except Refused as refusal:
            results.append(refusal.problems[0].code)

    threads = [threading.Thread(target=take) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(str(r) for r in results if isinstance(r, str)) == ["sku.taken"] * 3


def test_a_product_goes_live_only_with_price_and_category(ctx):
    product_id = make_product(ctx, "FEL-1", status=Status.DRAFT, price=None, category=None)
    with pytest.raises(Refused) as refusal:
        change(ctx, product_id, status=Status.LIVE)
    assert {p.field for p in refusal.value.problems} == {"price", "category_id"}


@pytest.mark.concurrency
def test_changes_of_two_people_in_different_fields_come_together_without_a_choice(ctx, editor):
    product_id = make_product(ctx, "FEL-1")
    before = service.read(ctx, editor, product_id)
    change(ctx, product_id, actor=editor, name="Theirs")
    saved = save_as_seen(ctx, SYSTEM, before, price=Decimal("1.00"))
    assert (saved.taken, saved.by) == (["Name"], editor.name)
    assert saved.changed == [("Price", "9.80", "1.00")]
    values = service.read(ctx, editor, product_id).values
    assert (values.name, values.price) == ("Theirs", Decimal("1.00"))


def test_changes_of_two_people_in_the_same_field_are_shown_with_both_values(ctx, editor):
    product_id = make_product(ctx, "FEL-1")
    before = service.read(ctx, editor, product_id)
    change(ctx, product_id, price=Decimal("2.00"))
    change(ctx, product_id, price=Decimal("3.00"))
    with pytest.raises(SaveConflict) as conflict:
        save_as_seen(ctx, editor, before, price=Decimal("4.00"))
    (found,) = conflict.value.merge.conflicts
    assert (found.field, found.was, found.mine, found.theirs) == ("price", "9.80", "4.00", "3.00")
    # A choice counts for the value that was shown beside one's own, and for no later one.
    seen, settled = conflict.value.seen, changes.marks({"price": "3.00"})
    change(ctx, product_id, price=Decimal("3.50"))
    mine = replace(before.values, price=Decimal("4.00"))
    with pytest.raises(SaveConflict) as again:
        saving.save(ctx, editor, product_id, mine, before.version, seen, settled=settled)
    assert [one.theirs for one in again.value.open] == ["3.50"]
    saving.save(ctx, editor, product_id, mine, before.version, seen, settled=changes.marks({"price": "3.50"}))
    assert service.read(ctx, editor, product_id).values.price == Decimal("4.00")


def test_pictures_count_as_a_field_of_the_page_so_nobody_loses_one(ctx, editor):
    product_id = make_product(ctx, "FEL-1", picture_side=600)
    before = service.read(ctx, editor, product_id)
    change(ctx, product_id, pictures=())
    assert save_as_seen(ctx, editor, before, name="Mine").taken == ["Pictures"]
    assert service.read(ctx, editor, product_id).values.pictures == ()


def test_a_variant_saved_on_the_same_page_is_no_conflict_with_oneself(ctx, editor, needles):
    before = service.read(ctx, editor, needles)
    setting.save_one(ctx, editor, before.variants[0].id, {"stock": counted(3)})
    assert save_as_seen(ctx, editor, before, name="Mine").taken == []
    assert service.read(ctx, editor, needles).variants[0].stock == 3


def test_a_save_that_changes_nothing_leaves_no_trace(ctx):
    product_id = make_product(ctx, "FEL-1", picture_side=600)
    sets = newest(ctx)["id"]
    assert change(ctx, product_id).changed == []
    assert newest(ctx)["id"] == sets


def test_a_save_says_what_changed(ctx):
    product_id = make_product(ctx, "FEL-1")
    assert change(ctx, product_id, price=Decimal("12.50"), weight_g=1200).changed == [
        ("Price", "9.80", "12.50"),
        ("Weight", "100 g", "1.2 kg"),
    ]


def test_rolling_a_save_back_gives_every_field_and_picture_back(ctx):
    product_id = make_product(
        ctx, "FEL-1", picture_side=600, name="Before ’” \\ \t🧶", description='<p>Line\nand "quote"</p>'
    )
    before = service.read(ctx, SYSTEM, product_id)
    change(
        ctx,
        product_id,
        name="After",
        price=None,
        status=Status.DRAFT,
        weight_g=None,
        pictures=(),
        description="",
        category_id=None,
    )
    by = roll_back_newest(ctx)
    after = service.read(ctx, SYSTEM, product_id)
    assert after.values == before.values
    assert after.version > before.version
    assert history.read(ctx, SYSTEM, by).change_set["rolls_back"]


def test_a_roll_back_can_be_rolled_back(ctx):
    product_id = make_product(ctx, "FEL-1", status=Status.DRAFT)
    before = catalogue(ctx)
    roll_back_newest(ctx)
    with pytest.raises(NotFound):
        service.read(ctx, SYSTEM, product_id)
    roll_back_newest(ctx)
    assert catalogue(ctx) == before
    assert service.read(ctx, SYSTEM, product_id).values.name == "Fellside aran FEL-1"


def test_what_was_changed_since_stays_and_is_counted(ctx, editor):
    product_id = make_product(ctx, "FEL-1")
    change(ctx, product_id, price=Decimal("2.00"), name="Second")
    first = newest(ctx)["id"]
    change(ctx, product_id, price=Decimal("3.00"))
    plan = rolling_back.plan(ctx, editor, first)
    assert (plan.back, plan.stay) == (1, 1)
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, editor, first))
    values = service.read(ctx, editor, product_id).values
    assert (values.name, values.price) == ("Fellside aran FEL-1", Decimal("3.00"))
    again = rolling_back.plan(ctx, editor, first)
    assert (again.back, again.stay) == (0, 1)


def test_a_viewer_reads_and_writes_nothing(ctx, viewer):
    product_id = make_product(ctx, "FEL-1")
    assert service.read(ctx, viewer, product_id).values.sku == "FEL-1"
    for attempt in (
        lambda: change(ctx, product_id, actor=viewer, name="x"),
        lambda: saving.create(ctx, viewer, ProductValues(name="x", sku="x")),
        lambda: categories.make(ctx, viewer, "New"),
        lambda: media.take(ctx, viewer, "x.jpg", jpeg()),
        lambda: rolling_back.request(ctx, viewer, 1),
    ):
        with pytest.raises(NotAllowed):
            attempt()


@pytest.mark.parametrize(
    "later",
    [
        {},
        {"name": "Third"},
        {"price": Decimal("3.00")},
        {"brand": "Other"},
        {"name": "Third", "gtin": None},
        {"price": None, "name": "First"},
    ],
)
def test_what_a_roll_back_leaves_alone_in_sets_is_what_the_rule_says_of_one_record(ctx, later):
    product_id = make_product(ctx, "FEL-1", name="First", gtin="9521234567899", status=Status.DRAFT)
    change(ctx, product_id, name="Second", brand="Carrow Mill", price=Decimal("2.00"))
    number = newest(ctx)["id"]
    change(ctx, product_id, **later)
    became = {row["record_kind"]: row["became"] for row in ctx.db.run(lambda tx: history.store.rows(tx, number, 9))}
    product = service.read(ctx, SYSTEM, product_id)
    brands = {name: number for number, name in product.vocabulary.brands.items()}
    values = vars(product.values) | {"brand_id": brands.get(product.values.brand)}
    became.pop("brand")  # made by the same change; it goes where the product no longer has it
    expected = sum(bool(goes_back(fields, values)) for fields in became.values())
    plan = rolling_back.plan(ctx, SYSTEM, number)
    assert plan.back - expected in (0, 1)
