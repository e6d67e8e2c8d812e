"""The door, and one's own account."""

import secrets
from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.datastructures import FormData

from graupel.core.errors import NotAllowed, NotSignedIn, Refused, TooManyTries
from graupel.core.roles import ROLE_HELP, Role
from graupel.features.users import service
from graupel.web.errors import status_of
from graupel.web.frame import page
from graupel.web.security import DOOR_COOKIE, SESSION_COOKIE, Anyone, Ctx, Form, Signed, from_our_own_page

router = APIRouter()
guarded = APIRouter(dependencies=[Depends(from_our_own_page)])


def _inside(wanted: str) -> str:
    """Only our own pages: an address given by somebody else must not lead away."""
    return wanted if wanted.startswith("/") and not wanted.startswith(("//", "/\\")) else "/products"


@router.get("/sign-in")
def door(request: Request, ctx: Ctx, signed: Anyone, wanted: Annotated[str, Query(alias="next")] = "") -> Response:
    """The form to sign in."""
    if signed:
        return RedirectResponse(_inside(wanted), 303)
    return _door(request, ctx, _inside(wanted))


def _door(
    request: Request, ctx: Ctx, wanted: str, *, email: str = "", message: str = "", status: int = 200
) -> Response:
    token = request.cookies.get(DOOR_COOKIE) or secrets.token_urlsafe(24)
    answer = page(request, "users/door.html", status=status, door=token, wanted=wanted, email=email, message=message)
    _keep_door(answer, ctx, token)
    return answer


@router.post("/sign-in")
def sign_in(request: Request, ctx: Ctx, form: Form) -> Response:
    """Begins a session."""
    request.state.signed = None
    email, wanted = str(form.get("email", "")), _inside(str(form.get("next", "")))
    try:
        secret = _begin(request, ctx, form)
    except TooManyTries as refusal:
        return _door(request, ctx, wanted, email=email, message=str(refusal), status=429)
    except NotSignedIn as refusal:
        return _door(request, ctx, wanted, email=email, message=str(refusal), status=401)
    answer = RedirectResponse(wanted, 303)
    _keep_session(answer, ctx, secret)
    return answer


def _begin(request: Request, ctx: Ctx, form: FormData) -> str:
    """The secret of a new session, for a form of our own door. Raises NotAllowed, and what sign_in raises."""
    given, kept = str(form.get("door", "")), request.cookies.get(DOOR_COOKIE, "")
    if not kept or not secrets.compare_digest(given.encode(), kept.encode()):
        raise NotAllowed("This form is too old to be trusted. Go back to it, load it again, and sign in.")
    origin = request.client.host if request.client else ""
    email, password = str(form.get("email", "")), str(form.get("password", ""))
    return service.sign_in(ctx, email, password, origin, request.headers.get("user-agent", ""))


def _keep_session(answer: Response, ctx: Ctx, secret: str) -> None:
    answer.set_cookie(
        SESSION_COOKIE,
        secret,
        httponly=True,
        samesite="lax",
        secure=ctx.settings.secure_cookies,
        max_age=ctx.settings.session_hours * 3600,
    )


def _keep_door(answer: Response, ctx: Ctx, token: str) -> None:
    answer.set_cookie(DOOR_COOKIE, token, httponly=True, samesite="strict", secure=ctx.settings.secure_cookies)


@router.get("/session")
def session(request: Request, ctx: Ctx, signed: Anyone) -> JSONResponse:
    """Who is signed in, for a page that was told that its session is over: its new token, or how to begin again."""
    if signed:
        return JSONResponse({"person": str(signed.actor.user_id), "csrf": signed.csrf, "name": signed.actor.name})
    token = request.cookies.get(DOOR_COOKIE) or secrets.token_urlsafe(24)
    answer = JSONResponse({"person": None, "door": token})
    _keep_door(answer, ctx, token)
    return answer


@router.post("/session")
def begin_again(request: Request, ctx: Ctx, form: Form) -> JSONResponse:
    """Begins a session for a page that stays where it is."""
    request.state.signed = None
    try:
        secret = _begin(request, ctx, form)
    except (TooManyTries, NotSignedIn, NotAllowed) as refusal:
        return JSONResponse({"problem": str(refusal)}, status_of(refusal)[0])
    found = service.identify(ctx, secret)
    assert found is not None
    answer = JSONResponse({"person": str(found.actor.user_id), "csrf": found.csrf})
    _keep_session(answer, ctx, secret)
    return answer


@guarded.post("/sign-out")
def sign_out(ctx: Ctx, signed: Signed) -> Response:
    """Ends this session."""
    service.end_session(ctx, signed, signed.session_id)
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(SESSION_COOKIE)
    return answer


@guarded.get("/account")
def account(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Sessions and tokens."""
    return _account(request, ctx, signed)


def _account(
    request: Request, ctx: Ctx, signed: Signed, *, secret: str = "", problem: str = "", status: int = 200
) -> Response:
    roles = [(role, ROLE_HELP[role]) for role in Role if role.rank <= signed.actor.role.rank]
    return page(
        request,
        "users/account.html",
        status=status,
        sessions=service.list_sessions(ctx, signed),
        tokens=service.list_tokens(ctx, signed.actor),
        roles=roles,
        secret=secret,
        problem=problem,
    )


@guarded.post("/account/sessions/{public_id}/end")
def end_session(ctx: Ctx, signed: Signed, public_id: str) -> Response:
    """Ends one of one's own sessions."""
    service.end_session(ctx, signed, public_id)
    return RedirectResponse("/account", 303)


@guarded.post("/account/tokens")
def make_token(request: Request, ctx: Ctx, signed: Signed, form: Form) -> Response:
    """Makes a token and shows its secret once."""
    try:
        role = Role(str(form.get("role", "")))
        secret = service.make_token(ctx, signed.actor, str(form.get("name", "")), role)
    except ValueError:
        return _account(request, ctx, signed, problem="Choose a role for the token.", status=422)
    except Refused as refusal:
        return _account(request, ctx, signed, problem=refusal.problems[0].message, status=422)
    return _account(request, ctx, signed, secret=secret)


@guarded.post("/account/tokens/{token_id}/revoke")
def revoke_token(ctx: Ctx, signed: Signed, token_id: int) -> Response:
    """Ends a token."""
    service.revoke_token(ctx, signed.actor, token_id)
    return RedirectResponse("/account#tokens", 303)
