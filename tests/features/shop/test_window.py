"""The shop window: only what is live, drafts as a preview for those signed in."""

import json
from dataclasses import replace
from html.parser import HTMLParser

import pytest

from graupel.core.attributes import Fact
from graupel.core.categories import CategoryKind, Layout
from graupel.core.errors import Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Role
from graupel.features.assortments import service as assortments
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.destinations import service as destinations
from graupel.features.destinations import shops
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.shop import service, windows
from tests.making import add_german, make_product, set_status
from tests.needles import colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]


def test_buyers_see_what_is_live_under_its_category_and_all_above(stranger, ctx):
    live = make_product(ctx, "L-1", name="Live & well", category="Yarn > Aran")
    draft = make_product(ctx, "D-1", name="Not yet", status=Status.DRAFT, category="Yarn > Lace")
    home = stranger.get("/shop").text
    assert "Live &amp; well" in home
    assert "Not yet" not in home
    assert "Lace" not in home
    yarn = home.split('href="/shop/c/')[1].split('"')[0]
    assert "Live &amp; well" in stranger.get(f"/shop/c/{yarn}").text
    assert stranger.get(f"/shop/p/{live}", follow_redirects=False).headers["location"] == f"/shop/p/{live}-live-well"
    article = stranger.get(f"/shop/p/{live}")
    assert article.status_code == 200
    assert 'rel="canonical"' in article.text
    assert stranger.get(f"/shop/p/{draft}").status_code == 404
    for wrong in ("/shop/c/0", "/shop/c/999-x", "/shop/p/x", "/shop/p/99999999999"):
        assert stranger.get(wrong).status_code == 404


def test_a_draft_is_a_preview_that_says_so(browser, ctx):
    draft = make_product(ctx, "D-1", status=Status.DRAFT, price=None, category=None)
    article = browser.get(f"/shop/p/{draft}")
    assert "<b>Preview.</b> This product is draft" in article.text
    assert "noindex" in article.text


def test_a_long_shelf_has_a_next_page_that_shows_the_rest(stranger, ctx):
    for number in range(50):
        make_product(ctx, f"L-{number}", name=f"Skein {number}.")
    first = stranger.get("/shop").text
    rest = stranger.get("/shop" + first.split('rel="next" href="')[1].split('"')[0]).text
    assert first.count("Skein ") + rest.count("Skein ") == 50


@pytest.mark.parametrize("lead", [None, 3, 70])
def test_what_stands_large_stands_on_no_other_page(ctx, lead):
    made = [make_product(ctx, f"L-{number}", name=f"Skein {number}.") for number in range(80)]
    aran = categories.make(ctx, SYSTEM, "Yarn > Aran").id
    chosen = made[lead] if lead else None
    values = replace(editing.read(ctx, SYSTEM, aran).values, layout=Layout.LEAD, lead_product_id=chosen)
    editing.save(ctx, SYSTEM, aran, values)
    window = windows.window(ctx, "")
    first, second = (service.shelf(ctx, window, aran, after) for after in (0, service.SHELF))
    shown = [first.lead["id"], *(row["id"] for shelf in (first, second) for row in shelf.goods)]
    assert sorted(shown) == made
    assert (chosen in (None, shown[0]), second.lead, second.after) == (True, None, None)


# --- what the head says --------------------------------------------------------------------------------------


class Head(HTMLParser):
    """Title, description, alternates by language and the JSON-LD of a page."""

    def __init__(self, page):
        super().__init__()
        self.title, self.description, self.alternates, self.described, self._within = "", "", {}, [], None
        self.feed(page.text)

    def handle_starttag(self, tag, attrs):
        given = dict(attrs)
        self._within = given.get("type", tag)
        if tag == "link" and given.get("rel") == "alternate":
            self.alternates[given["hreflang"]] = given["href"]
        elif given.get("name") == "description":
            self.description = given["content"]

    def handle_data(self, data):
        if self._within == "title":
            self.title = data.strip() or self.title
        elif self._within == "application/ld+json" and data.strip():
            self.described.append(json.loads(data))


