"""Sale prices by a file: what goods cost for a time, at one destination or everywhere."""

from datetime import timedelta
from decimal import Decimal

import pytest

from graupel.core.record_files import RowsAre
from graupel.core.roles import SYSTEM
from graupel.core.sales import Reach
from graupel.features.files import planned_rows, service
from graupel.features.files.records import out as records_out
from graupel.features.pricing import selling, single_goods
from graupel.features.products import asking
from graupel.features.products import service as products
from graupel.features.variants import making
from graupel.tables.writing import Out
from tests.making import add_outlet, bring_in, make_product, plan_file, roll_back_newest, work_off
from tests.needles import colour, size, wish

__all__ = ["colour", "size"]


def sales(ctx):
    """What each sale says, in the order of their ids: reach, price, title, how many goods it is for."""
    found = ctx.db.run(lambda tx: list(single_goods.standing(tx, ctx.now(tx) - timedelta(days=1))))
    return [
        (str(one.reach), str(one.reduction.amount), one.title, len(one.targets))
        for one in sorted(found, key=lambda one: one.id)
    ]


def refused(ctx, file):
    return {
        one.row.line: one.row.problems[0].code for one in planned_rows.rows_of(ctx, SYSTEM, file, "refused").records
    }


@pytest.fixture
def goods(ctx, colour):
    """Two products, and one that varies by colour."""
    for sku in ("FEL-1", "FEL-2"):
        make_product(ctx, sku, price=Decimal("9.80"))
    varying = make_product(ctx, "VAR", price=Decimal("12.00"))
    making.make(ctx, SYSTEM, varying, wish((colour, ["Oat", "Peat"])))
    return varying


def product_of(ctx, code):
    return ctx.db.run(lambda tx: single_goods.goods_named(tx, code))[0]


def skus_of(ctx, product_id):
    return [one.sku for one in products.read(ctx, SYSTEM, product_id).variants]


def test_goods_that_cost_the_same_for_the_same_time_are_one_sale_and_all_of_it_goes_back(ctx, goods):
    oat, peat = skus_of(ctx, goods)
    text = (
        "SKU,Sale price,From,Until,Sale\n"
        "FEL-1,7.90,2031-12-01,24.12.2031,Advent\n"
        "FEL-2,7.90,2031-12-01 00:00,2031-12-24,Advent\n"
        f"{oat},15 %,2031-12-01,,Oats\n"
        f"{peat},-2.00,,,\n"
    )
    file = plan_file(ctx, text)
    assert (file.row["rows_are"], file.row["counts"]["new"], sales(ctx)) == (RowsAre.SALE, 4, [])
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert sales(ctx) == [
        ("product", "7.90", "Advent", 2),
        ("variant", "15.00", "Oats", 1),
        ("variant", "2.00", "", 1),
    ]
    again = plan_file(ctx, text).row["counts"]
    assert (again["unchanged"], again["new"], again["changed"]) == (4, 0, 0)
    roll_back_newest(ctx)
    assert sales(ctx) == []


def test_another_price_changes_the_sale_of_these_goods_alone(ctx, goods):
    bring_in(ctx, "sku,sale price,from\nFEL-1,7.90,2031-12-01\nFEL-2,7.90,2031-12-01\n")
    file = plan_file(ctx, "sku,sale price,from,until\nFEL-2,6.90,2031-12-01,2031-12-09\n")
    (row,) = planned_rows.rows_of(ctx, SYSTEM, file, "changed").records
    assert (row.row.was, row.row.becomes) == (
        {"price": "7.90", "ends": ""},
        {"price": "6.90", "ends": "2031-12-09 00:00"},
    )
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert sales(ctx) == [("product", "7.90", "", 1), ("product", "6.90", "", 1)]
    bring_in(ctx, "sku,sale price,from\nFEL-2,5.90,2031-12-01\n")
    assert sales(ctx) == [("product", "7.90", "", 1), ("product", "5.90", "", 1)]


def test_a_sale_price_without_a_day_is_asked_at_once_and_can_be_for_one_shop(ctx, goods):
    shop = f"s{add_outlet(ctx)}"
    bring_in(ctx, "sku,sale price,at\nFEL-1,7.90,\nFEL-2,6.90,last skeins\n")
    found = {one.destination: one for one in ctx.db.run(lambda tx: list(single_goods.standing(tx, ctx.now(tx))))}
    assert {where: str(one.reduction.amount) for where, one in found.items()} == {"": "7.90", shop: "6.90"}
    product_id = product_of(ctx, "FEL-1")
    (asked,) = asking.now_of(ctx, [product_id])[product_id].values()
    assert asked.asked == Decimal("7.90")


