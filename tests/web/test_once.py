"""What carries a key is done once, however often it is asked for."""

from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest

from graupel.core.roles import SYSTEM, Role
from graupel.db import ActTakenOver, acts
from graupel.db.acts import Act
from graupel.features.products import many
from graupel.features.users import service as users
from graupel.web import once
from tests.conftest import person
from tests.serving import Browser, app, as_role, browser

__all__ = ["app", "as_role", "browser"]

KEY = {"Idempotency-Key": "a-key-of-this-page"}
FELLSIDE = {"name": "Fellside aran", "sku": "FEL-1", "has": "tags"}


def names(ctx) -> list[str]:
    return [one.values.name for one in many.list_after(ctx, SYSTEM, after=0, limit=50)]


def test_a_repetition_is_answered_as_the_first_was(browser: Browser, ctx):
    first = browser.write("/products", FELLSIDE, headers=KEY)
    again = browser.write("/products", FELLSIDE, headers=KEY)
    assert (first.status_code, again.status_code) == (204, 204)
    assert again.headers["HX-Redirect"] == first.headers["HX-Redirect"]
    assert names(ctx) == ["Fellside aran"]


def test_two_at_once_make_one(browser: Browser, ctx):
    with ThreadPoolExecutor(4) as threads:
        answers = list(threads.map(lambda _: browser.write("/products", FELLSIDE, headers=KEY), range(4)))
    assert {one.headers["HX-Redirect"] for one in answers} == {answers[0].headers["HX-Redirect"]}
    assert names(ctx) == ["Fellside aran"]


def test_the_address_of_a_form_may_carry_the_key(browser: Browser, ctx):
    for _ in range(2):
        answer = browser.post("/products?once=k1", data=FELLSIDE | {"csrf": browser.csrf}, follow_redirects=False)
        assert answer.status_code == 204
    assert names(ctx) == ["Fellside aran"]


def test_the_same_key_with_something_else_is_told_where_the_first_stands(browser: Browser, ctx):
    made = browser.write("/products", FELLSIDE, headers=KEY).headers["HX-Redirect"]
    answer = browser.write("/products", FELLSIDE | {"name": "Another"}, headers=KEY)
    assert answer.status_code == 409
    assert "done already" in answer.text
    assert made in answer.text
    assert names(ctx) == ["Fellside aran"]


def test_a_file_that_is_sent_again_is_known_whatever_boundary_the_browser_draws(browser: Browser, ctx):
    for _ in range(2):
        answer = browser.write("/products", FELLSIDE, files={"unused": ("a.txt", b"x" * 200_000)}, headers=KEY)
        assert answer.status_code == 204
    assert names(ctx) == ["Fellside aran"]


def test_what_was_refused_may_be_tried_again_with_the_same_key(browser: Browser, ctx):
    assert browser.write("/products", FELLSIDE | {"name": ""}, headers=KEY).status_code == 422
    assert browser.write("/products", FELLSIDE, headers=KEY).status_code == 204
    assert names(ctx) == ["Fellside aran"]


def test_keys_belong_to_who_sends_them(as_role, ctx):
    for role in (Role.EDITOR, Role.OWNER):
        assert as_role(role).write("/products", FELLSIDE | {"sku": f"F-{role}"}, headers=KEY).status_code == 204
    assert len(names(ctx)) == 2


class Killed(BaseException):
    """Ends what runs, as a kill would; SystemExit would end the event loop of the test's client too."""


def test_done_but_not_answered_is_told_and_not_done_again(browser: Browser, ctx, monkeypatch):
    """The process was killed between its commit and its answer."""

    def killed(tx, act, answer):
        raise Killed

    with monkeypatch.context() as patched:
        patched.setattr(acts, "end", killed)
        with pytest.raises(Killed):
            browser.write("/products", FELLSIDE, headers=KEY)
    long_ago(ctx)
    answer = browser.write("/products", FELLSIDE, headers=KEY)
    assert answer.status_code == 409
    assert "done already" in answer.text
    assert names(ctx) == ["Fellside aran"]


def long_ago(ctx) -> None:
    """Acts under way look as if they had been given up."""
    moment = datetime.now(UTC) - timedelta(seconds=acts.GIVEN_UP_SECONDS + 60)
    ctx.db.run(lambda tx: tx.run("UPDATE act SET began_at = %s", [moment]))


def test_of_an_act_that_seemed_given_up_only_the_later_try_is_written(ctx):
    first = ctx.db.run(lambda tx: acts.begin(tx, b"m" * 32))
    assert isinstance(first, Act)
    assert ctx.db.run(lambda tx: acts.begin(tx, b"m" * 32)) is None  # under way
    long_ago(ctx)
    second = ctx.db.run(lambda tx: acts.begin(tx, b"m" * 32))
    assert isinstance(second, Act)

    def write(tx):
        tx.run("INSERT INTO held (name) VALUES ('tried')")

    with acts.doing(first), pytest.raises(ActTakenOver):
        ctx.db.run(write)
    with acts.doing(second):
        ctx.db.run(write)
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM held WHERE name = 'tried'")) == 1


def test_who_waits_too_long_for_the_first_is_told(browser: Browser, ctx, monkeypatch):
    monkeypatch.setattr(once, "WAIT_SECONDS", 0.05)
    browser.write("/products", FELLSIDE, headers=KEY)
    ctx.db.run(lambda tx: tx.run("UPDATE act SET status = NULL, commits = 0, began_at = UTC_TIMESTAMP()"))
    answer = browser.write("/products", FELLSIDE, headers=KEY)
    assert answer.status_code == 409
    assert "under way" in answer.text


def test_programs_may_send_a_key(app, ctx):
    token = users.make_token(ctx, person(ctx, Role.OWNER), "Till", Role.EDITOR)
    program = Browser(app, base_url="http://127.0.0.1", headers={"Authorization": f"Bearer {token}"} | KEY)
    made = [program.post("/api/v1/products", json={"name": "Fellside", "sku": "F-1"}) for _ in range(2)]
    assert [one.status_code for one in made] == [201, 201]
    assert made[0].json() == made[1].json()
    assert made[1].headers["Location"] == made[0].headers["Location"]
    other = program.post("/api/v1/products", json={"name": "Another"})
    assert (other.status_code, other.headers["Content-Type"]) == (409, "application/problem+json")
    assert names(ctx) == ["Fellside"]
