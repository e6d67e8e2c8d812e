"""The shop window: only what is live, drafts as a preview for those signed in."""

from graupel.core.products import Status
from tests.making import make_product
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]


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
