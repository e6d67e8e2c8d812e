"""Where large files come in, in pieces; whoever wants one takes it under its key when it came whole."""

from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import JSONResponse, Response
from pydantic import StringConstraints

from graupel import pieces
from graupel.context import Context
from graupel.core import downloads
from graupel.core.roles import Actor, Role
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import QueryOf, Sent, Whole

router = APIRouter(prefix="/pieces", dependencies=[Depends(from_our_own_page)])
Key = Annotated[str, StringConstraints(min_length=1, max_length=300)]


class Piece(Sent):
    """A piece of a file: under which key, and from which byte on."""

    upload: Key
    offset: Whole = 0


def _path(ctx: Context, actor: Actor, upload: str) -> Path:
    """Where the pieces of a file come together for somebody."""
    return pieces.path_of(ctx.settings.data_folder, str(actor.user_id), upload)


@router.get("")
def there(ctx: Ctx, signed: Signed, asked: QueryOf[Piece]) -> Response:
    """How much of a file is there already: after a break one goes on from there."""
    signed.actor.require(Role.EDITOR)
    return JSONResponse({"there": pieces.arrived(_path(ctx, signed.actor, asked.upload))})


@router.post("")
async def take(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Piece]) -> Response:
    """Takes a piece of a file; answers how much of it is there."""
    signed.actor.require(Role.EDITOR)
    path = _path(ctx, signed.actor, asked.upload)
    there = await pieces.take(path, asked.offset, downloads.MOST_BYTES, request.stream())
    return JSONResponse({"there": there})
