"""Every act ends with a sentence: the answer carries what its change set did, to this page or the next."""

from urllib.parse import quote, unquote

from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.history import service as history
from graupel.features.products import saving
from graupel.features.vocabulary import service as vocabulary
from tests.making import make_product
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser"]


def newest(ctx):
    return history.list_change_sets(ctx, SYSTEM).change_sets[0]


def test_an_answer_says_what_was_done_and_where_it_can_be_taken_back(browser, ctx):
    tag = vocabulary.make(ctx, SYSTEM, "tag", "Wínter").id
    answer = browser.write(f"/vocabulary/join/tag/{tag}", {"into": ""})
    assert answer.headers["hx-redirect"] == "/vocabulary/tags"
    assert unquote(answer.headers["x-done"]) == newest(ctx)["title"] != ""
    assert answer.headers["x-done-set"] == str(newest(ctx)["id"])


def test_what_changed_nothing_or_only_looked_says_nothing(browser, ctx):
    made = make_product(ctx, "P-1", status=Status.DRAFT)
    assert "x-done" not in browser.get(f"/products/{made}").headers
    assert "x-done" not in browser.write("/products/mirror/new", {"name": "Typed"}).headers
    refused = browser.write("/categories", {"path": "Yarn > > Aran"})
    assert (refused.status_code, "x-done" in refused.headers) == (422, False)
    saving.delete(ctx, SYSTEM, made)
    assert "x-done" not in browser.get("/products").headers, "what a service does elsewhere is told to nobody"


def test_where_the_browser_is_sent_on_the_next_page_says_it_once(browser, ctx):
    made = make_product(ctx, "P-1")
    browser.cookies.set("graupel_done", f"{newest(ctx)['id']}.{quote('Made: <b>it</b>')}")
    page = browser.get(f"/products/{made}")
    assert f'<meta name="done" data-set="{newest(ctx)["id"]}" content="Made: &lt;b&gt;it&lt;/b&gt;">' in page.text
    assert "Max-Age=0" in page.headers["set-cookie"], "and then it is forgotten"
    browser.cookies.set("graupel_done", "x.y")
    assert '<meta name="done"' not in browser.get(f"/products/{made}").text
