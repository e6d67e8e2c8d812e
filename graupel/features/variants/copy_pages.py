"""Copying a product: what the copy would be, and the making of it."""

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from graupel.core.errors import Refused
from graupel.core.problems import by_field
from graupel.features.variants import copying
from graupel.features.variants.copying import Wanted
from graupel.features.variants.schemas import Copy
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf

router = APIRouter(prefix="/products/{product_id:int}/copy", dependencies=[Depends(from_our_own_page)])


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
def look(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Copy], product_id: int) -> Response:
    """The SKUs for what is typed at this moment; writes nothing."""
    return _shown(request, ctx, signed, product_id, form.wanted, "variants/copied.html")


@router.post("")
def make(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Copy], product_id: int) -> Response:
    """Makes the copy, and opens it."""
    try:
        made = copying.copy(ctx, signed.actor, product_id, form.wanted)
    except Refused:
        return _shown(request, ctx, signed, product_id, form.wanted, "variants/copy.html", 422)
    return Response(status_code=204, headers={"HX-Redirect": f"/products/{made}?copied=1"})
