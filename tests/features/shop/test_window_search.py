"""The search of the shop window, what was searched in vain, and the map for search engines."""

import re
from dataclasses import replace
from html import unescape
from xml.etree import ElementTree

import pytest

from graupel.core.products import Status
from graupel.core.roles import SYSTEM, Role
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.shop import finding
from tests.making import add_german, make_product, set_status
from tests.serving import app, as_role, stranger

__all__ = ["app", "as_role", "stranger"]
SPACE = {"s": "http://www.sitemaps.org/schemas/sitemap/0.9", "x": "http://www.w3.org/1999/xhtml"}


@pytest.fixture
def goods(ctx):
    return [
        make_product(ctx, "TWD-1", name="Fellside tweed"),
        make_product(ctx, "SLK-2", name="Lanternfish silk"),
        make_product(ctx, "SLK-3", name="Silk of nobody", status=Status.DRAFT),
    ]


def text_of(answer):
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def found(stranger, typed, where=""):
    page = stranger.get(f"/shop{where}/search", params={"q": typed})
    assert page.status_code == 200
    return re.findall(r'<li><a href="[^"]*/p/\d+-([^"]+)"', page.text)


def test_names_and_codes_are_found_in_any_order_and_only_what_is_for_sale(stranger, goods):
    assert found(stranger, "tweed fell") == ["fellside-tweed"]
    assert found(stranger, "slk") == ["lanternfish-silk"], "a draft has the same beginning"
    assert found(stranger, "SILK") == ["lanternfish-silk"]
    assert found(stranger, "") == []


def test_what_buyers_may_call_it_finds_it_in_each_language(stranger, ctx, goods):
    add_german(ctx)
    values = products.read(ctx, SYSTEM, goods[0]).values
    said = {
        "search_words": " jumper wool,worsted , jumper wool",
        "own": {**values.own, ".de.search_words": "Pulliwolle"},
    }
    saving.save(ctx, SYSTEM, goods[0], replace(values, **said), None)
    assert found(stranger, "worst") == found(stranger, "wool fellside") == ["fellside-tweed"]
    assert found(stranger, "Pulliwolle") == []
    assert found(stranger, "Pulliwolle", "/de") == ["fellside-tweed"]
    saving.save(ctx, SYSTEM, goods[0], replace(products.read(ctx, SYSTEM, goods[0]).values, search_words=""), None)
    assert found(stranger, "worsted") == []


def test_what_buyers_may_call_a_category_finds_all_its_goods(stranger, ctx, goods):
    add_german(ctx)
    yarn = categories.make(ctx, SYSTEM, "Yarn").id
    detail = editing.read(ctx, SYSTEM, yarn)
    own = {**detail.own, ".de.search_words": "Garn"}
    editing.save(ctx, SYSTEM, yarn, replace(detail.values, search_words="thread"), own=own)
    assert sorted(found(stranger, "thread")) == ["fellside-tweed", "lanternfish-silk"], "those below it too"
    assert found(stranger, "thread tweed") == []
    assert sorted(found(stranger, "garn", "/de")) == ["fellside-tweed", "lanternfish-silk"]
    assert found(stranger, "!!") == []


def test_a_slip_is_forgiven_and_said(stranger, goods):
    page = stranger.get("/shop/search", params={"q": "twead"})
    assert "Found instead: tweed" in text_of(page)


def test_a_name_in_the_buyers_language_is_found(stranger, ctx, goods):
    add_german(ctx)
    values = products.read(ctx, SYSTEM, goods[0]).values
    saving.save(ctx, SYSTEM, goods[0], replace(values, own={**values.own, ".de.name": "Heidschnucke"}), None)
    assert found(stranger, "heidschnucke", "/de") == ["heidschnucke"]
    assert found(stranger, "heidschnucke") == []


def test_what_was_searched_in_vain_is_kept_for_the_merchant(stranger, as_role, ctx, goods):
    for typed in ("Alpaca", "alpaca  ", "cashmere", "tweed"):
        found(stranger, typed)
    viewer = as_role(Role.VIEWER)
    found(viewer, "yak")
    rows = finding.unfound(ctx, SYSTEM)
    assert [(row["words"], row["times"]) for row in rows] == [("alpaca", 2), ("cashmere", 1)]
    assert "alpaca" in viewer.get("/searches").text
    assert viewer.write("/searches/seen", {"ids": str(rows[0]["id"])}).status_code == 403
    finding.take_away(ctx, SYSTEM, [rows[0]["id"]])
    assert [row["words"] for row in finding.unfound(ctx, SYSTEM)] == ["cashmere"]


@pytest.mark.parametrize("odd", ["'", '"%_*(', "\\", "<script>x</script>", "🧶", "a" * 400, "- - -", "+x"])
def test_odd_searches_find_nothing_and_break_nothing(stranger, goods, odd):
    page = stranger.get("/shop/search", params={"q": odd})
    assert page.status_code == 200
    assert "<script>x" not in page.text


def test_the_map_names_every_page_of_the_shop_in_each_language(stranger, ctx, goods):
    add_german(ctx)
    index = ElementTree.fromstring(stranger.get("/shop/sitemap.xml").content)
    places = [one.text for one in index.findall("s:sitemap/s:loc", SPACE)]
    assert [one.rpartition("/")[2] for one in places] == ["0.xml", "1.xml"]
    pages = {}
    for place in places:
        part = ElementTree.fromstring(stranger.get("/" + place.split("/", 3)[3]).content)
        for url in part.findall("s:url", SPACE):
            links = {one.get("hreflang"): one.get("href") for one in url.findall("x:link", SPACE)}
            pages[url.find("s:loc", SPACE).text] = links
    paths = {"/" + one.split("/", 3)[3] for one in pages}
    assert {"/shop", f"/shop/p/{goods[0]}-fellside-tweed", f"/shop/p/{goods[1]}-lanternfish-silk"} <= paths
    assert not any("nobody" in one for one in paths)
    for loc, links in pages.items():
        assert links.keys() == {"en", "de"}
        for one in (loc, *links.values()):
            assert stranger.get("/" + one.split("/", 3)[3], follow_redirects=False).status_code == 200, one
    assert stranger.get("/shop/sitemap/9.xml").status_code == 404
    assert "Sitemap: " in stranger.get("/robots.txt").text


def test_what_leaves_the_shop_leaves_its_map(stranger, ctx, goods):
    set_status(ctx, goods[0], Status.ARCHIVED)
    assert "fellside-tweed" not in stranger.get("/shop/sitemap/1.xml").text


def test_a_button_for_other_pages_may_stand_in_their_frames_and_nothing_else_may(stranger, as_role, goods):
    path = stranger.get(f"/shop/p/{goods[0]}-x").url.path
    small = stranger.get(f"{path}/button")
    assert "frame-ancestors *" in small.headers["content-security-policy"]
    assert f'href="{path}" target="_top"' in small.text
    assert "€9.80" in small.text
    assert "frame-ancestors 'none'" in stranger.get(path).headers["content-security-policy"]
    assert stranger.get(f"/shop/p/{goods[2]}-x/button").status_code == 404, "not of a draft"
    assert f"{path}/button&#34; width" in as_role(Role.VIEWER).get(f"/products/{goods[0]}").text
