"""The door: signing in and out, and links by which somebody chooses a password."""

import re
import secrets
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from graupel.core.errors import NotAllowed, NotSignedIn, Refused, TooManyTries
from graupel.features.users import access, people, service
from graupel.features.users.access import Visitor
from graupel.features.users.schemas import ChosenPassword, Door, Wanted
from graupel.features.users.service import CodeNeeded
from graupel.web.errors import status_of
from graupel.web.frame import page
from graupel.web.security import (
    DEVICE_COOKIE,
    DOOR_COOKIE,
    SESSION_COOKIE,
    Anyone,
    Ctx,
    Signed,
    cookie_name,
    cookie_of,
    from_our_own_page,
    set_cookie,
)
from graupel.web.sent import FormOf, QueryOf

DEVICE_DAYS = 180

router = APIRouter()
guarded = APIRouter(dependencies=[Depends(from_our_own_page)])


def _inside(wanted: str) -> str:
    """Only our own pages: an address given by somebody else must not lead away."""
    return wanted if re.fullmatch(r"/(?![/\\])[^\\\s\x00-\x1f]*", wanted) else "/"


@router.get("/sign-in")
def door(request: Request, ctx: Ctx, signed: Anyone, asked: QueryOf[Wanted]) -> Response:
    """The form to sign in."""
    if signed:
        return RedirectResponse(_inside(asked.next), 303)
    return _door(request, ctx, _inside(asked.next))


def _door(request: Request, ctx: Ctx, wanted: str, *, status: int = 200, **told: str) -> Response:
    """``told``: the ``email`` that was typed, a ``message``, and a ``ticket`` where a code is to follow."""
    token = cookie_of(request, DOOR_COOKIE) or secrets.token_urlsafe(24)
    data: dict[str, Any] = {"email": "", "message": "", "ticket": "", **told}
    answer = page(request, "users/door.html", status=status, door=token, wanted=wanted, **data)
    _keep_door(answer, ctx, token)
    return answer


@router.post("/sign-in")
def sign_in(request: Request, ctx: Ctx, form: FormOf[Door]) -> Response:
    """Begins a session, in two steps where somebody has a second factor."""
    request.state.signed = None
    email, wanted = form.email, _inside(form.next)
    visitor = visitor_of(request)
    try:
        secret = _begin(request, ctx, form, visitor)
    except TooManyTries as refusal:
        answer = _door(request, ctx, wanted, email=email, message=str(refusal), status=429)
        answer.headers["Retry-After"] = str(refusal.retry_after)
        return answer
    except CodeNeeded as needed:
        wrong = "This code is not right, or was used already. " if form.ticket else ""
        return _door(request, ctx, wanted, email=email, message=f"{wrong}{needed}", ticket=needed.ticket, status=401)
    except NotSignedIn as refusal:
        return _door(request, ctx, wanted, email=email, message=str(refusal), status=401)
    answer = RedirectResponse(wanted, 303)
    _keep_session(request, answer, ctx, secret, visitor.device)
    return answer


def visitor_of(request: Request) -> Visitor:
    """Where a request comes from, and by which browser; one that is new gets a secret to be known by."""
    origin = request.client.host if request.client else ""
    device = cookie_of(request, DEVICE_COOKIE) or secrets.token_urlsafe(24)
    return Visitor(origin, request.headers.get("user-agent", ""), device)


def _refuse_old_door(request: Request, given: str) -> None:
    kept = cookie_of(request, DOOR_COOKIE)
    if not kept or not secrets.compare_digest(given.encode(), kept.encode()):
        raise NotAllowed("This form is too old to be trusted. Go back to it, load it again, and repeat what you did.")


def _begin(request: Request, ctx: Ctx, form: Door, visitor: Visitor) -> str:
    """The secret of a new session, for a form of our own door. Raises NotAllowed, and what signing in raises."""
    _refuse_old_door(request, form.door)
    if form.ticket:
        return service.finish_sign_in(ctx, form.ticket, form.code, visitor)
    return service.sign_in(ctx, form.email, form.password, visitor)


