"""The people of a shop, for its owners."""

from collections.abc import Callable
from typing import Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.core.errors import Refused
from graupel.core.roles import ROLE_HELP, Role
from graupel.core.showing import plural
from graupel.core.typed import number
from graupel.features.users import access, people
from graupel.features.users.access import Visitor
from graupel.features.users.pages import visitor_of
from graupel.features.users.schemas import GivenRole, Invited, Recorded
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(prefix="/people", dependencies=[Depends(from_our_own_page)])


@router.get("")
def show(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Everybody, and how to let more in."""
    return _people(request, ctx, signed)


def _people(request: Request, ctx: Ctx, signed: Signed, *, status: int = 200, **told: Any) -> Response:
    told = {"said": "", "problem": "", "link": "", "typed": {}, **told}
    return page(
        request,
        "users/people.html",
        part="users/people_part.html",
        status=status,
        people=people.listed(ctx, signed.actor),
        roles=[(role, ROLE_HELP[role]) for role in Role],
        hours=people.LINK_HOURS,
        **told,
    )


def _acting(
    request: Request, ctx: Ctx, signed: Signed, act: Callable[[Visitor], dict[str, Any]], typed: dict[str, str]
) -> Response:
    """Do something, and show everybody again: with what ``act`` tells of it, or why it was not done."""
    try:
        told = act(visitor_of(request))
    except Refused as refusal:
        return _people(request, ctx, signed, status=422, problem=refusal.problems[0].message, typed=typed)
    return _people(request, ctx, signed, **told)


def _link(ctx: Ctx, secret: str) -> str:
    return f"{ctx.settings.address.rstrip('/')}/welcome/{secret}"


@router.post("")
def invite(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Invited]) -> Response:
    """Invites somebody; the link is shown once, to be passed on."""
    typed = {"email": "", "name": "", "role": "", **form.typed}

    def act(visitor: Visitor) -> dict[str, Any]:
        role = _role(typed["role"])
        secret = people.invite(ctx, signed.actor, typed["email"], typed["name"], role, visitor)
        return {"said": f"{typed['email']} is invited.", "link": _link(ctx, secret)}

    return _acting(request, ctx, signed, act, typed)


def _role(text: str) -> Role:
    try:
        return Role(text)
    except ValueError as error:
        raise Refused.because("role.unknown", "Choose a role.", "role") from error


@router.post("/{user_id:int}/role")
def change_role(request: Request, ctx: Ctx, signed: Signed, form: FormOf[GivenRole], user_id: int) -> Response:
    """Gives somebody another role."""

    def act(visitor: Visitor) -> dict[str, Any]:
        people.change_role(ctx, signed.actor, _id(user_id), _role(form.role), visitor)
        return {"said": "The role is changed. It holds from the next thing they do."}

    return _acting(request, ctx, signed, act, {})


@router.post("/{user_id:int}/link")
def make_link(request: Request, ctx: Ctx, signed: Signed, user_id: int) -> Response:
    """A link by which somebody chooses a new password."""

    def act(visitor: Visitor) -> dict[str, Any]:
        return {
            "said": "The link is made.",
            "link": _link(ctx, people.make_link(ctx, signed.actor, _id(user_id), visitor)),
        }

    return _acting(request, ctx, signed, act, {})


@router.post("/{user_id:int}/sessions/end")
def end_sessions(request: Request, ctx: Ctx, signed: Signed, user_id: int) -> Response:
    """Signs somebody out everywhere."""

    def act(visitor: Visitor) -> dict[str, Any]:
        ended = people.end_sessions(ctx, signed.actor, _id(user_id), visitor)
        return {"said": f"{plural(ended, 'session')} ended."}

    return _acting(request, ctx, signed, act, {})


@router.post("/{user_id:int}/second/off")
def take_second_away(request: Request, ctx: Ctx, signed: Signed, user_id: int) -> Response:
    """For somebody who lost both their app and their recovery codes."""

    def act(visitor: Visitor) -> dict[str, Any]:
        people.take_second_away(ctx, signed.actor, _id(user_id), visitor)
        return {"said": "The second factor is taken away; the password alone lets them in now."}

    return _acting(request, ctx, signed, act, {})


@router.post("/{user_id:int}/out")
def take_out(request: Request, ctx: Ctx, signed: Signed, user_id: int) -> Response:
    """Lets somebody in no more."""

    def act(visitor: Visitor) -> dict[str, Any]:
        people.take_out(ctx, signed.actor, _id(user_id), visitor)
        return {"said": "Taken out. What they did keeps their name."}

    return _acting(request, ctx, signed, act, {})


def _id(user_id: int) -> int:
    return number(str(user_id)) or 0


@router.get("/record")
def record(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Recorded]) -> Response:
    """The record of sign-ins, refusals and changes of rights, of everybody or of one."""
    return page(
        request,
        "users/record.html",
        record=access.listed(ctx, signed.actor, asked.person),
        people=people.listed(ctx, signed.actor),
        person=asked.person,
        kinds=access.KINDS,
    )