def test_the_head_of_an_article_describes_it_in_each_language(stranger, ctx):
    add_german(ctx)
    made = make_product(ctx, "H-1", name="Hill yarn", gtin="9521234567897", short_text="Round & soft.", stock=3)
    values = products.read(ctx, SYSTEM, made).values
    own = {".de.name": "Hügelgarn", ".de.short_text": "Rund und weich."}
    saving.save(ctx, SYSTEM, made, replace(values, meta_title="Buy hill yarn", own=own), None)
    english, german = stranger.get(f"/shop/p/{made}"), stranger.get(f"/shop/de/p/{made}")
    assert Head(english).title.startswith("Buy hill yarn ·")
    assert Head(german).title.startswith("Hügelgarn ·")
    assert Head(german).description == "Rund und weich."
    start = ctx.settings.address
    there = {"en": f"{start}/shop/p/{made}-hill-yarn", "de": f"{start}/shop/de/p/{made}-hugelgarn"}
    assert Head(english).alternates == Head(german).alternates == there | {"x-default": there["en"]}
    for address in there.values():
        assert stranger.get(address.removeprefix(start), follow_redirects=False).status_code == 200
    article, way = Head(english).described
    assert (article["@type"], article["gtin"], article["sku"]) == ("Product", "9521234567897", "H-1")
    offer = {"price": "9.80", "priceCurrency": "EUR", "availability": "https://schema.org/LimitedAvailability"}
    assert article["offers"].items() >= offer.items()
    assert [one["name"] for one in way["itemListElement"]] == ["Yarn", "Aran", "Hill yarn"]


def test_the_head_of_a_product_that_varies_says_what_its_variants_cost(stranger, ctx, needles):
    group = Head(stranger.get(f"/shop/p/{needles}")).described[0]
    assert (group["@type"], group["productGroupID"], group["variesBy"]) == ("ProductGroup", "NDL", ["Colour", "Size"])
    prices = {"lowPrice": "6.40", "highPrice": "6.40", "offerCount": 6, "availability": "https://schema.org/InStock"}
    assert group["offers"].items() >= prices.items()
    variant = products.read(ctx, SYSTEM, needles).for_sale[0]
    one = Head(stranger.get(f"/shop/p/{needles}?v={variant.id}")).described[0]
    assert (one["@type"], one["sku"], one["inProductGroupWithID"]) == ("Product", variant.sku, "NDL")


# --- pages without goods, links, and goods without a price ---------------------------------------------------


def make_category(ctx, name, parent, **given):
    made = categories.add(ctx, SYSTEM, name, parent)[0]
    values = editing.read(ctx, SYSTEM, made).values
    editing.save(ctx, SYSTEM, made, replace(values, hidden=False, **given))
    return made


def foot_of(ctx):
    return -categories.make_tree(ctx, SYSTEM, "Foot")


def test_a_page_of_text_stands_in_the_foot_without_any_goods(stranger, ctx):
    make_product(ctx, "L-1")
    text = {"description": "<p>We are open on Saturdays.</p>", "meta_description": "When we are open."}
    made = make_category(ctx, "About us", foot_of(ctx), kind=CategoryKind.PAGE, **text)
    assert f'href="/shop/c/{made}-about-us"' in stranger.get("/shop").text
    about = stranger.get(f"/shop/c/{made}-about-us")
    assert "<p>We are open on Saturdays.</p>" in about.text
    assert "Nothing is for sale" not in about.text
    assert Head(about).description == "When we are open."
    assert Head(about).described[0]["@type"] == "WebPage"


def test_a_category_with_goods_becomes_no_page(ctx):
    make_product(ctx, "L-1")
    aran = categories.make(ctx, SYSTEM, "Yarn > Aran").id
    values = editing.read(ctx, SYSTEM, aran).values
    with pytest.raises(Refused, match="1 product stands in this category"):
        editing.save(ctx, SYSTEM, aran, replace(values, kind=CategoryKind.PAGE))


