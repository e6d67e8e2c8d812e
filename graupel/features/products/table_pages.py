"""The products table, its columns, and the views of it that are kept."""

from dataclasses import replace
from typing import Any
from urllib.parse import parse_qs

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from graupel.context import Context
from graupel.core.declarations.products import PRODUCT
from graupel.core.errors import Refused
from graupel.core.products import Status
from graupel.core.roles import Identity, Role
from graupel.core.tables import COLUMNS, DEFAULT_COLUMNS, TableState, read_columns
from graupel.features.destinations.service import Seen
from graupel.features.products import table, table_cells, views
from graupel.features.products.page_schemas import Columns, FacetAsked, View
from graupel.web.frame import is_htmx, page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])


def _query(request: Request) -> dict[str, list[str]]:
    return {name: request.query_params.getlist(name) for name in request.query_params}


@router.get("/products")
def show_table(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """The table; for htmx its results alone. An address that says anything leads to one with the person's columns."""
    state = TableState.read(_query(request))
    own = views.columns_of(ctx, signed.actor)
    carried = views.with_columns(state, own)
    says = bool(state.query()) or own != DEFAULT_COLUMNS
    if says and not state.columns and not is_htmx(request):
        return RedirectResponse(f"/products?{carried.query()}", 302)
    return page(
        request,
        "products/table.html",
        part="products/results.html",
        **_table_data(ctx, signed, carried, request.state.seen),
    )


def _table_data(ctx: Context, signed: Identity, state: TableState, seen: Seen, **data: Any) -> dict[str, Any]:
    found = table.read(ctx, signed.actor, state, seen)
    columns = state.columns
    return {
        "table": found,
        "rows": [table_cells.row(one, columns, seen, ctx.settings.language) for one in found.rows],
        "headings": table_cells.headings(columns, state, seen.lens.currency or ctx.settings.currency),
        "name_arrow": table_cells.arrow(state, "name"),
        "columns": columns,
        "all_columns": COLUMNS,
        "many_fields": {name: PRODUCT.field(name).label for name in PRODUCT.for_many},
        "views": views.views(ctx, signed.actor),
        "may_edit": signed.actor.may(Role.EDITOR),
        "statuses": list(Status),
        "trouble": "",
        **data,
    }


@router.get("/products/facet/{key}")
def show_facet(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[FacetAsked], key: str) -> Response:
    """One facet with all its values, searched and in the order that is asked for."""
    state = replace(TableState.read(_query(request)), cursor=None, page=1)
    facet = table.facet(ctx, signed.actor, state, request.state.seen, key, asked.fq, asked.order)
    return page(request, "products/facet.html", facet=facet, state=state, fq=asked.fq, order=asked.order)


@router.post("/products/columns")
def choose_columns(ctx: Ctx, signed: Signed, form: FormOf[Columns]) -> Response:
    """Keeps the columns that a person chose, and shows the table with them."""
    views.choose_columns(ctx, signed.actor, list(form.column))
    return _back_to(form.query, read_columns(form.column))


def _back_to(query: str, columns: tuple[str, ...] | None = None) -> Response:
    state = TableState.read(parse_qs(query))
    plain = (replace(state, columns=columns) if columns else state).query()
    return Response(status_code=204, headers={"HX-Redirect": f"/products?{plain}" if plain else "/products"})


@router.post("/products/views")
def save_view(request: Request, ctx: Ctx, signed: Signed, form: FormOf[View]) -> Response:
    """Keeps what is chosen under a name."""
    try:
        views.save_view(ctx, signed.actor, form.name, form.query)
    except Refused as refusal:
        state = views.with_columns(TableState.read(parse_qs(form.query)), views.columns_of(ctx, signed.actor))
        data = _table_data(ctx, signed, state, request.state.seen, trouble=refusal.problems[0].message)
        return page(request, "products/table.html", part="products/results.html", status=422, **data)
    return _back_to(form.query)


@router.get("/products/views/{view_id}")
def open_view(ctx: Ctx, signed: Signed, view_id: int) -> Response:
    """Leads to the table as it was kept."""
    return RedirectResponse(f"/products?{views.open_view(ctx, signed.actor, view_id)}", 303)


@router.post("/products/views/{view_id}/delete")
def delete_view(ctx: Ctx, signed: Signed, form: FormOf[View], view_id: int) -> Response:
    """Drops a view."""
    views.delete_view(ctx, signed.actor, view_id)
    return _back_to(form.query)
