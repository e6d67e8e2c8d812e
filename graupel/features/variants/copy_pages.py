"""Copying a product: what the copy would be, and the making of it."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response
from starlette.datastructures import FormData

from graupel.core.errors import Refused
from graupel.core.problems import by_field
from graupel.features.variants import copying
from graupel.features.variants.copying import Wanted
from graupel.web.frame import page
from graupel.web.security import Ctx, Form, Signed, from_our_own_page

router = APIRouter(prefix="/products/{product_id:int}/copy", dependencies=[Depends(from_our_own_page)])


def _wanted(form: FormData) -> Wanted:
    return Wanted(*(str(form.get(name, "")) for name in ("name", "code", "pattern", "sku")))


def _shown(
    request: Request, ctx: Ctx, signed: Signed, product_id: int, wanted: Wanted, template: str, status: int = 200
) -> Response:
    plan = copying.plan(ctx, signed.actor, product_id, wanted)
    return page(
        request,
        template,
        part="variants/copy_part.html" if template == "variants/copy.html" else None,
        status=status,
        plan=plan,
        problems=by_field(list(plan.problems)),
        typed_sku=wanted.sku,
        names="".join(f", {{{axis.attribute.name}}}" for axis in plan.original.axes),
    )


@router.get("")
def begin(request: Request, ctx: Ctx, signed: Signed, product_id: int) -> Response:
    """What a copy would be: its codes, and what is not copied."""
    return _shown(request, ctx, signed, product_id, Wanted(), "variants/copy.html")


@router.post("/look")
def look(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """The SKUs for what is typed at this moment; writes nothing."""
    return _shown(request, ctx, signed, product_id, _wanted(form), "variants/copied.html")


@router.post("")
def make(request: Request, ctx: Ctx, signed: Signed, form: Form, product_id: int) -> Response:
    """Makes the copy, and opens it."""
    wanted = _wanted(form)
    try:
        made = copying.copy(ctx, signed.actor, product_id, wanted)
    except Refused:
        return _shown(request, ctx, signed, product_id, wanted, "variants/copy.html", 422)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{made}?copied=1"})
