"""Several shops: each with name, languages, currency, trees and assortment; and one who has but one sees nothing."""

import pytest

from graupel.core.conditions import Condition
from graupel.core.errors import NotAllowed, NotFound, Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.assortments import service as assortments
from graupel.features.bulk import service as bulk
from graupel.features.categories import service as categories
from graupel.features.destinations import service, shops
from graupel.features.products import table
from tests.making import add_german, add_outlet, make_product, roll_back_newest, work_off
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]


def test_a_shop_is_made_with_a_tree_of_its_own_and_rolled_back(ctx):
    shop_id = add_outlet(ctx)
    shop = service.read_shop(ctx, SYSTEM, shop_id)
    assert (shop.name, shop.address_part, shop.languages, shop.shows_all) == (
        "Last Skeins",
        "outlet",
        ("de", "en"),
        False,
    )
    tree = categories.read_tree(ctx)
    assert [tree.trees[key] for key in tree.of_shop(shop_id)] == ["Main navigation"]
    assert len(tree.of_shop(service.FIRST)) == 2
    found = service.read_all(ctx)
    assert (found.languages, found.names["de"]) == (("de",), "German")
    assert found.read(f"s{shop_id}").chain == ("de", "")
    assert found.read(f"s{shop_id}.en").chain == ("", "de")
    assert found.read("s999.xx").is_default, "what is not there is the default lens"
    roll_back_newest(ctx)
    assert [one.id for one in service.list_shops(ctx, SYSTEM)] == [service.FIRST]
    assert service.read_all(ctx).is_plain


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        ({"name": ""}, "needs a name"),
        ({"name": "Two", "address_part": "de"}, "means something else"),
        ({"name": "Two", "address_part": "p"}, "means something else"),
        ({"name": "Two", "address_part": "a b"}, "Use a to z"),
        ({"name": "Two", "languages": "xx1"}, "no language that is known"),
        ({"name": "Two", "currency": "EURO"}, "no currency"),
        ({"name": "Last Skeins", "address_part": "again"}, "has this name already"),
        ({"name": "Other", "address_part": "outlet"}, "has this address already"),
    ],
)
def test_what_is_wrong_with_a_shop_is_said_and_nothing_is_made(ctx, raw, says):
    add_outlet(ctx)
    with pytest.raises(Refused) as refused:
        shops.make_shop(ctx, SYSTEM, raw)
    assert says in " ".join(problem.message for problem in refused.value.problems)
    assert len(service.list_shops(ctx, SYSTEM)) == 2


def test_the_pages_of_shops(as_role, ctx):
    owner = as_role(Role.OWNER)
    assert "Add a shop" in owner.get("/shops").text
    bad = owner.write("/shops", {"name": "Outlet", "currency": "??"})
    assert bad.status_code == 422
    assert 'value="Outlet"' in bad.text
    made = owner.write("/shops", {"name": "Outlet", "languages": ["de", "en"]})
    shop_id = int(made.headers["HX-Redirect"].rpartition("/")[2])
    assert service.read_shop(ctx, SYSTEM, shop_id).address_part == "outlet"
    assert "everything that is live" in owner.get(f"/shops/{shop_id}").text
    saved = owner.write(f"/shops/{shop_id}", {"name": "Ends", "address_part": "ends", "languages": ["fr"]})
    assert "Saved." in saved.text
    first = service.read_shop(ctx, SYSTEM, service.FIRST)
    owner.write("/shops/1", {"name": first.name, "languages": ["de"]})
    assert service.read_shop(ctx, SYSTEM, service.FIRST).languages == ("en", "de"), "the default language stays first"
    assert owner.get("/shops/99").status_code == 404


def test_only_an_owner_makes_shops_and_languages(ctx, editor):
    add_german(ctx)
    assert service.read_all(ctx).languages == ("de",)
    for act in (
        lambda: shops.make_shop(ctx, editor, {"name": "X"}),
        lambda: shops.save_shop(ctx, editor, service.FIRST, {"name": "X"}),
        lambda: shops.add_language(ctx, editor, "fr"),
    ):
        with pytest.raises(NotAllowed):
            act()
    with pytest.raises(NotFound):
        shops.save_shop(ctx, SYSTEM, 99, {"name": "X", "address_part": "x"})


