"""Making a category in place, from wherever one is chosen."""

from fastapi import APIRouter, Depends
from fastapi.responses import JSONResponse

from graupel.core.errors import Refused
from graupel.features.categories import service
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(dependencies=[Depends(from_our_own_page)])


@router.post("/categories")
def make(ctx: Ctx, signed: Signed, form: Form) -> JSONResponse:
    """Makes the category at a typed path; the chooser on the page takes it up."""
    try:
        made = service.make(ctx, signed.actor, str(form.get("path", "")))
    except Refused as refusal:
        return JSONResponse({"problem": refusal.problems[0].message}, 422)
    return JSONResponse({"value": str(made.id), "text": made.path})