def test_a_link_stands_there_only_while_its_page_is_there(stranger, ctx):
    made = make_product(ctx, "L-1")
    foot = foot_of(ctx)
    for name, link in (("Best", f"/shop/p/{made}"), ("Gone", "/shop/c/4711"), ("Far", "https://mill.example/")):
        make_category(ctx, name, foot, kind=CategoryKind.LINK, link=link)
    assert [name in stranger.get("/shop").text for name in ("Best", "Gone", "Far")] == [True, False, True]
    set_status(ctx, made, Status.DRAFT)
    assert "Best" not in stranger.get("/shop").text


def test_text_stands_above_the_goods_on_the_plain_layout_too(stranger, ctx):
    make_product(ctx, "L-1")
    aran = categories.make(ctx, SYSTEM, "Yarn > Aran").id
    values = editing.read(ctx, SYSTEM, aran).values
    editing.save(ctx, SYSTEM, aran, replace(values, layout=Layout.GRID, description="<p>Round threads.</p>"))
    assert "<p>Round threads.</p>" in stranger.get(f"/shop/c/{aran}").text


def test_goods_without_a_price_in_a_shop_s_currency_are_not_shown_there(stranger, browser, ctx):
    francs = shops.make_shop(ctx, SYSTEM, {"name": "Alp", "languages": "en", "currency": "CHF"})
    assortments.set_shows_all(ctx, SYSTEM, destinations.read_shop(ctx, SYSTEM, francs), True)
    made, priced = make_product(ctx, "L-1", name="Unpriced"), make_product(ctx, "L-2", name="Priced")
    values = products.read(ctx, SYSTEM, priced).values
    saving.save(ctx, SYSTEM, priced, replace(values, own={f"s{francs}..price": "12.00"}), None)
    shelf = stranger.get("/shop/alp").text
    assert ("Unpriced" in shelf, "Priced" in shelf, "CHF" in shelf) == (False, True, True)
    assert stranger.get(f"/shop/alp/p/{made}").status_code == 404
    assert stranger.get(f"/shop/p/{made}").status_code == 200
    assert "1 live product has no price in CHF" in browser.get(f"/shops/{francs}").text


def test_buyers_read_in_their_language_that_a_page_is_not_there(stranger, ctx):
    add_german(ctx)
    make_product(ctx, "L-1")
    for path in ("/shop/de/p/999", "/shop/de/c/x", "/shop/de/nothing/here", "/shop/de?after=-1"):
        gone = stranger.get(path)
        assert gone.status_code in (404, 422)
        assert '<html lang="de">' in gone.text
        assert "Diese Seite gibt es nicht" in gone.text
        assert "Yarn" in gone.text
        assert "Graupel" not in gone.text


def test_the_languages_of_a_shelf_keep_what_is_chosen(stranger, ctx, size):
    add_german(ctx)
    aran = categories.make(ctx, SYSTEM, "Yarn > Aran").id
    three, four, _ = size.choices
    for choice in (three, four):
        make_product(ctx, f"L-{choice.id}", facts={size.id: Fact((choice.id,))})
    shelf = stranger.get(f"/shop/c/{aran}-aran?f={three.id}").text
    assert f'href="/shop/de/c/{aran}-aran?f={three.id}"' in shelf
    moved = stranger.get(f"/shop/c/{aran}?f={three.id}", follow_redirects=False)
    assert moved.headers["location"].endswith(f"?f={three.id}")
    both = stranger.get(f"/shop/c/{aran}-aran", params={"f": [str(three.id), str(four.id)]}).text
    assert both.count(" checked") == 2


def test_a_language_without_the_window_s_own_words_says_so_before_it_is_chosen(as_role):
    offered = as_role(Role.OWNER).get("/shops/1").text
    assert ">Finnish (the shop’s own words in English)</option>" in offered
    assert ">German</option>" in offered
