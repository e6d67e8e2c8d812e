"""The shop window as of a moment is, page by page, what buyers saw then, whatever happened since."""

import re
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from itertools import zip_longest

import pytest

from graupel.core import moments
from graupel.core.conditions import Condition
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.features.assortments import service as assortments
from graupel.features.categories import deleting, editing
from graupel.features.categories import service as categories
from graupel.features.prepared import service as prepared
from graupel.features.shop import past_window
from graupel.features.vocabulary import service as vocabulary
from graupel.web.preparing import preparing
from tests.features.pricing.test_asked import on, sale
from tests.features.products.test_past import moment, save, take_away
from tests.making import add_german, add_outlet, bring_in, make_product, roll_back_newest, set_status
from tests.needles import colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]


OTHER = Actor(None, "Ida", Role.EDITOR)


def window(at, rest=""):
    return f"/as-of/{moments.exact(at)}/shop{rest}"


#: What a page of today has and one of another moment has not, or says otherwise.
_NOT_COMPARED = (
    r'<div class="preview.*?</div>',
    r'<form class="search".*?</form>',
    r'<a class="to-basket".*?</a>',
    r"<title>.*</head>",
    r"/as-of/[^/]+(?=/shop)",
    r'<form id="buy".*?</form>',
    r'<p class="help">.*?</p>',
    r'<details class="make.*?</details>',
)


def page(browser, path):
    """A page of the window without what is for buying, searching and robots; its status alone where it is not there."""
    answer = browser.get(path)
    if answer.status_code != 200:
        return answer.status_code
    text = answer.text
    for pattern in _NOT_COMPARED:
        text = re.sub(pattern, "", text, flags=re.DOTALL)
    return re.sub(r"\s+", " ", text)


def paths(ctx, products):
    """Every page of the window, articles in German."""
    rows = ctx.db.run(lambda tx: tx.all("SELECT id FROM category ORDER BY id"))
    return ["", *(f"/c/{row['id']}" for row in rows), *(f"/de/p/{one}" for one in products)]


def seen(stranger, ctx, products):
    """What buyers see on each page of the window."""
    return {one: page(stranger, f"/shop{one}") for one in paths(ctx, products)}


def apart(one, other, path):
    """Where two pages part."""
    texts = [str(pages[path]) for pages in (one, other)]
    at = next(place for place, pair in enumerate(zip_longest(*texts)) if len(set(pair)) > 1)
    return path, *(text[max(0, at - 150) : at + 150] for text in texts)


def rename(ctx, category_id, name):
    values = editing.read(ctx, SYSTEM, category_id).values
    editing.save(ctx, SYSTEM, category_id, replace(values, name=name))


def acts(ctx, needles):
    """What happens in a shop, one after the other."""
    cloth = make_product(ctx, "C-1", name="Cloth", category="Cloth", brand="Carrow Mill")
    thread = make_product(ctx, "T-1", name="Thread", category="Thread", price=Decimal(3))
    yarn = ctx.db.run(lambda tx: tx.value("SELECT id FROM category WHERE name = 'Cloth'"))
    filled = categories.make(ctx, SYSTEM, "Cheap").id
    yield lambda: save(ctx, cloth, name="Fine cloth", price=Decimal(20), short_text="Of linen.")
    yield lambda: bring_in(ctx, "sku,name,price,category\nF-1,Felt,7,Cloth\nF-2,Fleece,8,Fresh > Wool\n", live=True)
    yield lambda: bring_in(ctx, "product code,sku,colour,size\nNDL,N-9,Peat,4 mm\n", live=True)
    yield lambda: assortments.save_conditions(ctx, SYSTEM, "category", filled, [Condition("price", "below", None, "9")])
    yield lambda: save(ctx, thread, price=Decimal(12))
    yield lambda: sale(ctx, on(cloth), "10 %")
    yield lambda: rename(ctx, yarn, "Cloths of all kinds")
    yield lambda: take_away(ctx, needles, "Oat, 3 mm")
    yield lambda: vocabulary.rename(ctx, SYSTEM, "brand", brand(ctx), "Tarnlight")
    yield lambda: set_status(ctx, cloth, Status.ARCHIVED)
    yield lambda: make_product(ctx, "G-1", name="Gone soon", category="Cloth")
    yield lambda: roll_back_newest(ctx)
    yield lambda: deleting.delete(ctx, SYSTEM, filled, with_branch=False)
    yield lambda: set_status(ctx, cloth, Status.LIVE)


def brand(ctx):
    return ctx.db.run(lambda tx: tx.value("SELECT id FROM brand WHERE name = 'Carrow Mill'"))


def test_every_page_of_every_moment_is_what_buyers_saw_then(ctx, browser, stranger, needles):
    add_german(ctx)
    save(ctx, needles, name="Needles")
    kept = []
    products = []
    for act in acts(ctx, needles):
        products = [row["id"] for row in ctx.db.run(lambda tx: tx.all("SELECT id FROM product ORDER BY id"))]
        kept.append((moment(ctx), seen(stranger, ctx, products)))
        act()
    for number, (at, was) in enumerate(kept):
        then = {one: page(browser, window(at, one)) for one in was}
        differing = [one for one in was if was[one] != then[one]]
        assert not differing, (number, apart(was, then, differing[0]))
    assert seen(stranger, ctx, products) != kept[0][1], "nothing of it lasts"


