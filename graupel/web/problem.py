"""Errors of the interface for programs: problem+json (RFC 9457)."""

from typing import Any

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, Field
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from graupel.core import errors
from graupel.core.problems import Problem
from graupel.web.errors import retry_after, status_of

MEDIA_TYPE = "application/problem+json"
log = structlog.get_logger("api")


class ProblemEntry(BaseModel):
    """One thing that is wrong. ``field``: the member of the body, or the parameter, that it is about."""

    code: str
    message: str
    field: str | None = None


class ProblemDetails(BaseModel):
    """An error as RFC 9457 has it, with all that is wrong listed under ``errors``."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    errors: list[ProblemEntry] = Field(default_factory=list)


MEANINGS = {
    401: "No token came with the request, or it is not valid.",
    403: "The token's role does not permit this.",
    404: "There is no such record.",
    409: "The act with this Idempotency-Key is under way, or was done with another body.",
    412: "The record was changed since it was read: If-Match does not fit any more.",
    413: "More was sent than is taken at once.",
    422: "Something in the request can't be taken; `errors` names each field.",
    428: "The request needs an If-Match header.",
}


def responses(*codes: int) -> dict[int | str, dict[str, Any]]:
    """For the OpenAPI document: what a route may answer beside success."""
    schema = ProblemDetails.model_json_schema(ref_template="#/components/schemas/{model}")
    schema["properties"]["errors"]["items"] = ProblemEntry.model_json_schema()
    schema.pop("$defs", None)
    return {
        code: {"description": MEANINGS[code], "content": {MEDIA_TYPE: {"schema": schema}}} for code in (401, *codes)
    }


def answer(
    status: int, title: str, detail: str, problems: list[Problem] | None = None, headers: dict[str, str] | None = None
) -> JSONResponse:
    """An error as the interface answers it."""
    body = ProblemDetails(
        title=title,
        status=status,
        detail=detail,
        errors=[ProblemEntry(code=p.code, message=p.message, field=p.field) for p in problems or []],
    )
    return JSONResponse(body.model_dump(exclude_none=True), status, media_type=MEDIA_TYPE, headers=headers)


class PreconditionRequired(errors.GraupelError):
    """A write came without If-Match."""


def explain(request: Request, error: Exception) -> JSONResponse:
    status, title = status_of(error)
    if isinstance(error, errors.Outdated):
        status = 412
    if isinstance(error, PreconditionRequired):
        status, title = 428, "Precondition required"
    problems = error.problems if isinstance(error, errors.Refused) else None
    headers = {"WWW-Authenticate": "Bearer"} if status == 401 else None
    if status == 503:
        headers = {"Retry-After": retry_after(error)}
    return answer(status, title, str(error), problems, headers)


def _validation(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, RequestValidationError)
    problems = [
        Problem("value.wrong", str(one["msg"]), ".".join(map(str, one["loc"][1:])) or str(one["loc"][0]))
        for one in error.errors()
    ]
    return answer(422, "Not taken", "The request can't be read; see errors.", problems)


def _http(request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, HTTPException)
    return answer(
        error.status_code,
        "Not found" if error.status_code == 404 else "Not taken",
        str(error.detail),
        headers=dict(error.headers or {}),
    )


def _hung_up(request: Request, error: Exception) -> JSONResponse:
    return answer(400, "Broken off", "The request was not sent to its end.")


def _fault(request: Request, error: Exception) -> JSONResponse:
    log.exception("fault", exc_info=error)
    return answer(500, "A fault in Graupel", "Nothing was changed. The log of the server tells more.")


def install(app: FastAPI) -> None:
    """Turn exceptions into problem+json."""
    handlers: list[tuple[Any, Any]] = [
        (errors.GraupelError, explain),
        (RequestValidationError, _validation),
        (HTTPException, _http),
        (ClientDisconnect, _hung_up),
        (Exception, _fault),
    ]
    for kind, function in handlers:
        app.add_exception_handler(kind, function)
