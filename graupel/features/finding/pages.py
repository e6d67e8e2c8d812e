"""The search over everything, as it is typed."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from graupel.core.roles import Role
from graupel.features.finding import service
from graupel.features.finding.schemas import Wanted
from graupel.web import navigation
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed
from graupel.web.sent import QueryOf

router = APIRouter()


@router.get("/find")
def find(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Wanted]) -> Response:
    """What a text finds, in groups."""
    seen = request.state.seen
    owner, translated = signed.actor.may(Role.OWNER), bool(seen and seen.all.languages)
    places = [one for part in navigation.ALL for one in navigation.shown(part, owner=owner, translated=translated)]
    groups = service.find(ctx, signed.actor, asked.q, places)
    return page(request, "finding/page.html", part="finding/found.html", groups=groups, q=asked.q)
