"""People: invited, given roles, taken out; passwords, second factors, and the record of it all."""

import re
from html import unescape

import pyotp
import pytest

from graupel.core.errors import NotAllowed, NotFound, NotSignedIn, Refused
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.features.history import service as history
from graupel.features.users import access, people, second, service
from graupel.features.users.access import Visitor
from graupel.features.users.service import CodeNeeded
from tests.conftest import PASSWORD
from tests.serving import app, as_role, stranger

__all__ = ["app", "as_role", "stranger"]

HERE = Visitor("127.0.0.1", "test browser")
NEW = "edda@skeinwright.example"
ANOTHER = "several plain words here"


def sign_in(ctx, email, password=PASSWORD):
    return service.sign_in(ctx, email, password, HERE)


def kinds(ctx, owner) -> list[str]:
    return [one["kind"] for one in access.listed(ctx, owner)]


def invited(ctx, owner, role=Role.EDITOR) -> int:
    secret = people.invite(ctx, owner, NEW, "Edda", role, HERE)
    people.use_link(ctx, secret, ANOTHER, HERE)
    return service.actor_by_email(ctx, NEW).user_id


def test_who_is_invited_chooses_a_password_once(ctx, owner):
    secret = people.invite(ctx, owner, NEW.upper(), "Edda", Role.EDITOR, HERE)
    with pytest.raises(NotSignedIn):
        sign_in(ctx, NEW, "")
    with pytest.raises(Refused, match="at least"):
        people.use_link(ctx, secret, "short", HERE)
    assert people.use_link(ctx, secret, ANOTHER, HERE) == NEW
    assert sign_in(ctx, NEW, ANOTHER)
    with pytest.raises(NotFound, match="used already"):
        people.use_link(ctx, secret, "another password entirely", HERE)
    with pytest.raises(Refused, match="here already"):
        people.invite(ctx, owner, NEW, "Edda", Role.OWNER, HERE)
    assert kinds(ctx, owner) == ["sign_in", "joined", "refused", "invited"]


