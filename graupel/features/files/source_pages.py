"""Where files come from by themselves."""

from functools import partial

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core import sources as rules
from graupel.core.roles import Identity, Role
from graupel.features.files import profiles, sources
from graupel.features.files.rows import SourceRow
from graupel.features.files.schemas import SourceTyped
from graupel.web.attempts import FRESH, Attempt, attempt
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


@router.get("/{source_id:int}")
def show_one(request: Request, ctx: Ctx, signed: Signed, source_id: int) -> Response:
    """The same, with one of them to change."""
    return _page(request, ctx, signed, sources.read(ctx, signed.actor, source_id))


def _page(
    request: Request, ctx: Context, signed: Identity, changing: SourceRow | None = None, tried: Attempt = FRESH
) -> Response:
    return page(
        request,
        "files/sources.html",
        part="files/sources_part.html",
        sources=sources.list_all(ctx, signed.actor),
        next_of=partial(sources.next_of, ctx),
        shown_minute=rules.shown_minute,
        looking=sources.looking(ctx, signed.actor),
        profiles=profiles.list_all(ctx, signed.actor),
        folder=sources.INCOMING,
        changing=changing,
        held=sources.held(changing) if changing else {},
        may_edit=signed.actor.may(Role.EDITOR),
        **tried.shown | {"typed": tried.typed or (_typed(changing) if changing else _NEW)},
    )


def _typed(row: SourceRow) -> SourceTyped:
    """One of them as it would be typed."""
    return SourceTyped(
        name=row["name"],
        place=row["place"],
        profile=str(row["profile_id"] or ""),
        every="hour" if row["every"] == rules.HOUR else "day",
        at=rules.shown_minute(row["every"], row["minute"]),
        bound="" if row["bound"] is None else str(row["bound"]),
        leave_out=bool(row["leave_out"]),
    )


@router.post("")
def add(request: Request, ctx: Ctx, signed: Signed, form: FormOf[SourceTyped]) -> Response:
    """Has files looked for."""
    return _saved(request, ctx, signed, form, None)


@router.post("/{source_id:int}")
def change(request: Request, ctx: Ctx, signed: Signed, form: FormOf[SourceTyped], source_id: int) -> Response:
    """Has them looked for otherwise."""
    return _saved(request, ctx, signed, form, sources.read(ctx, signed.actor, source_id))


def _saved(request: Request, ctx: Context, signed: Identity, form: SourceTyped, row: SourceRow | None) -> Response:
    texts = {**form.model_dump(exclude={"marks"}), "leave_out": "1" if form.leave_out else ""}
    act = partial(sources.save, ctx, signed.actor, row["id"] if row else None, texts, form.marks)
    tried = attempt(act, "source", form, form.marks)
    return _page(request, ctx, signed, row, tried) if tried.problems else RedirectResponse(HERE, 303)


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
