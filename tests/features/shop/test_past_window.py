"""An article of the shop window as buyers saw it at a moment."""

import html
import re
from datetime import timedelta
from decimal import Decimal
from urllib.parse import quote

import pytest

from graupel.core import moments
from graupel.core.products import Status
from graupel.core.roles import Role
from graupel.features.products import past
from tests.features.pricing.test_asked import on, sale
from tests.features.products.test_past import moment, save, take_away
from tests.making import add_german, add_outlet, make_product, set_status
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "colour", "needles", "size", "stranger"]


def then(browser, product_id, at, query=""):
    return browser.get(f"/products/{product_id}/as-of/shop?at={quote(moments.exact(at))}{query}")


def test_an_article_is_shown_as_it_was_in_each_variant_and_nothing_is_bought_there(ctx, browser, needles):
    save(ctx, needles, name="Needles", price=Decimal("9.80"), short_text="Of beech.")
    sale(ctx, on(needles), "10 %")
    at = moment(ctx)
    heather = by_label(ctx, needles)["Heather, 3 mm"].id
    save(ctx, needles, name="Long needles", price=Decimal(20), short_text="Of steel.", status=Status.ARCHIVED)
    take_away(ctx, needles, "Oat, 3 mm")
    page = then(browser, needles, at)
    assert page.status_code == 200
    assert "As buyers saw it" in page.text
    assert "<h1>Needles</h1>" in page.text
    assert "Of beech." in page.text
    assert "€8.82" in page.text, "the sale was on"
    assert 'id="buy"' not in page.text
    ways = [html.unescape(one) for one in re.findall(r'class="way[^>]*href="([^"]+)"', page.text)]
    assert ways
    assert all(f"/products/{needles}/as-of/shop?at=" in one for one in ways)
    one = then(browser, needles, at, f"&v={heather}")
    assert re.search(r'aria-current="true"[^>]*>.*?Heather', one.text)
    assert "Long needles" in browser.get(f"/products/{needles}").text, "nothing of it lasts"
    as_of = browser.get(f"/products/{needles}/as-of?at={quote(moments.exact(at))}").text
    assert "As buyers saw it" in as_of


@pytest.mark.parametrize(
    ("status", "is_ahead", "said"),
    [
        (Status.LIVE, False, "As buyers saw it"),
        (Status.LIVE, True, "As buyers will see it"),
        (Status.ARCHIVED, False, "As it was: archived"),
        (Status.DRAFT, True, "As it will be: draft"),
    ],
)
def test_what_is_seen_is_said(status, is_ahead, said):
    assert past.told(status, is_ahead=is_ahead) == said


def test_what_is_ahead_is_not_what_buyers_saw(ctx, browser, needles):
    ahead = moment(ctx) + timedelta(days=2)
    assert "As buyers will see it" in then(browser, needles, ahead).text


def test_it_is_shown_through_the_lens(ctx, browser, needles):
    add_german(ctx)
    outlet = add_outlet(ctx)
    save(ctx, needles, price=Decimal(9))
    at = moment(ctx)
    shown = then(browser, needles, at, f"&lens=s{outlet}")
    assert "Last Skeins" in shown.text
    german = then(browser, needles, at, "&lens=s1.de")
    assert '<html lang="de"' in german.text


def test_what_was_not_there_or_is_no_moment_is_said_and_only_who_is_signed_in_looks(ctx, as_role, stranger, colour):
    before = moment(ctx)
    viewer = as_role(Role.VIEWER)
    product_id = make_product(ctx, "A-1", name="Wool")
    set_status(ctx, product_id, Status.DRAFT)
    draft = then(viewer, product_id, moment(ctx))
    assert "As it was: draft" in draft.text
    gone = then(viewer, product_id, before)
    assert (gone.status_code, "not there yet" in gone.text) == (404, True)
    assert viewer.get(f"/products/{product_id}/as-of/shop?at=yesterday").status_code == 422
    assert viewer.get("/products/999999/as-of/shop?at=2026-11-01").status_code == 404
    away = stranger.get(f"/products/{product_id}/as-of/shop?at=2026-11-01", follow_redirects=False)
    assert away.headers["location"].startswith("/sign-in")
