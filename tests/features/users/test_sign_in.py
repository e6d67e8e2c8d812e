"""Sessions, failed tries, and tokens."""

import pytest

from graupel.core.errors import NotAllowed, NotSignedIn, Refused, TooManyTries
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.features.users import service
from tests.conftest import PASSWORD

EMAIL = "editor@skeinwright.example"


def sign_in(ctx, password=PASSWORD, origin="127.0.0.1"):
    return service.sign_in(ctx, EMAIL, password, origin, "test browser")


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


def test_after_five_failed_tries_even_the_right_password_has_to_wait(ctx, editor):
    for _ in range(service.TRIES_BY_NAME):
        with pytest.raises(NotSignedIn):
            sign_in(ctx, "wrong")
    with pytest.raises(TooManyTries) as refusal:
        sign_in(ctx)
    assert 0 < refusal.value.retry_after <= service.TRIES_MINUTES * 60
    ctx.db.run(lambda tx: tx.run("UPDATE failed_try SET at = at - INTERVAL 1 HOUR"))
    assert sign_in(ctx)


def test_one_origin_can_not_try_many_names(ctx, editor):
    for number in range(service.TRIES_FROM_ORIGIN):
        with pytest.raises(NotSignedIn):
            service.sign_in(ctx, f"someone{number}@example.com", "wrong", "127.0.0.9", "")
    with pytest.raises(TooManyTries):
        sign_in(ctx, origin="127.0.0.9")
    assert sign_in(ctx, origin="127.0.0.1")


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
    with pytest.raises(Refused, match="at least"):
        service.add_user(ctx, SYSTEM, "new@example.com", "New", Role.VIEWER, "short")
    with pytest.raises(NotAllowed):
        service.add_user(ctx, Actor(1, "x", Role.EDITOR), "new@example.com", "New", Role.VIEWER, PASSWORD)
