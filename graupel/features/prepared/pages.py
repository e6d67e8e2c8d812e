"""Prepared changes: those that wait, one of them, and saying yes, not yet, or never mind."""

from collections.abc import Callable

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core import moments
from graupel.core.errors import Refused
from graupel.core.problems import Problem, by_field
from graupel.core.roles import Identity, Role
from graupel.features.prepared import service
from graupel.features.prepared.schemas import Decision, Mode
from graupel.web import preparing
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/prepared", dependencies=[Depends(from_our_own_page)])


@router.get("")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Those that wait, those whose moment is set, and those that ended."""
    open_, ended = service.listed(ctx, signed.actor)
    said = service.said(ctx, signed.actor, [*open_, *ended])
    return page(request, "prepared/index.html", open=open_, ended=ended, said=said, me=signed.actor.user_id)


@router.post("/mode")
def mode(signed: Signed, form: FormOf[Mode]) -> Response:
    """From now on all that this person saves is prepared; or it is done again."""
    signed.actor.require(Role.EDITOR)
    own = form.back.startswith("/") and not form.back.startswith("//") and "\\" not in form.back
    answer = RedirectResponse(form.back if own else "/prepared", 303)
    if form.on:
        answer.set_cookie(preparing.COOKIE, "1", httponly=True, samesite="lax")
    else:
        answer.delete_cookie(preparing.COOKIE)
    return answer


@router.get("/{prepared_id:int}")
def show(request: Request, ctx: Ctx, signed: Signed, prepared_id: int) -> Response:
    """What it would change, held against what is there now."""
    return _page(request, ctx, signed, prepared_id)


@router.get("/{prepared_id:int}/progress")
def progress(request: Request, ctx: Ctx, signed: Signed, prepared_id: int) -> Response:
    """How far the job that does it is; once that ended, its page is to be loaded anew."""
    job = service.job_of(ctx, signed.actor, prepared_id)
    if job is None or not job["is_open"]:
        return Response(status_code=204, headers={"HX-Refresh": "true"})
    return page(request, "prepared/progress.html", job=job, prepared_id=prepared_id)


@router.post("/{prepared_id:int}")
def decide(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Decision], prepared_id: int) -> Response:
    """What somebody says of it."""
    who, key, version = signed.actor, prepared_id, form.version
    acts: dict[str, Callable[[], object]] = {
        "agree": lambda: service.agree(ctx, who, key, version, None, form.word),
        "plan": lambda: service.agree(ctx, who, key, version, moments.parse(form.at, ctx.zone, "at"), form.word),
        "back": lambda: service.send_back(ctx, who, key, version, form.word),
        "hand_in": lambda: service.hand_in(ctx, who, key, version, form.word),
        "withdraw": lambda: service.withdraw(ctx, who, key, version),
    }
    try:
        acts[form.what]()
    except Refused as refusal:
        return _page(request, ctx, signed, prepared_id, refusal.problems, form)
    return RedirectResponse(f"/prepared/{prepared_id}", 303)


def _page(
    request: Request,
    ctx: Context,
    signed: Identity,
    prepared_id: int,
    problems: list[Problem] | None = None,
    typed: Decision | None = None,
) -> Response:
    found = service.read(ctx, signed.actor, prepared_id)
    return page(
        request,
        "prepared/one.html",
        status=422 if problems else 200,
        found=found,
        problems=by_field(problems or []),
        typed=typed,
        earliest=moments.typed(ctx.db.run(ctx.now), ctx.zone),
        mine=found.one["made_by"] == signed.actor.user_id,
        may_edit=signed.actor.may(Role.EDITOR),
    )
