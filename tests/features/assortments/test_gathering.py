"""Goods by conditions: a category that fills itself, what a shop shows, orders by hand and by rule."""

import random
import re
from dataclasses import replace
from decimal import Decimal

import pytest

from graupel.core import conditions as rules
from graupel.core import product_fields
from graupel.core.categories import Order, arrange
from graupel.core.conditions import Condition, Goods
from graupel.core.errors import NotAllowed, Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.assortments import gathering, service
from graupel.features.categories import counts, deleting
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.products import many, saving, table
from graupel.features.products import service as products
from graupel.features.variants import setting
from graupel.features.vocabulary import joining
from graupel.features.vocabulary import service as vocabulary
from tests.making import add_outlet, make_product, roll_back_newest, set_status
from tests.needles import by_label, colour, needles, size, wish
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger", "wish"]


def word(ctx, kind: str, name: str) -> int:
    return vocabulary.make(ctx, SYSTEM, kind, name).id


@pytest.fixture
def summer(ctx) -> int:
    """A category that fills itself: Carrow Mill, below 20, tagged summer."""
    made = categories.make(ctx, SYSTEM, "Summer").id
    asked = [
        Condition("brand", "is", word(ctx, "brand", "Carrow Mill")),
        Condition("price", "below", None, "20.00"),
        Condition("tag", "is", word(ctx, "tag", "summer")),
    ]
    service.save_conditions(ctx, SYSTEM, "category", made, asked)
    return made


def linen(ctx, sku: str, **more) -> int:
    return make_product(ctx, sku, **{"brand": "Carrow Mill", "tags": ("summer",), "price": Decimal("12.00"), **more})


def inside(ctx, category_id: int) -> list[int]:
    return sorted(service.placed(ctx, SYSTEM, category_id).ids)


def test_a_category_fills_itself_and_follows_every_change_and_roll_back(ctx, summer):
    fits = linen(ctx, "L-1")
    dear = linen(ctx, "L-2", price=Decimal("20.00"))
    other = linen(ctx, "L-3", brand="Tarnlight")
    assert inside(ctx, summer) == [fits]
    assert counts.of(ctx).own[summer] == 1
    values = products.read(ctx, SYSTEM, dear).values
    saving.save(ctx, SYSTEM, dear, rules.replace(values, price=Decimal("19.99")), None)
    assert inside(ctx, summer) == [fits, dear]
    roll_back_newest(ctx)
    assert inside(ctx, summer) == [fits]
    by_price = [Condition("price", "from", None, "20.00")]
    plan = service.plan_conditions(ctx, SYSTEM, "category", summer, by_price)
    assert (plan.come, plan.go, plan.stay) == (1, 1, 0)
    assert [row["id"] for row in plan.coming + plan.going] == [dear, fits]
    assert inside(ctx, summer) == [fits], "a dry run writes nothing"
    service.save_conditions(ctx, SYSTEM, "category", summer, by_price)
    assert inside(ctx, summer) == [dear]
    assert counts.of(ctx).own[summer] == 1, "what is kept in memory has heard of it"
    roll_back_newest(ctx)
    assert inside(ctx, summer) == [fits]
    assert other not in inside(ctx, summer)


def test_conditions_follow_words_that_are_joined_and_hold_for_nothing_when_they_are_gone(ctx, summer):
    fits = linen(ctx, "L-1")
    brands = {name: key for key, name in vocabulary.read(ctx).brands.items()}
    into = word(ctx, "brand", "Carrow Mills")
    joining.join(ctx, SYSTEM, "brand", brands["Carrow Mill"], into)
    assert service.placed(ctx, SYSTEM, summer).conditions[0].ref_id == into
    assert inside(ctx, summer) == [fits]
    tag = next(key for key, name in vocabulary.read(ctx).tags.items() if name == "summer")
    joining.join(ctx, SYSTEM, "tag", tag, None)
    assert service.placed(ctx, SYSTEM, summer).conditions[2].ref_id is None
    assert inside(ctx, summer) == []
    roll_back_newest(ctx)
    assert inside(ctx, summer) == [fits]


def test_a_deleted_category_that_comes_back_is_filled_again(ctx, summer):
    fits = linen(ctx, "L-1")
    deleting.delete(ctx, SYSTEM, summer, with_branch=True)
    roll_back_newest(ctx)
    assert inside(ctx, summer) == [fits]


