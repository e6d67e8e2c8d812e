"""Reviews: written where allowed, read before they are shown, answered, hidden, reported, taken back."""

import re
from decimal import Decimal
from html import unescape

import pytest

from graupel.core import changes
from graupel.core import reviews as rules
from graupel.core.errors import NotAllowed, Outdated, Refused
from graupel.core.reviews import State, Written
from graupel.core.roles import SYSTEM, Role
from graupel.features.reviews import service
from tests import schemaorg
from tests.making import add_german, make_product, roll_back_newest
from tests.serving import app, as_role, stranger

__all__ = ["app", "as_role", "stranger"]
SAID = {"name": "Ida", "stars": "4", "text": "Soft, and it keeps its shape."}


@pytest.fixture
def wool(ctx):
    made = make_product(ctx, "FEL-1")
    service.allow(ctx, SYSTEM, made, True)
    return made


def text_of(answer):
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def page(browser, product_id, where=""):
    return browser.get(f"/shop{where}/p/{product_id}-x")


def write(browser, product_id, where="", **given):
    path = page(browser, product_id, where).url.path
    return browser.post(f"{path}/review", data={**SAID, **given}, follow_redirects=False)


def newest(ctx):
    return service.list_reviews(ctx, SYSTEM, "").reviews[0]


def judge(ctx, state, answer="", reason="", by=SYSTEM, told=None):
    marks = changes.marks(told) if told else None
    service.judge(ctx, by, newest(ctx)["id"], state, answer, reason, marks)


def test_it_waits_until_somebody_has_read_it_and_can_be_answered(stranger, ctx, wool):
    assert write(stranger, wool).status_code == 303
    assert "keeps its shape" not in page(stranger, wool).text
    assert newest(ctx)["state"] == State.WAITING
    judge(ctx, State.SHOWN, "We are glad.")
    shown = text_of(page(stranger, wool))
    assert "Ida 4 of 5 stars Soft, and it keeps its shape." in shown
    assert "We are glad." in shown
    assert "Reviews (1) 4 of 5 stars" in shown
    judge(ctx, State.HIDDEN)
    assert "keeps its shape" not in page(stranger, wool).text
    roll_back_newest(ctx)
    assert "keeps its shape" in page(stranger, wool).text


def test_programs_read_what_is_thought_of_it(stranger, ctx, wool):
    def said():
        path = page(stranger, wool).url.path
        return schemaorg.described(page(stranger, wool).text, "https://shop.example" + path)[0]

    for stars in ("5", "4"):
        write(stranger, wool, stars=stars, text=f"<b>{stars}</b> & more")
    assert "aggregateRating" not in said(), "nobody read them yet"
    judge(ctx, State.SHOWN)
    service.judge(ctx, SYSTEM, newest(ctx)["id"] - 1, State.SHOWN, "", "")
    found = said()
    assert (found["aggregateRating"]["ratingValue"], found["aggregateRating"]["reviewCount"]) == ("4.5", 2)
    assert [one["reviewBody"] for one in found["review"]] == ["<b>4</b> & more", "<b>5</b> & more"]


def test_it_is_written_only_where_it_is_allowed(stranger, ctx, wool):
    other = make_product(ctx, "FEL-2")
    assert "Write a review" in page(stranger, wool).text
    assert "Write a review" not in page(stranger, other).text
    assert write(stranger, other).status_code == 404
    write(stranger, wool)
    judge(ctx, State.SHOWN)
    service.allow(ctx, SYSTEM, wool, False)
    assert "keeps its shape" not in page(stranger, wool).text
    roll_back_newest(ctx)
    assert "keeps its shape" in page(stranger, wool).text


def test_what_is_missing_is_told_in_the_buyers_words_and_what_was_typed_stays(stranger, ctx, wool):
    add_german(ctx)
    answer = write(stranger, wool, "/de", name="", stars="9")
    assert answer.status_code == 422
    assert "Bitte füllen Sie das aus." in answer.text
    assert "Bitte wählen Sie." in answer.text
    assert "keeps its shape" in answer.text
    assert service.list_reviews(ctx, SYSTEM, "").reviews == []


def test_a_script_in_it_is_a_text(stranger, as_role, ctx, wool):
    script = "<script>alert(1)</script><img src=x onerror=alert(2)>"
    write(stranger, wool, name=script, text=script)
    judge(ctx, State.SHOWN, script)
    for answer in (page(stranger, wool), as_role(Role.VIEWER).get("/reviews?state=shown")):
        assert "<script>alert" not in answer.text
        assert "<img src=x" not in answer.text
        assert "&lt;script&gt;alert(1)" in answer.text


