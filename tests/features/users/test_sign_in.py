"""Sessions, failed tries, and tokens."""

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest

from graupel.core.errors import NotAllowed, NotSignedIn, Refused, TooManyTries
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.features.users import access, passwords, service, store
from graupel.features.users.access import Visitor
from tests.conftest import PASSWORD, REAL_HASHER

EMAIL = "editor@skeinwright.example"


def sign_in(ctx, password=PASSWORD, origin="127.0.0.1", device=""):
    return service.sign_in(ctx, EMAIL, password, Visitor(origin, "test browser", device))


def test_a_session_belongs_to_the_person_until_it_is_ended(ctx, editor):
    first, second = sign_in(ctx), sign_in(ctx)
    signed = service.identify(ctx, first)
    assert signed.actor == editor
    assert len(service.list_sessions(ctx, signed)) == 2
    service.end_session(ctx, signed, service.identify(ctx, second).session_id)
    assert service.identify(ctx, second) is None
    assert service.identify(ctx, first) is not None


def test_a_session_that_ran_out_is_nobodys(ctx, editor):
    secret = sign_in(ctx)
    ctx.db.run(lambda tx: tx.run("UPDATE session SET ends_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND"))
    assert service.identify(ctx, secret) is None


def test_a_session_ends_at_last_however_much_it_is_used(ctx, editor):
    secret = sign_in(ctx)
    old = "UPDATE session SET seen_at = seen_at - INTERVAL 1 HOUR, last_end = UTC_TIMESTAMP(3) + INTERVAL 1 SECOND"
    ctx.db.run(lambda tx: tx.run(old))
    assert service.identify(ctx, secret) is not None
    left = ctx.db.run(lambda tx: tx.value("SELECT TIMESTAMPDIFF(SECOND, UTC_TIMESTAMP(3), ends_at) FROM session"))
    assert left <= 1


def fail(ctx, email=EMAIL, **where):
    with pytest.raises(NotSignedIn):
        service.sign_in(ctx, email, "wrong", Visitor(**where))


def test_after_five_failed_tries_even_the_right_password_has_to_wait(ctx, editor):
    for _ in range(access.TRIES_BY_NAME):
        fail(ctx, origin="127.0.0.1")
    with pytest.raises(TooManyTries) as refusal:
        sign_in(ctx)
    assert 0 < refusal.value.retry_after <= access.TRIES_MINUTES * 60
    assert sign_in(ctx, origin="10.0.0.7"), "somebody elsewhere does not lock the door for all"
    ctx.db.run(lambda tx: tx.run("UPDATE failed_try SET at = at - INTERVAL 1 HOUR"))
    assert sign_in(ctx)


def test_many_tries_at_once_are_counted_before_they_are_looked_at(ctx, editor):
    def guess(number):
        try:
            return bool(service.sign_in(ctx, EMAIL, f"guess {number}", Visitor("10.0.0.9")))
        except TooManyTries:
            return "refused"
        except NotSignedIn:
            return "looked at"

    with ThreadPoolExecutor(12) as threads:
        outcomes = list(threads.map(guess, range(24)))
    assert outcomes.count("looked at") <= access.TRIES_BY_NAME


def test_a_browser_that_is_known_is_let_in_while_others_guess_from_everywhere(ctx, editor):
    assert sign_in(ctx, origin="10.0.0.1", device="a browser of mine")
    for number in range(access.TRIES_BY_NAME_ANYWHERE):
        ctx.db.run(lambda tx, n=number: store.insert_try(tx, EMAIL, f"10.1.0.{n}"))
    with pytest.raises(TooManyTries):
        sign_in(ctx, origin="10.0.0.2")
    assert sign_in(ctx, origin="10.0.0.1", device="a browser of mine")
    with pytest.raises(TooManyTries):
        sign_in(ctx, origin="10.0.0.1", device="a browser that somebody invented")


def test_one_origin_can_not_try_many_names(ctx, editor):
    for number in range(access.TRIES_FROM_ORIGIN):
        fail(ctx, f"someone{number}@example.com", origin="2001:db8::1")
    with pytest.raises(TooManyTries):
        sign_in(ctx, origin="2001:db8::ffff")  # one household has a whole network of them
    assert sign_in(ctx, origin="127.0.0.1")


def test_only_a_few_passwords_are_hashed_at_a_time(monkeypatch):
    most, under, lock = [0], [0], threading.Lock()

    class Slow:
        def verify(self, *_):
            with lock:
                under[0] += 1
                most[0] = max(most[0], under[0])
            gate.wait(0.05)
            with lock:
                under[0] -= 1
            return True

    gate = threading.Event()
    monkeypatch.setattr(passwords, "_hasher", lambda: Slow())
    with ThreadPoolExecutor(10) as threads:
        assert all(threads.map(lambda _: passwords.verify("x", "kept"), range(10)))
    assert most[0] <= passwords.AT_ONCE


def test_an_installation_hashes_with_what_is_recommended():
    """RFC 9106, its second recommended option: 64 MiB, three passes, four lanes."""
    assert REAL_HASHER().hash(PASSWORD).startswith("$argon2id$v=19$m=65536,t=3,p=4$")


def test_passwords_are_kept_as_argon2_hashes_and_secrets_as_fingerprints(ctx, editor):
    secret = sign_in(ctx)
    rows = ctx.db.run(
        lambda tx: (tx.value("SELECT password_hash FROM user"), tx.value("SELECT token_hash FROM session"))
    )
    assert rows[0].startswith("$argon2id$")
    assert secret not in rows[1]


def test_a_token_has_at_most_the_role_of_its_maker_and_ends_when_revoked(ctx, editor, owner, viewer):
    with pytest.raises(NotAllowed):
        service.make_token(ctx, editor, "Till", Role.OWNER)
    with pytest.raises(NotAllowed):
        service.make_token(ctx, viewer, "Till", Role.VIEWER)
    secret = service.make_token(ctx, editor, "Till", Role.EDITOR)
    assert service.identify_token(ctx, secret).role is Role.EDITOR
    token = service.list_tokens(ctx, viewer)[0]
    assert secret not in str(token)
    service.revoke_token(ctx, owner, token["id"])
    with pytest.raises(NotSignedIn):
        service.identify_token(ctx, secret)


def test_a_token_of_somebody_else_is_revoked_by_owners_only(ctx, editor, owner):
    service.make_token(ctx, owner, "Till", Role.VIEWER)
    with pytest.raises(NotAllowed):
        service.revoke_token(ctx, editor, service.list_tokens(ctx, editor)[0]["id"])


def test_a_second_person_with_the_same_address_and_a_short_password_are_refused(ctx, editor):
    with pytest.raises(Refused, match="can sign in already"):
        service.add_user(ctx, SYSTEM, EMAIL.upper(), "Again", Role.VIEWER, PASSWORD)
    with pytest.raises(Refused, match="guessed too easily"):
        service.add_user(ctx, SYSTEM, "new@example.com", "New", Role.VIEWER, "password1234")
    with pytest.raises(Refused, match="guessed too easily"):
        service.add_user(ctx, SYSTEM, "new@example.com", "Edda Brockmann", Role.VIEWER, "EddaBrockmann1")
    with pytest.raises(Refused, match="at least"):
        service.add_user(ctx, SYSTEM, "new@example.com", "New", Role.VIEWER, "short")
    with pytest.raises(NotAllowed):
        service.add_user(ctx, Actor(1, "x", Role.EDITOR), "new@example.com", "New", Role.VIEWER, PASSWORD)
