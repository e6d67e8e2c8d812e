"""The page of what runs, what ended and what failed."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.features.jobs import service
from graupel.features.jobs.schemas import Back
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])


@router.get("/jobs")
def board(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All jobs; for htmx the lists alone."""
    return page(request, "jobs/board.html", part="jobs/lists.html", board=service.board(ctx, signed.actor))


@router.post("/jobs/{job_id}/cancel")
def cancel(ctx: Ctx, signed: Signed, form: FormOf[Back], job_id: int) -> Response:
    """Cancels a job."""
    service.cancel(ctx, signed.actor, job_id)
    return RedirectResponse(form.place, 303)


@router.post("/jobs/{job_id}/again")
def try_again(ctx: Ctx, signed: Signed, form: FormOf[Back], job_id: int) -> Response:
    """Lets a failed job begin again."""
    service.try_again(ctx, signed.actor, job_id)
    return RedirectResponse(form.place, 303)