def test_conditions_hold_by_sets_as_they_hold_for_one(ctx, needles, colour):
    dice = random.Random(7)
    brands, tags = ([word(ctx, kind, f"{kind} {n}") for n in range(2)] for kind in ("brand", "tag"))
    heather = colour.choices[0].id
    questions = [
        *(Condition("brand", op, one) for op in ("is", "is not") for one in (*brands, None)),
        *(Condition("tag", op, one) for op in ("is", "is not") for one in (*tags, None)),
        *(Condition("choice", op, heather) for op in ("is", "is not")),
        *(Condition("price", op, None, "20.00") for op in ("below", "from")),
        *(Condition("stock", op, None, "5") for op in ("below", "from")),
        *(Condition("name", op, None, text) for op in ("has", "has not") for text in ("TWEED", "0%", "d_y", "\\y")),
        *(Condition("origin_country", op, None, "IE") for op in ("is", "is not")),
    ]
    all_asked = [[one] for one in questions] + [dice.sample(questions, 2) for _ in range(30)]
    filled = {}
    for number, asked in enumerate(all_asked):
        category = categories.make(ctx, SYSTEM, f"Filled {number}").id
        filled[category] = asked
        ctx.db.run(lambda tx, category=category, asked=asked: _ask(tx, category, asked))
    for number in range(14):
        make_product(
            ctx,
            f"P-{number}",
            name=dice.choice(["Tweed 100%", "tweed_yarn", "Linen \\yarn"]),
            price=dice.choice([None, Decimal("5.00"), Decimal("20.00"), Decimal("20.01")]),
            stock=dice.choice([None, 0, 4, 5]),
            brand=dice.choice(["", "brand 0", "brand 1"]),
            tags=tuple(f"tag {n}" for n in range(2) if dice.random() < 0.5),
            origin_country=dice.choice([None, "IE", "PT"]),
            status=Status.DRAFT,
        )
    varying = rules.replace(products.read(ctx, SYSTEM, needles).values, name="Tweed 4", origin_country="PT")
    saving.save(ctx, SYSTEM, needles, varying, None)
    made_in_ireland = by_label(ctx, needles)["Heather, 3 mm"].id
    setting.set_values(ctx, SYSTEM, needles, [made_in_ireland], "origin_country", "IE")
    everything = _goods(ctx)
    for category, asked in filled.items():
        expected = sorted(key for key, goods in everything.items() if rules.fits(asked, goods))
        found = ctx.db.run(lambda tx, asked=asked: gathering.fitting(tx, asked, "en"))
        assert sorted(found) == expected, asked
        assert inside(ctx, category) == expected, f"after each change set: {asked}"
    assert ctx.db.run(lambda tx: gathering.fitting(tx, [], "en")) == []


def _ask(tx, category: int, asked: list[Condition]) -> None:
    tx.many(
        """INSERT INTO goods_condition (owner, owner_id, position, field, op, ref_id, value)
           VALUES ('category', %s, %s, %s, %s, %s, %s)""",
        [(category, place, one.field, one.op, one.ref_id, one.value) for place, one in enumerate(asked)],
    )


def _goods(ctx) -> dict[int, Goods]:
    words = vocabulary.read(ctx)
    brands = {name: key for key, name in words.brands.items()}
    tags = {name: key for key, name in words.tags.items()}
    found = {}
    for product in many.list_after(ctx, SYSTEM, after=0, limit=100):
        one = products.read(ctx, SYSTEM, product.id)
        stocks = [v.stock for v in one.for_sale if v.stock is not None]
        found[one.id] = Goods(
            one.values.name,
            brands.get(one.values.brand),
            one.values.type_id,
            one.prices.low,
            sum(stocks) if stocks else None,
            frozenset(tags[name] for name in one.values.tags),
            frozenset(choice for v in one.for_sale for choice in v.combination),
            {"origin_country": frozenset(v.origin_country or one.values.origin_country for v in one.for_sale)},
        )
    return found


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ({"field": "brand", "op": "is", "value": "x"}, "Choose which brand"),
        ({"field": "price", "op": "below", "value": "cheap"}, "is not a price"),
        ({"field": "stock", "op": "from", "value": "-1"}, "no number of pieces"),
        ({"field": "name", "op": "is", "value": "x"}, "not known"),
        ({"field": "origin_country", "op": "is", "value": "Nowhere"}, "is no country"),
        ({"field": "name", "op": "has", "value": "x" * 90}, "At most 80"),
    ],
)
def test_a_condition_that_says_nothing_is_refused_with_what_is_wrong(row, says):
    with pytest.raises(Refused, match=says):
        rules.read([row], "EUR")
    assert rules.read([{"field": "brand", "op": "is", "value": ""}], "EUR") == []


# --- goods put in by hand, and their order -------------------------------------------------------------------


