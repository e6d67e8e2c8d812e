"""Puts the application together."""

from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.openapi.utils import get_openapi
from fastapi.responses import JSONResponse, RedirectResponse
from starlette.routing import Mount
from starlette.staticfiles import StaticFiles
from starlette.types import ASGIApp, Scope

import graupel
from graupel import areas, logs, processes, storage
from graupel.context import Context
from graupel.db import Database, DatabaseUnavailable, pending
from graupel.features.destinations import service as destinations
from graupel.features.prepared import service as prepared
from graupel.features.users import service as users
from graupel.jobs import queue
from graupel.settings import Settings
from graupel.web import errors, frame, problem, uploads
from graupel.web.done import Done
from graupel.web.once import Once
from graupel.web.preparing import Prepares
from graupel.web.security import Guard

#: Where a job has been due for longer, no worker is at work, or too few.
OVERDUE_SECONDS = 60
#: Nobody waits longer for a page; what takes longer is work for a job.
STATEMENT_SECONDS = 45.0
STATIC = Path(__file__).parent / "web" / "static"


def make_context(settings: Settings, *, statement_seconds: float | None = None) -> Context:
    """The context of this installation. ``statement_seconds``: for how long one statement may take."""
    areas.register(settings.language, settings.currency)
    return Context(Database(settings.database_url, statement_seconds=statement_seconds), settings)


def app_from_environment() -> ASGIApp:
    """The web application of the settings in the environment, for a server that starts several processes."""
    settings = Settings()
    logs.configure(settings.log_level)
    app = make_app(make_context(settings, statement_seconds=STATEMENT_SECONDS))
    processes.settle()
    return app


def make_app(ctx: Context) -> ASGIApp:
    """The web application: pages, the interface for programs, health."""
    app = FastAPI(title="Graupel", docs_url=None, redoc_url=None, openapi_url=None, redirect_slashes=False)
    app.state.ctx = ctx
    app.state.identify = users.identify
    app.state.see = destinations.see
    app.state.templates = frame.make_templates(ctx.settings)
    errors.install(app)
    for area in areas.AREAS:
        for router in area.pages:
            app.include_router(router)
    app.include_router(uploads.router)
    _add_plumbing(app, ctx)
    app.router.routes.append(Mount("/api/v1", make_api(ctx)))
    app.mount("/static", _LongKept(directory=STATIC))
    app.add_middleware(Prepares, keep=lambda actor, found: prepared.keep(ctx, actor, found))
    app.add_middleware(Done)
    app.add_middleware(Once, ctx=ctx, explain=_explain)
    return Guard(app, ctx.settings)


def _explain(request: Request, error: Exception) -> Response:
    """An exception as the one who asked reads it: a page, or problem+json."""
    if request.url.path.startswith("/api/"):
        return problem.explain(request, error)
    return errors.explain(request, error)


def make_api(ctx: Context) -> FastAPI:
    """The interface for programs."""
    api = FastAPI(title="Graupel", version="1", docs_url=None, redoc_url=None, redirect_slashes=False)
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
                    "Authorization: Bearer grp_… Errors are problem+json (RFC 9457). With ?prepare=1 a write is not "
                    "done but kept as a prepared change, which somebody agrees to: the answer is 202, and its Location "
                    "says where."
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
    """Shipped files: their addresses begin with a stamp, so browsers may keep them, and what they import too."""

    def get_path(self, scope: Scope) -> str:
        path = super().get_path(scope)
        stamp, _, file = path.partition("/")
        return file if file and stamp == frame.STAMP else path

    def file_response(self, *args, **kwargs):  # type: ignore[no-untyped-def]
        response = super().file_response(*args, **kwargs)
        response.headers.setdefault("Cache-Control", "public, max-age=31536000")
        return response


def _add_plumbing(app: FastAPI, ctx: Context) -> None:
    @app.get("/")
    def home() -> Response:
        return RedirectResponse("/today", 303)

    @app.get("/healthz")
    async def healthz() -> JSONResponse:
        """Whether the process is alive: answered by its loop alone, whatever everything else waits for."""
        return JSONResponse({"alive": True, "version": graupel.__version__})

    @app.get("/readyz")
    def readyz(request: Request) -> JSONResponse:
        """Whether it can serve: the database answers and is up to date."""
        try:
            read_only = ctx.db.run(lambda tx: tx.value("SELECT @@global.read_only"), attempts=1)
            missing = pending(ctx.settings.database_url)
            overdue = 0 if missing else ctx.db.run(queue.overdue_seconds, attempts=1)
        except DatabaseUnavailable as trouble:
            return JSONResponse({"ready": False, "because": str(trouble)}, 503)
        lacking = storage.trouble(ctx.settings.data_folder)
        told = {
            "files": lacking or "writable",
            "pending_migrations": missing,
            "database": "read only" if read_only else "writable",
            "workers": f"a job has been due for {overdue} s" if overdue > OVERDUE_SECONDS else "at work",
        }
        ready = not missing and not read_only and not lacking
        return JSONResponse({"ready": ready, **told}, 200 if ready else 503)