def test_an_assortment_is_set_in_bulk_with_a_dry_run_and_rolled_back(ctx):
    shop_id = add_outlet(ctx)
    ids = [make_product(ctx, f"B-{n}") for n in range(3)]

    def give(field: str, chosen: list[int]) -> dict[str, int]:
        plan = bulk.request_plan(ctx, SYSTEM, field, "Last Skeins", ids=chosen)
        counts = bulk.read(ctx, SYSTEM, plan).counts
        bulk.request_apply(ctx, SYSTEM, plan)
        work_off(ctx)
        return counts

    def said() -> tuple[list[int], list[int]]:
        found = assortments.assortment(ctx, SYSTEM, service.read_shop(ctx, SYSTEM, shop_id))
        return found.products, found.left_out

    assert give("shop_on", ids[:2]) == {"changed": 2}
    assert give("shop_off", ids[1:]) == {"changed": 2}
    assert said() == ([ids[0]], ids[1:])
    roll_back_newest(ctx)
    assert said() == (ids[:2], [])
    assert bulk.read(ctx, SYSTEM, bulk.request_plan(ctx, SYSTEM, "shop_on", "Last Skeins", ids=ids)).counts == {
        "changed": 1,
        "unchanged": 2,
    }
    with pytest.raises(Refused, match="There is no shop"):
        bulk.request_plan(ctx, SYSTEM, "shop_on", "Nowhere", ids=ids)


def test_goods_are_put_in_a_category_in_bulk(ctx):
    placed, homeless = make_product(ctx, "B-1"), make_product(ctx, "B-2", category=None, price=None, status="draft")
    plan = bulk.request_plan(ctx, SYSTEM, "place", "Gifts > Small", ids=[placed, homeless])
    bulk.request_apply(ctx, SYSTEM, plan)
    work_off(ctx)
    gifts = categories.read_tree(ctx).find("gifts > small")
    assert assortments.placed(ctx, SYSTEM, gifts).ways == {placed: "further", homeless: "main"}
    roll_back_newest(ctx)
    rows = {row["id"]: row["category"] for row in table.read(ctx, SYSTEM, table.TableState()).rows}
    assert rows == {placed: "Yarn > Aran", homeless: ""}


def test_buyers_see_each_shop_with_its_own_trees_goods_prices_and_languages(stranger, browser, ctx):
    add_german(ctx)
    shop_id = add_outlet(ctx)
    own = {".de.name": "Garn", f"s{shop_id}..price": "7.00"}
    here = make_product(ctx, "A-1", name="Yarn", own=own, short_text="Of wool", weight_g=1250)
    away = make_product(ctx, "A-2", name="Needles")
    assortments.save_conditions(ctx, SYSTEM, "shop", shop_id, [Condition("name", "has", None, "yarn")])
    tree_id = categories.read_tree(ctx).of_shop(shop_id)[0]
    ends = categories.add(ctx, SYSTEM, "Ends", -tree_id)[0]
    categories.switch(ctx, SYSTEM, ends, hidden=False)
    assortments.save_conditions(ctx, SYSTEM, "category", ends, [Condition("price", "below", None, "50")])
    outlet = stranger.get("/shop/outlet").text
    assert "7,00" in outlet
    assert "Garn" in outlet
    assert "Needles" not in outlet
    assert "Neu eingetroffen" in outlet
    assert '<html lang="de">' in outlet
    assert f'href="/shop/outlet/c/{ends}-ends"' in outlet
    assert "Ends" not in stranger.get("/shop").text
    english = stranger.get(f"/shop/outlet.en/p/{here}").text
    assert "€7.00" in english
    assert "Yarn" in english
    german = stranger.get(f"/shop/de/p/{here}").text
    assert ("9,80" in german, "1,25 kg" in german, "Gewicht" in german) == (True, True, True)
    assert "Of wool" in german, "what is missing is shown in the default language"
    assert stranger.get(f"/shop/de/p/{here}", follow_redirects=False).headers["location"] == f"/shop/de/p/{here}-garn"
    assert stranger.get(f"/shop/outlet/p/{away}").status_code == 404
    assert stranger.get(f"/shop/outlet/c/{categories.read_tree(ctx).find('yarn > aran')}").status_code == 404
    for wrong in ("/shop/fr", "/shop/outlet.fr", "/shop/nowhere"):
        assert stranger.get(wrong).status_code == 404
    trees = browser.get(f"/categories?lens=s{shop_id}.en").text
    assert ("Ends" in trees, "Aran" in trees) == (True, False)
