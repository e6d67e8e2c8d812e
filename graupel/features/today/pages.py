"""The first page."""

from zoneinfo import ZoneInfo

from babel.dates import format_date
from fastapi import APIRouter, Request
from fastapi.responses import Response

from graupel.core.roles import Role
from graupel.features.today import service
from graupel.web.frame import page
from graupel.web.looking import at_once
from graupel.web.security import Ctx, Signed

router = APIRouter()


@router.get("/today")
@at_once
def today(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """What waits for somebody, what runs, what changed lately; in an empty shop the first steps."""
    now = ctx.db.run(ctx.now).astimezone(ZoneInfo(ctx.settings.time_zone))
    return page(
        request,
        "today/page.html",
        part="today/part.html",
        today=service.read(ctx, signed.actor),
        day=format_date(now, "EEEE, d MMMM", locale="en"),
        may_edit=signed.actor.may(Role.EDITOR),
    )
