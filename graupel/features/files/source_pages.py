"""Where files come from by themselves."""

from functools import partial

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.problems import by_field
from graupel.core.roles import Identity, Role
from graupel.features.files import profiles, sources
from graupel.features.files.schemas import SourceTyped
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/files/sources", dependencies=[Depends(from_our_own_page)])
HERE = "/files/sources"
_NEW = SourceTyped(at="06:00", bound="5")


@router.get("")
def show(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """Where files come from, and what came last."""
    return _page(request, ctx, signed)


def _page(
    request: Request, ctx: Context, signed: Identity, typed: SourceTyped = _NEW, refusal: Refused | None = None
) -> Response:
    listed = sources.list_all(ctx, signed.actor)
    return page(
        request,
        "files/sources.html",
        part="files/sources_part.html",
        status=422 if refusal else 200,
        sources=listed,
        next_of=partial(sources.next_of, ctx),
        shown_minute=sources.shown_minute,
        looking=sources.looking(ctx, signed.actor),
        profiles=profiles.list_all(ctx, signed.actor),
        folder=sources.INCOMING,
        typed=typed,
        wrong=by_field(refusal.problems) if refusal else {},
        may_edit=signed.actor.may(Role.EDITOR),
    )


@router.post("")
def add(request: Request, ctx: Ctx, signed: Signed, form: FormOf[SourceTyped]) -> Response:
    """Has files looked for."""
    try:
        sources.add(ctx, signed.actor, {**form.model_dump(), "leave_out": "1" if form.leave_out else ""})
    except Refused as refusal:
        return _page(request, ctx, signed, form, refusal)
    return RedirectResponse(HERE, 303)


@router.post("/{source_id:int}/look")
def look(ctx: Ctx, signed: Signed, source_id: int) -> Response:
    """Looks for files at once."""
    sources.look_now(ctx, signed.actor, source_id)
    return RedirectResponse(HERE, 303)


@router.post("/{source_id:int}/remove")
def remove(ctx: Ctx, signed: Signed, source_id: int) -> Response:
    """Looks for them no more."""
    sources.remove(ctx, signed.actor, source_id)
    return RedirectResponse(HERE, 303)