def test_goods_are_put_in_taken_out_and_ordered_by_hand_or_by_a_rule(browser, ctx):
    shelf = categories.make(ctx, SYSTEM, "Window").id
    cheap, dear = make_product(ctx, "A-1", price=Decimal(3)), make_product(ctx, "A-2", price=Decimal(9), name="Alpaca")
    homeless = make_product(ctx, "A-3", category=None, status=Status.DRAFT, price=Decimal(5))
    here = f"/categories/{shelf}/goods"
    assert "Put in: 3." in browser.write(f"{here}/put", {"ids": f"{cheap} {dear} {homeless}"}).text
    ways = service.placed(ctx, SYSTEM, shelf).ways
    assert [ways[key] for key in (cheap, dear, homeless)] == ["further", "further", "main"]

    def order(rule: str, **more) -> list[int]:
        browser.write(f"{here}/order", {"order": rule, **more})
        return service.placed(ctx, SYSTEM, shelf).ids

    assert order("cheapest") == [cheap, homeless, dear]
    assert order("dearest") == [dear, homeless, cheap]
    assert order("newest") == [homeless, dear, cheap]
    assert order("name")[0] == dear
    assert order("cheapest") == order("hand") == [cheap, homeless, dear], "by hand it begins as it stands"
    assert order("hand", ids=f"{homeless} {cheap}") == [homeless, cheap, dear]
    assert service.placed(ctx, SYSTEM, shelf).order is Order.HAND
    assert browser.write(f"{here}/take", {"ids": str(cheap)}).status_code == 200
    assert service.placed(ctx, SYSTEM, shelf).ids == [homeless, dear]
    roll_back_newest(ctx)
    assert service.placed(ctx, SYSTEM, shelf).ids == [homeless, cheap, dear], "its place was kept"
    only = make_product(ctx, "A-4", category="Window")
    refused = browser.write(f"{here}/take", {"ids": str(only)})
    assert refused.status_code == 422
    assert "A live product needs a category" in refused.text
    service.put_in(ctx, SYSTEM, categories.make(ctx, SYSTEM, "Other").id, [only])
    service.take_out(ctx, SYSTEM, shelf, [only])
    assert products.read(ctx, SYSTEM, only).category_path == "Other"
    assert "Alpaca" in browser.get(f"{here}/find?q=alpaca").text


def test_what_stands_before_others_does_so_wherever_nobody_ordered_by_hand(stranger, ctx):
    goods = [make_product(ctx, f"N-{number}", price=Decimal(9 - number), category="Yarn") for number in range(5)]
    yarn = categories.make(ctx, SYSTEM, "Yarn").id

    def stand(product_id, place):
        values = products.read(ctx, SYSTEM, product_id).values
        saving.save(ctx, SYSTEM, product_id, replace(values, first_place=place), None)

    def order(where):
        return [int(one) for one in re.findall(r'<li><a href="[^"]*/p/(\d+)-', stranger.get(where).text)]

    stand(goods[1], 2)
    stand(goods[0], 1)
    newest, by_hand = (
        [goods[0], goods[1], goods[4], goods[3], goods[2]],
        [goods[3], goods[0], goods[1], goods[4], goods[2]],
    )
    assert order("/shop/search?q=fellside") == newest
    service.set_order(ctx, SYSTEM, yarn, Order.NEWEST)
    assert order(f"/shop/c/{yarn}-x") == newest
    service.set_order(ctx, SYSTEM, yarn, Order.HAND, by_hand)
    assert order(f"/shop/c/{yarn}-x") == by_hand, "a hand counts for more"
    stand(goods[0], None)
    service.set_order(ctx, SYSTEM, yarn, Order.NEWEST)
    assert order(f"/shop/c/{yarn}-x") == [goods[1], goods[4], goods[3], goods[2], goods[0]]


@pytest.mark.parametrize("text", ["0", "1000", "-1", "x", "1.5", "9" * 4400])
def test_a_place_before_others_is_a_small_number(text):
    with pytest.raises(Refused):
        product_fields.parse_first_place(text)
    assert (product_fields.parse_first_place(""), product_fields.parse_first_place(" 7 ")) == (None, 7)


def test_an_order_by_hand_keeps_its_places_and_what_is_new_comes_after():
    assert arrange([1, 2, 3, 4], [3, 9, 1, 3]) == [3, 1, 2, 4]


# --- what a shop shows ---------------------------------------------------------------------------------------


def shown(ctx, shop_id: int) -> list[int]:
    shop = destinations.read_shop(ctx, SYSTEM, shop_id)
    return ctx.db.run(lambda tx: sorted(service.shown_in(ctx, tx, shop)))


