"""Puts the application together."""

from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.openapi.utils import get_openapi
from fastapi.responses import JSONResponse, RedirectResponse
from starlette.routing import Mount
from starlette.staticfiles import StaticFiles
from starlette.types import ASGIApp

import graupel
from graupel import areas, logs
from graupel.context import Context
from graupel.db import Database, DatabaseUnavailable, pending
from graupel.features.destinations import service as destinations
from graupel.features.users import service as users
from graupel.settings import Settings
from graupel.web import errors, frame, problem
from graupel.web.security import Guard

STATIC = Path(__file__).parent / "web" / "static"


def make_context(settings: Settings) -> Context:
    """The context of this installation."""
    areas.register(settings.language)
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
    for area in areas.AREAS:
        for router in area.pages:
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
    for area in areas.AREAS:
        for router in area.api:
            api.include_router(router)

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
