"""One's own account: password, second factor, sessions, tokens, and what the record says of oneself."""

from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.core.errors import NotFound, Refused, TooManyTries
from graupel.core.roles import ROLE_HELP, Role
from graupel.core.showing import plural
from graupel.features.users import access, people, second, service
from graupel.features.users.pages import visitor_of
from graupel.features.users.schemas import NewPassword, NewToken, Proof, SecondFactor
from graupel.sealing import SealBroken
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/account", dependencies=[Depends(from_our_own_page)])
#: For how long the picture of a new second factor is good.
_OFFER_SECONDS = 1800


@router.get("")
def account(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All of it."""
    return _account(request, ctx, signed)


def _account(request: Request, ctx: Ctx, signed: Signed, *, status: int = 200, **told: Any) -> Response:
    """``told``: the ``secret`` of a new token, ``said``, and by part of the page what is wrong."""
    user_id = int(signed.actor.user_id or 0)
    told = {"secret": "", "said": "", "problem": "", "password_problems": {}, **told}
    return page(
        request,
        "users/account.html",
        status=status,
        sessions=service.list_sessions(ctx, signed),
        tokens=service.list_tokens(ctx, signed.actor),
        roles=[(role, ROLE_HELP[role]) for role in Role if role.rank <= signed.actor.role.rank],
        days=service.TOKEN_DAYS,
        codes_left=service.second_factor(ctx, signed),
        record=access.listed(ctx, signed.actor, user_id)[:20],
        kinds=access.KINDS,
        **told,
    )


@router.post("/password")
def change_password(request: Request, ctx: Ctx, signed: Signed, form: FormOf[NewPassword]) -> Response:
    """Another password; all other sessions end."""
    try:
        if form.new != form.again:
            raise Refused.because("password.differs", "The two new passwords differ. Type the same one twice.", "again")
        service.change_password(ctx, signed, form.old, form.new, visitor_of(request))
    except Refused as refusal:
        problems = {problem.field: problem.message for problem in refusal.problems}
        return _account(request, ctx, signed, status=422, password_problems=problems)
    except TooManyTries as refusal:
        answer = _account(request, ctx, signed, status=429, password_problems={"old": str(refusal)})
        answer.headers["Retry-After"] = str(refusal.retry_after)
        return answer
    return _account(request, ctx, signed, said="Your password is changed; all other sessions have ended.")


@router.get("/second")
def second_factor(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """A new second factor, to be read into an app and proved by its first code."""
    return _second(request, ctx, signed)


def _second(
    request: Request, ctx: Ctx, signed: Signed, *, secret: str = "", problem: str = "", status: int = 200
) -> Response:
    offer = second.offer(ctx.settings.shop_name, signed.email, secret)
    sealed = ctx.sealer.seal(offer.secret)
    return page(request, "users/second.html", status=status, offer=offer, sealed=sealed, problem=problem)


@router.post("/second")
def switch_on(request: Request, ctx: Ctx, signed: Signed, form: FormOf[SecondFactor]) -> Response:
    """Puts it in force, and shows the recovery codes once."""
    try:
        secret = ctx.sealer.open(form.offer, seconds=_OFFER_SECONDS)
    except SealBroken:
        return _second(request, ctx, signed, problem="This took too long: read the new picture.", status=422)
    try:
        codes = second.switch_on(ctx, signed, secret, form.code, visitor_of(request))
    except Refused as refusal:
        return _second(request, ctx, signed, secret=secret, problem=refusal.problems[0].message, status=422)
    return page(request, "users/recovery.html", codes=[second.spelled(one) for one in codes])


@router.post("/second/off")
def switch_off(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Proof]) -> Response:
    """Takes the second factor away; the password is asked, for an open screen is not enough."""
    try:
        service.prove(ctx, signed, form.password, visitor_of(request))
    except Refused as refusal:
        return _account(request, ctx, signed, status=422, second_problem=refusal.problems[0].message)
    people.take_second_away(ctx, signed.actor, int(signed.actor.user_id or 0), visitor_of(request))
    return _account(request, ctx, signed, said="The second factor is taken away. Your password alone lets you in now.")


@router.post("/sessions/end")
def end_others(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Ends all sessions but this one."""
    ended = service.end_other_sessions(ctx, signed, visitor_of(request))
    return _account(request, ctx, signed, said=f"{plural(ended, 'other session')} ended.")


@router.post("/sessions/{public_id}/end")
def end_session(ctx: Ctx, signed: Signed, public_id: str) -> Response:
    """Ends one of one's own sessions."""
    service.end_session(ctx, signed, public_id)
    return RedirectResponse("/account", 303)


@router.post("/tokens")
def make_token(request: Request, ctx: Ctx, signed: Signed, form: FormOf[NewToken]) -> Response:
    """Makes a token and shows its secret once."""
    try:
        days = form.days or service.TOKEN_DAYS[-1]
        secret = service.make_token(ctx, signed.actor, form.name, Role(form.role), days)
    except ValueError:
        return _account(request, ctx, signed, problem="Choose a role for the token.", status=422)
    except Refused as refusal:
        return _account(request, ctx, signed, problem=refusal.problems[0].message, status=422)
    return _account(request, ctx, signed, secret=secret)


@router.post("/tokens/{token_id}/revoke")
def revoke_token(ctx: Ctx, signed: Signed, token_id: int) -> Response:
    """Ends a token."""
    if not 0 < token_id < 2**32:
        raise NotFound("There is no such token.")
    service.revoke_token(ctx, signed.actor, token_id)
    return RedirectResponse("/account#tokens", 303)