def test_who_writes_many_is_asked_to_wait_and_other_sites_write_none(stranger, ctx, wool):
    for number in range(rules.MOST_A_DAY):
        assert write(stranger, wool, name=f"Ida {number}").status_code == 303
    assert "Please wait a day" in write(stranger, wool).text
    path = page(stranger, wool).url.path
    foreign = stranger.post(f"{path}/review", data=SAID, headers={"Origin": "https://elsewhere.example"})
    assert foreign.status_code == 403


def test_it_is_reported_with_a_reason_and_kept(as_role, stranger, ctx, wool):
    write(stranger, wool)
    with pytest.raises(Refused, match="Say why it is reported"):
        judge(ctx, State.REPORTED)
    judge(ctx, State.REPORTED, reason="Insults a person")
    assert (newest(ctx)["state"], newest(ctx)["reason"]) == (State.REPORTED, "Insults a person")
    assert "keeps its shape" not in page(stranger, wool).text
    viewer = as_role(Role.VIEWER)
    assert "Insults a person" in viewer.get("/reviews?state=reported").text
    with pytest.raises(NotAllowed):
        judge(ctx, State.SHOWN, by=viewer.actor)


def test_two_who_judge_it_meet(stranger, ctx, wool):
    write(stranger, wool)
    shown = {"state": "waiting", "answer": "", "reason": ""}
    judge(ctx, State.SHOWN, "Thank you.", told=shown)
    with pytest.raises(Outdated):
        judge(ctx, State.HIDDEN, told=shown)
    assert newest(ctx)["state"] == State.SHOWN


def test_it_is_judged_on_its_page(as_role, stranger, ctx, wool):
    write(stranger, wool)
    editor = as_role(Role.EDITOR)
    assert "1 review to be read" in editor.get("/today").text
    number = newest(ctx)["id"]
    refused = editor.write(f"/reviews/{number}?state=waiting", {"state": "reported", "answer": "We look into it."})
    assert (refused.status_code, "We look into it." in refused.text) == (422, True)
    assert "Nothing is to be read." in editor.write(f"/reviews/{number}?state=waiting", {"state": "shown"}).text
    assert "1 review shown" in editor.get(f"/products/{wool}").text


def test_more_reviews_than_a_page_holds_all_count(as_role, stranger, ctx, wool):
    write(stranger, wool)
    judge(ctx, State.SHOWN)
    more = f"""INSERT INTO review (product_id, lang, name, stars, said, state, answer, reason, who, made_at)
               SELECT product_id, lang, name, 2, said, state, answer, reason, who, made_at
               FROM review, seq_1_to_{service.PAGE + 4}"""
    ctx.db.run(lambda tx: tx.run(more))
    viewer = as_role(Role.VIEWER)
    assert f"{service.PAGE + 5} reviews shown" in viewer.get(f"/products/{wool}").text
    assert f"Reviews ({service.PAGE + 5}) 2 of 5 stars" in text_of(page(stranger, wool))
    first = viewer.get("/reviews?state=shown").text
    older = re.search(r'rel="next" href="([^"]+)"', first)[1].replace("&amp;", "&")
    pages = [re.findall(r'id="answer-(\d+)"', text) for text in (first, viewer.get(older).text)]
    assert [len(one) for one in pages] == [service.PAGE, 5]
    assert len({*pages[0], *pages[1]}) == service.PAGE + 5


def test_what_a_review_must_be_and_what_several_come_to():
    assert rules.read({"name": " Ida\x00 \n Fell ", "stars": "5", "text": "Good\r\nwool"}) == Written(
        "Ida Fell", 5, "Good\nwool"
    )
    assert rules.wrong(rules.read({})).keys() == {"name", "stars", "text"}
    assert rules.wrong(rules.read({**SAID, "text": "x" * 4000})).keys() == {"text"}
    assert rules.wrong(rules.read({**SAID, "name": "x" * 81, "stars": "1.5"})).keys() == {"name", "stars"}
    means = [rules.mean(counts) for counts in ({}, {5: 1, 4: 2}, {4: 1, 5: 1})]
    assert means == [None, Decimal("4.3"), Decimal("4.5")]
