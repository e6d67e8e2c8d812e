"""History: the change sets, each with its records, and the roll back."""

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request
from fastapi.responses import RedirectResponse, Response

from graupel.core.errors import Refused
from graupel.core.roles import Role
from graupel.features.history import service
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page

router = APIRouter(dependencies=[Depends(from_our_own_page)])

KINDS = {
    "": "Everything",
    "product.save": "Products changed",
    "product.make": "Products made",
    "variants.set": "Variants changed",
    "bulk.apply": "Changed in bulk",
    "files.apply": "Files brought in",
    "listing.state": "Sent to channels",
    "rollback": "Rolled back",
}


@router.get("/history")
def index(
    request: Request, ctx: Ctx, signed: Signed, before: Annotated[int | None, Query(ge=1)] = None, kind: str = ""
) -> Response:
    """The newest change sets."""
    found = service.list_change_sets(ctx, signed.actor, before, kind if kind in KINDS and kind else None)
    return page(request, "history/index.html", found=found, kinds=KINDS, kind=kind)


@router.get("/history/{change_set_id}")
def show(
    request: Request, ctx: Ctx, signed: Signed, change_set_id: int, part: Annotated[int, Query(alias="page", ge=1)] = 1
) -> Response:
    """One change set, with what a roll back would do."""
    detail = service.read(ctx, signed.actor, change_set_id, part)
    plan, reason = None, ""
    if signed.actor.may(Role.EDITOR):
        try:
            plan = service.plan_rollback(ctx, signed.actor, change_set_id)
        except Refused as refusal:
            reason = str(refusal)
    return page(request, "history/change_set.html", detail=detail, plan=plan, reason=reason)


@router.post("/history/{change_set_id}/rollback")
def rollback(ctx: Ctx, signed: Signed, change_set_id: int) -> Response:
    """Begins a roll back."""
    job_id = service.request_rollback(ctx, signed.actor, change_set_id)
    return RedirectResponse(f"/history/{change_set_id}/rollback/{job_id}", 303)


@router.get("/history/{change_set_id}/rollback/{job_id}")
def rolling_back(request: Request, ctx: Ctx, signed: Signed, change_set_id: int, job_id: int) -> Response:
    """How far a roll back is; when it has ended, leads to what it did."""
    job = service.rollback_job(ctx, signed.actor, job_id)
    if job["state"] == "done" and "HX-Request" in request.headers:
        return Response(status_code=204, headers={"HX-Redirect": job["link"]})
    if job["state"] == "done":
        return RedirectResponse(job["link"], 303)
    return page(request, "history/rolling.html", part="history/rolling_part.html", job=job, change_set_id=change_set_id)