def test_only_owners_keep_people(ctx, owner, editor):
    for act in (
        lambda: people.invite(ctx, editor, NEW, "Edda", Role.VIEWER, HERE),
        lambda: people.change_role(ctx, editor, editor.user_id, Role.OWNER, HERE),
        lambda: people.take_out(ctx, editor, owner.user_id, HERE),
        lambda: people.make_link(ctx, editor, owner.user_id, HERE),
        lambda: people.end_sessions(ctx, editor, owner.user_id, HERE),
        lambda: people.take_second_away(ctx, editor, owner.user_id, HERE),
        lambda: people.listed(ctx, editor),
        lambda: access.listed(ctx, editor),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_a_role_holds_at_once_also_for_tokens(ctx, owner):
    user_id = invited(ctx, owner)
    secret = sign_in(ctx, NEW, ANOTHER)
    token = service.make_token(ctx, service.actor_by_email(ctx, NEW), "Till", Role.EDITOR)
    people.change_role(ctx, owner, user_id, Role.VIEWER, HERE)
    assert service.identify(ctx, secret).actor.role is Role.VIEWER
    assert service.identify_token(ctx, token).role is Role.VIEWER
    assert access.listed(ctx, owner)[0]["detail"] == "editor → viewer"


def test_the_last_owner_stays(ctx, owner):
    for act in (people.take_out, lambda *given: people.change_role(*given[:3], Role.EDITOR, given[3])):
        with pytest.raises(Refused, match="only owner"):
            act(ctx, owner, owner.user_id, HERE)
    other = invited(ctx, owner, Role.OWNER)
    people.change_role(ctx, owner, owner.user_id, Role.EDITOR, HERE)
    with pytest.raises(Refused, match="only owner"):
        people.take_out(ctx, SYSTEM, other, HERE)


def test_who_is_taken_out_is_out_and_their_work_keeps_their_name(ctx, owner):
    user_id = invited(ctx, owner)
    actor = service.actor_by_email(ctx, NEW)
    secret, token = sign_in(ctx, NEW, ANOTHER), service.make_token(ctx, actor, "Till", Role.EDITOR)
    people.take_out(ctx, owner, user_id, HERE)
    assert service.identify(ctx, secret) is None
    for gone in (lambda: service.identify_token(ctx, token), lambda: sign_in(ctx, NEW, ANOTHER)):
        with pytest.raises(NotSignedIn):
            gone()
    assert "Edda" in {one["actor"] for one in history.list_change_sets(ctx, SYSTEM).change_sets}
    # The same person comes back.
    again = people.invite(ctx, owner, NEW, "Edda", Role.VIEWER, HERE)
    people.use_link(ctx, again, ANOTHER, HERE)
    assert service.actor_by_email(ctx, NEW) == Actor(user_id, "Edda", Role.VIEWER)
    with pytest.raises(NotSignedIn):
        service.identify_token(ctx, token)


def test_a_password_is_changed_by_who_knows_it_and_other_sessions_end(ctx, editor):
    email = "editor@skeinwright.example"
    here, elsewhere = sign_in(ctx, email), sign_in(ctx, email)
    signed = service.identify(ctx, here)
    with pytest.raises(Refused, match="not your password"):
        service.change_password(ctx, signed, "wrong", ANOTHER, HERE)
    service.change_password(ctx, signed, PASSWORD, ANOTHER, HERE)
    assert service.identify(ctx, here) is not None
    assert service.identify(ctx, elsewhere) is None
    with pytest.raises(NotSignedIn):
        sign_in(ctx, email)
    assert sign_in(ctx, email, ANOTHER)


def test_a_link_of_an_owner_lets_somebody_choose_anew(ctx, owner, editor):
    first = people.make_link(ctx, owner, editor.user_id, HERE)
    secret = people.make_link(ctx, owner, editor.user_id, HERE)
    session = sign_in(ctx, "editor@skeinwright.example")
    with pytest.raises(NotFound):
        people.use_link(ctx, first, ANOTHER, HERE)  # a later link ends an earlier one
    people.use_link(ctx, secret, ANOTHER, HERE)
    assert service.identify(ctx, session) is None
    assert sign_in(ctx, "editor@skeinwright.example", ANOTHER)
    late = people.make_link(ctx, owner, editor.user_id, HERE)
    ctx.db.run(lambda tx: tx.run("UPDATE password_link SET ends_at = UTC_TIMESTAMP(3)"))
    with pytest.raises(NotFound):
        people.use_link(ctx, late, PASSWORD, HERE)


def needs_code(ctx, email) -> str:
    with pytest.raises(CodeNeeded) as needed:
        sign_in(ctx, email)
    return needed.value.ticket


def test_a_second_factor_is_asked_after_the_password_and_each_code_counts_once(ctx, editor, owner):
    email = "editor@skeinwright.example"
    signed = service.identify(ctx, sign_in(ctx, email))
    offer = second.offer("Skeinwright", email)
    code = pyotp.TOTP(offer.secret).now()
    with pytest.raises(Refused, match="not the code"):
        second.switch_on(ctx, signed, offer.secret, "000000" if code != "000000" else "000001", HERE)
    codes = second.switch_on(ctx, signed, offer.secret, code, HERE)
    kept = ctx.db.run(lambda tx: tx.value("SELECT second_secret FROM user WHERE email = %s", [email]))
    assert offer.secret not in kept
    with pytest.raises(CodeNeeded):
        service.finish_sign_in(ctx, needs_code(ctx, email), code, HERE)  # it was used to switch it on
    assert service.finish_sign_in(ctx, needs_code(ctx, email), second.spelled(codes[0]).upper(), HERE)
    with pytest.raises(CodeNeeded):
        service.finish_sign_in(ctx, needs_code(ctx, email), codes[0], HERE)
    assert service.second_factor(ctx, signed) == len(codes) - 1
    with pytest.raises(NotSignedIn):
        service.finish_sign_in(ctx, "a ticket that we did not give", codes[1], HERE)
    people.take_second_away(ctx, owner, editor.user_id, HERE)
    assert sign_in(ctx, email)
    assert {"second_on", "second_off", "refused_code"} <= set(kinds(ctx, owner))


def test_tokens_end(ctx, owner):
    token = service.make_token(ctx, owner, "Till", Role.VIEWER, 30)
    assert service.identify_token(ctx, token)
    ctx.db.run(lambda tx: tx.run("UPDATE api_token SET ends_at = UTC_TIMESTAMP(3)"))
    with pytest.raises(NotSignedIn, match="has ended"):
        service.identify_token(ctx, token)
    with pytest.raises(Refused):
        service.make_token(ctx, owner, "For ever", Role.VIEWER, 100_000)


def door_of(page: str) -> str:
    return re.search(r'name="door" value="([^"]+)"', page)[1]


def test_the_pages_lead_from_an_invitation_to_the_second_factor(as_role, stranger, ctx):
    me = as_role(Role.OWNER)
    answer = me.write("/people", {"email": NEW, "name": "Edda", "role": "editor"})
    link = re.search(r'id="new-link">([^<]+)<', answer.text)[1]
    assert link.startswith(ctx.settings.address)
    path = link.removeprefix(ctx.settings.address)
    page = stranger.get(path)
    form = {"door": door_of(page.text), "password": ANOTHER, "again": ANOTHER}
    assert page.headers["Referrer-Policy"] == "no-referrer"
    assert stranger.post(path, data={**form, "again": "other"}, follow_redirects=False).status_code == 422
    assert stranger.post(path, data=form, follow_redirects=False).status_code == 303
    door = {"door": door_of(stranger.get("/sign-in").text), "email": NEW, "password": ANOTHER}
    assert stranger.post("/sign-in", data=door, follow_redirects=False).status_code == 303
    csrf = stranger.get("/session").json()["csrf"]
    page = stranger.get("/account/second").text
    key = re.search(r'id="second-key">([^<]+)<', page)[1].replace(" ", "")
    offer = unescape(re.search(r'name="offer" value="([^"]+)"', page)[1])
    proved = {"csrf": csrf, "offer": offer, "code": pyotp.TOTP(key).now()}
    assert "Recovery codes" in stranger.post("/account/second", data=proved).text
    assert "Signed in" in me.get("/people/record").text
    assert "another role" not in me.write(f"/people/{me.actor.user_id}/role", {"role": "editor"}).text
    refused = me.write(f"/people/{me.actor.user_id}/out")
    assert (refused.status_code, "only owner" in refused.text) == (422, True)
    assert as_role(Role.VIEWER).get("/people").status_code == 403


def test_too_many_tries_say_when_to_come_again(stranger, ctx, editor):
    token = door_of(stranger.get("/sign-in").text)
    form = {"door": token, "email": "editor@skeinwright.example", "password": "wrong"}
    answers = [stranger.post("/sign-in", data=form) for _ in range(access.TRIES_BY_NAME + 1)]
    assert [one.status_code for one in answers[-2:]] == [401, 429]
    assert int(answers[-1].headers["Retry-After"]) > 0