def test_an_assortment_is_all_or_categories_conditions_and_single_goods_but_never_what_is_left_out(ctx, summer):
    shop = add_outlet(ctx)
    below = make_product(ctx, "K-1", category="Kits > Socks")
    tagged, single, none = linen(ctx, "L-1"), make_product(ctx, "S-1"), make_product(ctx, "N-1")
    draft = make_product(ctx, "D-1", category="Kits", status=Status.DRAFT)
    assert shown(ctx, shop) == [], "a new shop shows nothing until it is chosen"
    kits = categories.read_tree(ctx).find("kits")
    service.put_in_shop(ctx, SYSTEM, shop, "category", [kits])
    service.save_conditions(ctx, SYSTEM, "shop", shop, [Condition("name", "has", None, "L-1")])
    service.put_in_shop(ctx, SYSTEM, shop, "product", [single, draft])
    assert shown(ctx, shop) == [below, tagged, single]
    service.put_in_shop(ctx, SYSTEM, shop, "product", [below], left_out=True)
    assert shown(ctx, shop) == [tagged, single]
    roll_back_newest(ctx)
    assert shown(ctx, shop) == [below, tagged, single]
    set_status(ctx, draft, Status.LIVE)
    assert draft in shown(ctx, shop)
    service.forget_in_shop(ctx, SYSTEM, shop, "product", [single])
    assert single not in shown(ctx, shop)
    service.set_shows_all(ctx, SYSTEM, destinations.read_shop(ctx, SYSTEM, shop), True)
    assert none in shown(ctx, shop)
    assert len(shown(ctx, destinations.FIRST)) == 5, "the default shop shows everything that is live"


def test_the_pages_of_goods_conditions_and_assortments(browser, as_role, ctx, summer):
    linen(ctx, "L-1", name="Curlew linen")
    shop = add_outlet(ctx)
    page = browser.get(f"/categories/{summer}/goods").text
    assert "Curlew linen" in page
    assert "by conditions" in page
    typed = {"field": ["price"], "op": ["from"], "value": ["50"]}
    plan = browser.write(f"/conditions/category/{summer}/plan", typed).text
    assert "0 would come, 1 would go, 0 would stay" in plan
    assert "is not a price" in browser.write(f"/conditions/category/{summer}/plan", typed | {"value": ["x"]}).text
    assert browser.write(f"/conditions/category/{summer}", typed).status_code == 204
    assert inside(ctx, summer) == []
    assert "is not a price" in browser.write(f"/conditions/shop/{shop}", typed | {"value": ["x"]}).text
    assert browser.write(f"/conditions/planet/{shop}", typed).status_code == 422
    assert 'name="value"' in browser.get("/conditions/row?field=stock").text
    kits = categories.make(ctx, SYSTEM, "Kits").id
    browser.write(f"/shops/{shop}/assortment", {"shows": "some", "has-categories": "1", "categories": [str(kits)]})
    put = browser.write(f"/shops/{shop}/goods", {"ids": str(table.read(ctx, SYSTEM, table.TableState()).rows[0]["id"])})
    assert "Put in by hand" in put.text
    assert "Kits" in browser.get(f"/shops/{shop}").text
    assert service.assortment(ctx, SYSTEM, destinations.read_shop(ctx, SYSTEM, shop)).categories == [kits]
    browser.write(f"/shops/{shop}/assortment", {"shows": "all"})
    assert destinations.read_shop(ctx, SYSTEM, shop).shows_all


def test_a_viewer_gathers_nothing(ctx, viewer, summer):
    for act in (
        lambda: service.save_conditions(ctx, viewer, "category", summer, []),
        lambda: service.set_order(ctx, viewer, summer, Order.NAME),
        lambda: service.put_in(ctx, viewer, summer, [1]),
        lambda: service.take_out(ctx, viewer, summer, [1]),
        lambda: service.put_in_shop(ctx, viewer, 1, "product", [1]),
        lambda: service.forget_in_shop(ctx, viewer, 1, "product", [1]),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_goods_are_paged_put_in_with_the_search_kept_and_brought_to_the_top(browser, ctx, monkeypatch):
    monkeypatch.setattr("graupel.features.assortments.pages.SHOWN", 3)
    ids = [make_product(ctx, f"F-{n}", name=f"Fellside {n}", category="Yarn") for n in range(7)]
    category = products.read(ctx, SYSTEM, ids[0]).values.category_id
    here = f"/categories/{category}/goods"

    def shown(text):
        return re.findall(r'<li data-id="(\d+)" tabindex', text)

    first, second = (browser.get(f"{here}?from={begin}").text for begin in (0, 3))
    assert "4 to 6 of 7" in second
    assert not set(shown(first)) & set(shown(second))
    # One of the second page before all others; what is moved on the second page leaves the first as it is.
    last = shown(second)[-1]
    top = browser.write(f"{here}/top", {"ids": last, "from": "0"}).text
    assert shown(top)[0] == last
    page = browser.get(f"{here}?from=3").text
    turned = shown(page)[::-1]
    again = browser.write(f"{here}/order", {"order": "hand", "ids": " ".join(turned), "from": "3"}).text
    assert shown(again) == turned
    assert shown(browser.get(here).text) == shown(top)
    # The search stands there after one was put in.
    other = make_product(ctx, "Q", name="Quarry", category="Tools")
    put = browser.write(f"{here}/put", {"ids": str(other), "q": "quarry"}).text
    assert 'value="quarry"' in put
    assert "in it" in put
