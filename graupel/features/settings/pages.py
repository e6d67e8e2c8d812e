"""The page of settings."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from graupel.features.settings import service
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed

router = APIRouter()


@router.get("/settings")
def show(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """What is in force in this installation."""
    return page(request, "settings/page.html", groups=service.read(ctx, signed.actor))