def test_what_can_not_be_is_said_with_the_row(ctx, goods):
    bring_in(ctx, "sku,sale price,from,until\nFEL-1,7.90,2031-12-01,2031-12-24\n")
    on = selling.Goods(Reach.PRODUCT, [product_of(ctx, one) for one in ("FEL-1", "FEL-2")])
    selling.plan(ctx, SYSTEM, {"amount": "8", "title": "Now", "ends": "2031-11-01"}, on)
    text = (
        "sku,sale price,from,until,at,promotion\n"
        "NONE,1,,,,\n"
        "FEL-2,a lot,2031-01-01,,,\n"
        "FEL-1,5,2031-12-10,2031-12-11,,\n"
        "FEL-1,5,2031-05-01,2031-04-01,,\n"
        "FEL-2,5,2031-05-01,,Nowhere,\n"
        "FEL-2,5,2031-06-01,,,NONE\n"
        "FEL-2,6,,,,\n"
        "FEL-2,5,soon,,,\n"
    )
    assert refused(ctx, plan_file(ctx, text)) == {
        2: "sale.goods",
        3: "price.not_a_number",
        4: "sale.equal",
        5: "sale.ends",
        6: "sale.destination",
        7: "sale.promotion",
        8: "sale.on",
        9: "moment.unknown",
    }


def test_sale_prices_go_out_and_come_in_again_unchanged(ctx, goods):
    add_outlet(ctx)
    oat, _ = skus_of(ctx, goods)
    bring_in(ctx, f"sku,sale price,from,until,at\nFEL-1,7.90,2031-12-01,,\n{oat},20 %,,2031-12-24,Last Skeins\n")
    path = ctx.folder("exports") / "sales.csv"
    assert records_out.export(ctx, SYSTEM, path, Out.CSV, RowsAre.SALE).rows == 2
    counts = plan_file(ctx, path.read_bytes()).row["counts"]
    assert (counts["unchanged"], counts["refused"]) == (2, 0)


def test_a_sale_is_for_all_goods_or_for_those_of_a_product_that_have_a_choice(ctx, goods):
    _, peat = skus_of(ctx, goods)
    text = (
        "goods,with the choice,sale price,from,at\n"
        "All goods,,10 %,2031-11-28,\n"
        "VAR,colour = oat,15 %,2031-11-28,\n"
        "VAR,Colour = Peat,15 %,2031-11-28,\n"
        "FEL-1,,5 %,2031-11-28,\n"
        f"{peat},Colour = Oat,1 %,2031-11-28,\n"
        "VAR,Colour = Fern,1 %,2031-11-28,\n"
        "VAR,Oat,1 %,2031-11-28,\n"
        "all goods,Colour = Oat,1 %,2031-11-28,\n"
        "ALL GOODS,,20 %,2031-11-28,\n"
    )
    file = bring_in(ctx, text, leave_out=True)
    assert refused(ctx, file) == {
        6: "sale.choice",
        7: "sale.choice",
        8: "type.when",
        9: "sale.choice",
        10: "row.twice",
    }
    assert sales(ctx) == [("all", "10.00", "", 0), ("choice", "15.00", "", 2), ("product", "5.00", "", 1)]
    path = ctx.folder("exports") / "sales.csv"
    assert records_out.export(ctx, SYSTEM, path, Out.CSV, RowsAre.SALE).rows == 4
    again = plan_file(ctx, path.read_bytes()).row["counts"]
    assert (again["unchanged"], again["refused"]) == (4, 0)
    bring_in(
        ctx, "goods,with the choice,sale price,from\nall goods,,12 %,2031-11-28\nVAR,Colour = Oat,20 %,2031-11-28\n"
    )
    assert sales(ctx)[0] == ("all", "12.00", "", 0)
    assert sorted(sales(ctx)[1:]) == [
        ("choice", "15.00", "", 1),
        ("choice", "20.00", "", 1),
        ("product", "5.00", "", 1),
    ]
    roll_back_newest(ctx)
    assert sales(ctx)[:2] == [("all", "10.00", "", 0), ("choice", "15.00", "", 2)]


def test_a_sale_that_is_on_is_changed_where_the_file_says_the_same_of_all_its_goods(ctx, goods):
    on = selling.Goods(Reach.PRODUCT, [product_of(ctx, one) for one in ("FEL-1", "FEL-2")])
    selling.plan(ctx, SYSTEM, {"amount": "8", "title": "Now", "ends": "2031-11-01"}, on)
    file = plan_file(ctx, "sku,sale price,until\nFEL-1,8,2031-11-08\nFEL-2,8,2031-11-08\n")
    assert (file.row["counts"]["changed"], refused(ctx, file)) == (2, {})
    service.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    work_off(ctx)
    assert sales(ctx) == [("product", "8.00", "Now", 2)]
    assert plan_file(ctx, "sku,sale price,until\nFEL-1,8,2031-11-08\n").row["counts"]["unchanged"] == 1


def test_a_refused_row_leaves_its_goods_in_their_sale_for_the_rows_after_it(ctx, goods):
    bring_in(ctx, "sku,sale price,from,until\nFEL-1,7.90,2031-12-01,2031-12-24\nFEL-2,7.90,2031-12-01,2031-12-24\n")
    bring_in(ctx, "sku,sale price,from,until\nFEL-1,6,2031-12-26,2031-12-31\n")
    text = "sku,sale price,from,until\nFEL-1,5,2031-12-01,2031-12-28\nFEL-2,5,2031-12-01,2031-12-20\n"
    file = plan_file(ctx, text)
    assert refused(ctx, file) == {2: "sale.equal"}
    service.request_apply(ctx, SYSTEM, file.id, leave_out=True)
    work_off(ctx)
    assert sales(ctx) == [("product", "7.90", "", 1), ("product", "6.00", "", 1), ("product", "5.00", "", 1)]