def test_it_says_what_it_shows_leads_within_and_to_another_moment_and_sells_nothing(ctx, browser, needles):
    outlet = add_outlet(ctx)
    at = moment(ctx)
    save(ctx, needles, name="Long needles")
    shop = browser.get(window(at))
    assert "As buyers saw it" in shop.text
    assert "What can be had, and what buyers said, is today’s." in shop.text
    assert f'href="{window(at, f"/p/{needles}-fellside-aran-ndl")}"' in shop.text, re.findall(
        'href="(/as[^"]*)', shop.text
    )
    assert 'role="search"' not in shop.text
    assert 'class="to-basket"' not in shop.text
    category = ctx.db.run(lambda tx: tx.value("SELECT category_id FROM product WHERE id = %s", [needles]))
    assert f'name="page" value="c/{category}"' in browser.get(window(at, f"/c/{category}")).text
    asked = {"at": moments.exact(at), "where": "", "page": f"c/{category}"}
    chosen = browser.get("/as-of/shop", params=asked, follow_redirects=False)
    assert chosen.headers["location"] == window(at, f"/c/{category}")
    through = browser.get(f"/as-of/shop?at={moments.exact(at)}&lens=s{outlet}", follow_redirects=False)
    assert "/shop/outlet" in through.headers["location"]
    odd = browser.get(f"/as-of/shop?at={moments.exact(at)}&page=//elsewhere", follow_redirects=False)
    assert odd.headers["location"] == window(at)
    article = browser.get(f"/products/{needles}/as-of/shop?at={moments.exact(at)}").text
    assert f'href="{window(at)}">The whole shop then' in article
    newest = ctx.db.run(lambda tx: tx.value("SELECT MAX(id) FROM change_set"))
    assert "See the shop as it was before." in browser.get(f"/history/{newest}").text
    assert "The shop then" in browser.get("/products/as-of").text


def test_what_was_not_shown_then_is_said_and_a_moment_that_can_not_be_shown(
    ctx, browser, as_role, stranger, monkeypatch
):
    at = moment(ctx)
    product_id = make_product(ctx, "A-1", name="Wool", status=Status.DRAFT)
    draft = moment(ctx)
    viewer = as_role(Role.VIEWER)
    for path in (window(at, f"/p/{product_id}"), window(draft, f"/p/{product_id}")):
        assert "This article was not for sale then." in viewer.get(path).text
    assert "This category was empty, or not there." in viewer.get(window(at, "/c/1")).text
    assert viewer.get("/as-of/yesterday/shop").status_code == 422
    assert viewer.get("/as-of/shop?at=soon").status_code == 422
    monkeypatch.setattr(past_window, "MOST", 3)
    assert viewer.get(window(moment(ctx))).status_code == 200, "nothing changed since"
    too_much = viewer.get(window(at))
    assert (too_much.status_code, "More than 3 changes were made since" in too_much.text) == (422, True)
    away = stranger.get(window(at), follow_redirects=False)
    assert away.headers["location"].startswith("/sign-in")


def test_the_window_ahead_has_what_is_prepared_by_then(ctx, browser, needles):
    with preparing() as found:
        save(ctx, needles, name="Spring needles", price=Decimal(5))
    number = prepared.keep(ctx, SYSTEM, found)
    ahead = moment(ctx) + timedelta(days=2)
    without = browser.get(window(ahead)).text
    assert "As buyers will see it" in without
    assert "Spring needles" not in without, "nobody agreed"
    with_it = browser.get(f"/as-of/shop?at={moments.exact(ahead)}&prepared={number}").text
    assert "Spring needles" in with_it
    assert "€5.00" in with_it
    assert f'name="prepared" value="{number}"' in with_it, "another moment is looked at with it too"
    with preparing() as found:
        save(ctx, needles, name="Summer needles")
    second = prepared.keep(ctx, SYSTEM, found)
    for one in (number, second):
        version = prepared.read(ctx, SYSTEM, one).one["version"]
        prepared.agree(ctx, OTHER, one, version, moment(ctx) + timedelta(days=1))
    both = browser.get(window(moment(ctx) + timedelta(days=2))).text
    assert "Summer needles" in both
    assert "€5.00" in both


@pytest.mark.parametrize(
    "at", ["0001-01-01T00:00:00Z", "0001-01-03T00:00", "9999-12-31T23:59", "2026-11-01~x", "~", "1"]
)
def test_any_moment_is_shown_or_said_to_be_none(browser, needles, at):
    assert browser.get(f"/as-of/{at}/shop").status_code in (200, 422)
    assert browser.get(f"/products/as-of?at={at}").status_code in (200, 422)
    assert browser.get(f"/products/{needles}/as-of/shop?at={at}").status_code in (200, 404, 422)


def test_goods_that_a_file_brought_since_are_not_there_and_those_of_before_are(ctx, browser, needles):
    bring_in(ctx, "sku,name,price,category\nF-1,Felt,7,Yarn > Aran\n", live=True)
    at = moment(ctx)
    bring_in(ctx, "sku,name,price,category\nF-2,Fleece,8,Yarn > Aran\n", live=True)
    shop = browser.get(window(at)).text
    assert "Felt" in shop
    assert "Fleece" not in shop
    both = moment(ctx)
    roll_back_newest(ctx)
    assert "Fleece" in browser.get(window(both)).text
    assert "Fleece" not in browser.get(window(at)).text
