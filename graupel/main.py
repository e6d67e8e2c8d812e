"""Puts the application together."""

from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.openapi.utils import get_openapi
from fastapi.responses import JSONResponse, RedirectResponse
from starlette.routing import Mount
from starlette.staticfiles import StaticFiles
from starlette.types import ASGIApp

import graupel
import graupel.channels.ostlerby
from graupel import logs
from graupel.context import Context
from graupel.db import Database, DatabaseUnavailable, pending
from graupel.features.assortments import kinds as assortment_kinds
from graupel.features.assortments import pages as assortment_pages
from graupel.features.bulk import jobs as bulk_jobs
from graupel.features.bulk import pages as bulk_pages
from graupel.features.categories import kinds as category_kinds
from graupel.features.categories import pages as category_pages
from graupel.features.destinations import kinds as destination_kinds
from graupel.features.destinations import pages as destination_pages
from graupel.features.destinations import service as destinations
from graupel.features.files import jobs as file_jobs
from graupel.features.files import pages as file_pages
from graupel.features.history import jobs as history_jobs
from graupel.features.history import pages as history_pages
from graupel.features.jobs import pages as job_pages
from graupel.features.listings import jobs as listing_jobs
from graupel.features.listings import pages as listing_pages
from graupel.features.media import jobs as media_jobs
from graupel.features.media import kinds as media_kinds
from graupel.features.media import pages as media_pages
from graupel.features.products import api as product_api
from graupel.features.products import kinds as product_kinds
from graupel.features.products import pages as product_pages
from graupel.features.shop import pages as shop_pages
from graupel.features.translating import pages as translating_pages
from graupel.features.users import pages as user_pages
from graupel.features.users import service as users
from graupel.features.variants import api as variant_api
from graupel.features.variants import pages as variant_pages
from graupel.features.vocabulary import kinds as vocabulary_kinds
from graupel.features.vocabulary import pages as vocabulary_pages
from graupel.features.wording import kinds as wording_kinds
from graupel.settings import Settings
from graupel.web import errors, frame, problem
from graupel.web.security import Guard

#: Imported for what they register.
JOB_MODULES = (history_jobs, file_jobs, listing_jobs, bulk_jobs, media_jobs)
STATIC = Path(__file__).parent / "web" / "static"


def register_kinds(language: str) -> None:
    """Tell the journal of all kinds of record, parents before children."""
    destination_kinds.register_kinds()
    wording_kinds.register_kinds()
    media_kinds.register_kinds()
    vocabulary_kinds.register_kinds()
    category_kinds.register_kinds()
    product_kinds.register_kinds(language)
    assortment_kinds.register_kinds(language)
    vocabulary_kinds.finish_kinds()
    media_kinds.finish_kinds()
    category_kinds.finish_kinds()


def make_context(settings: Settings) -> Context:
    """The context of this installation."""
    register_kinds(settings.language)
    return Context(Database(settings.database_url), settings)


def app_from_environment() -> ASGIApp:
    """The web application of the settings in the environment, for a server that starts several processes."""
    settings = Settings()
    logs.configure(settings.log_level)
    return make_app(make_context(settings))


def make_app(ctx: Context) -> ASGIApp:
    """The web application: pages, the interface for programs, health."""
    app = FastAPI(title="Graupel", docs_url=None, redoc_url=None, openapi_url=None)
    app.state.ctx = ctx
    app.state.identify = users.identify
    app.state.see = destinations.see
    app.state.templates = frame.make_templates(ctx.settings)
    errors.install(app)
    for router in (
        user_pages.router,
        user_pages.guarded,
        destination_pages.router,
        job_pages.router,
        history_pages.router,
        vocabulary_pages.router,
        category_pages.router,
        media_pages.router,
        product_pages.router,
        assortment_pages.router,
        variant_pages.router,
        variant_pages.table_router,
        listing_pages.router,
        file_pages.router,
        translating_pages.router,
        bulk_pages.router,
        shop_pages.router,
    ):
        app.include_router(router)
    _add_plumbing(app, ctx)
    app.router.routes.append(Mount("/api/v1", make_api(ctx)))
    app.mount("/static", _LongKept(directory=STATIC))
    return Guard(app, most_bytes=ctx.settings.upload_megabytes * 1_000_000)


def make_api(ctx: Context) -> FastAPI:
    """The interface for programs."""
    api = FastAPI(title="Graupel", version="1", docs_url=None, redoc_url=None)
    api.state.ctx = ctx
    problem.install(api)
    api.include_router(product_api.router)
    api.include_router(variant_api.router)

    def describe() -> dict[str, object]:
        if api.openapi_schema is None:
            schema = get_openapi(
                title=api.title,
                version=api.version,
                routes=api.routes,
                description=(
                    "The catalogue for programs. Every request carries a token made under Account: "
                    "Authorization: Bearer grp_… Errors are problem+json (RFC 9457)."
                ),
            )
            schema["servers"] = [{"url": "/api/v1"}]
            schema.setdefault("components", {})["securitySchemes"] = {"token": {"type": "http", "scheme": "bearer"}}
            schema["security"] = [{"token": []}]
            api.openapi_schema = schema
        return api.openapi_schema

    api.openapi = describe  # type: ignore[method-assign]
    return api


class _LongKept(StaticFiles):
    """Shipped files: their addresses carry a stamp, so browsers may keep them."""

    def file_response(self, *args, **kwargs):  # type: ignore[no-untyped-def]
        response = super().file_response(*args, **kwargs)
        response.headers.setdefault("Cache-Control", "public, max-age=31536000")
        return response


def _add_plumbing(app: FastAPI, ctx: Context) -> None:
    @app.get("/")
    def home() -> Response:
        return RedirectResponse("/products", 303)

    @app.get("/healthz")
    def healthz() -> JSONResponse:
        """Whether the process is alive."""
        return JSONResponse({"alive": True, "version": graupel.__version__})

    @app.get("/readyz")
    def readyz(request: Request) -> JSONResponse:
        """Whether it can serve: the database answers and is up to date."""
        try:
            ctx.db.run(lambda tx: tx.value("SELECT 1"), attempts=1)
            missing = pending(ctx.settings.database_url)
        except DatabaseUnavailable as trouble:
            return JSONResponse({"ready": False, "because": str(trouble)}, 503)
        return JSONResponse({"ready": not missing, "pending_migrations": missing}, 503 if missing else 200)