def _keep_session(request: Request, answer: Response, ctx: Ctx, secret: str, device: str) -> None:
    set_cookie(answer, ctx.settings, SESSION_COOKIE, secret, seconds=ctx.settings.session_days * 86400)
    if not cookie_of(request, DEVICE_COOKIE):
        set_cookie(answer, ctx.settings, DEVICE_COOKIE, device, seconds=DEVICE_DAYS * 86400)


def _keep_door(answer: Response, ctx: Ctx, token: str) -> None:
    set_cookie(answer, ctx.settings, DOOR_COOKIE, token, strict=True)


@router.get("/session")
def session(request: Request, ctx: Ctx, signed: Anyone) -> JSONResponse:
    """Who is signed in, for a page that was told that its session is over: its new token, or how to begin again."""
    if signed:
        return JSONResponse({"person": str(signed.actor.user_id), "csrf": signed.csrf, "name": signed.actor.name})
    token = cookie_of(request, DOOR_COOKIE) or secrets.token_urlsafe(24)
    answer = JSONResponse({"person": None, "door": token})
    _keep_door(answer, ctx, token)
    return answer


@router.post("/session")
def begin_again(request: Request, ctx: Ctx, form: FormOf[Door]) -> JSONResponse:
    """Begins a session for a page that stays where it is."""
    request.state.signed = None
    visitor = visitor_of(request)
    try:
        secret = _begin(request, ctx, form, visitor)
    except CodeNeeded as needed:
        return JSONResponse({"problem": str(needed), "ticket": needed.ticket}, 401)
    except (TooManyTries, NotSignedIn, NotAllowed) as refusal:
        answer = JSONResponse({"problem": str(refusal)}, status_of(refusal)[0])
        if isinstance(refusal, TooManyTries):
            answer.headers["Retry-After"] = str(refusal.retry_after)
        return answer
    found = service.identify(ctx, secret)
    assert found is not None
    answer = JSONResponse({"person": str(found.actor.user_id), "csrf": found.csrf})
    _keep_session(request, answer, ctx, secret, visitor.device)
    return answer


@guarded.post("/sign-out")
def sign_out(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Ends this session."""
    access.note_by(ctx, "sign_out", visitor_of(request), signed.actor)
    service.end_session(ctx, signed, signed.session_id)
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(cookie_name(SESSION_COOKIE, ctx.settings), secure=ctx.settings.secure_cookies)
    return answer


@router.get("/welcome/{secret}")
def welcome(request: Request, ctx: Ctx, signed: Anyone, secret: str) -> Response:
    """Where a link leads by which somebody chooses a password."""
    return _welcome(request, ctx, secret)


def _welcome(request: Request, ctx: Ctx, secret: str, *, status: int = 200, problem: str = "") -> Response:
    request.state.signed = None
    user = people.of_link(ctx, secret)
    token = cookie_of(request, DOOR_COOKIE) or secrets.token_urlsafe(24)
    answer = page(request, "users/welcome.html", status=status, user=user, link=secret, door=token, problem=problem)
    answer.headers["Referrer-Policy"] = "no-referrer"  # the address is the secret
    _keep_door(answer, ctx, token)
    return answer


@router.post("/welcome/{secret}")
def choose_password(request: Request, ctx: Ctx, form: FormOf[ChosenPassword], secret: str) -> Response:
    """Keeps the password, and leads to the door."""
    _refuse_old_door(request, form.door)
    try:
        if form.password != form.again:
            raise Refused.because("password.differs", "The two passwords differ. Type the same one twice.")
        people.use_link(ctx, secret, form.password, visitor_of(request))
    except Refused as refusal:
        return _welcome(request, ctx, secret, status=422, problem=refusal.problems[0].message)
    return RedirectResponse("/sign-in", 303)
