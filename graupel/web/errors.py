"""What a person sees when something was refused or went wrong."""

from collections.abc import Callable
from typing import Any
from urllib.parse import quote

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import RedirectResponse, Response
from starlette.exceptions import HTTPException
from starlette.requests import ClientDisconnect

from graupel.core import errors
from graupel.db import ActTakenOver, DatabaseUnavailable
from graupel.storage import is_no_room
from graupel.web.frame import is_htmx, page
from graupel.web.security import PageTooOld, TooLarge, TooSlow

log = structlog.get_logger("web")

#: Exception -> HTTP status and heading. The first that fits counts.
STATUSES: list[tuple[type[Exception], int, str]] = [
    (errors.NotFound, 404, "Not found"),
    (errors.NotAllowed, 403, "Not allowed"),
    (errors.NotSignedIn, 401, "Not signed in"),
    (errors.TooManyTries, 429, "Too many tries"),
    (errors.Outdated, 409, "Changed meanwhile"),
    (errors.DoneAlready, 409, "Done already"),
    (ActTakenOver, 409, "Begun once more"),
    (TooLarge, 413, "Too large"),
    (TooSlow, 408, "Too slow"),
    (errors.Refused, 422, "Not taken"),
    (DatabaseUnavailable, 503, "Not to be had now"),
    (errors.TryLater, 503, "Not to be had now"),
    (errors.NoRoom, 507, "No room"),
    (errors.GraupelError, 500, "Did not work"),
]


def status_of(error: Exception) -> tuple[int, str]:
    """HTTP status and heading of an exception."""
    return next(((status, title) for kind, status, title in STATUSES if isinstance(error, kind)), (500, "Did not work"))


def retry_after(error: Exception) -> str:
    """After how many seconds it is worth trying again."""
    return str(getattr(error, "retry_after", 0) or 3)


#: What explains to those who are at other addresses than the back office's: by the beginning of a path.
_ELSEWHERE: dict[str, Callable[[Request, int], Response]] = {}


def explained_by(prefix: str, explain_to: Callable[[Request, int], Response]) -> None:
    """Register what makes the error pages below a path, from the request and the status."""
    _ELSEWHERE[prefix] = explain_to


def _elsewhere(request: Request, status: int) -> Response | None:
    path = request.url.path
    found = next((one for prefix, one in _ELSEWHERE.items() if path == prefix or path.startswith(f"{prefix}/")), None)
    return found(request, status) if found else None


def _error_page(request: Request, status: int, title: str, message: str, **told: Any) -> Response:
    """``told``: ``marks`` of what the page knows now, ``problems`` with the fields that they are of."""
    if not hasattr(request.state, "signed"):
        request.state.signed = None
    if shown := _elsewhere(request, status):
        return shown
    return page(request, "error.html", part="message.html", status=status, title=title, message=message, **told)


def explain(request: Request, error: Exception) -> Response:
    status, title = status_of(error)
    if isinstance(error, errors.NotSignedIn):
        wanted = request.url.path + (f"?{request.url.query}" if request.url.query else "")
        door = f"/sign-in?next={quote(wanted, safe='')}" if request.method == "GET" else "/sign-in"
        if is_htmx(request):
            # What was typed stays on the page: it says so instead of going away.
            return _error_page(
                request,
                401,
                "Signed out",
                "Your session has ended. Sign in again in another tab, "
                "then repeat this here; what you typed is still on this page.",
            )
        return RedirectResponse(door, 303)
    marks = error.marks if isinstance(error, errors.Outdated) else {}
    problems = error.problems if isinstance(error, errors.Refused) else []
    answer = _error_page(request, status, title, str(error), marks=marks, problems=problems)
    if isinstance(error, PageTooOld):
        answer.headers["X-Session"] = "over"  # the page asks who is signed in, and goes on (session.js)
    if status == 503:
        answer.headers["Retry-After"] = retry_after(error)
    return answer


def _http(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    message = {404: "There is no page at this address.", 405: "This address does not take that."}.get(
        error.status_code, str(error.detail)
    )
    return _error_page(request, error.status_code, "Not found" if error.status_code == 404 else "Not taken", message)


def _validation(request: Request, error: Exception) -> Response:
    return _error_page(
        request, 422, "Not taken", "This address holds something that can't be read. Go back and follow the link again."
    )


def _hung_up(request: Request, error: Exception) -> Response:
    """Nobody is there to read this; it is no fault of ours."""
    return Response(status_code=400)


def _fault(request: Request, error: Exception) -> Response:
    if is_no_room(error):  # what comes in is put aside by the framework first
        return explain(request, errors.NoRoom("The disk of the server is full. Nothing was kept; try again later."))
    log.exception("fault", exc_info=error)
    return _error_page(request, 500, "A fault in Graupel", "Nothing was changed. The log of the server tells more.")


def install(app: FastAPI) -> None:
    """Turn exceptions into pages."""
    handlers: list[tuple[Any, Any]] = [
        (errors.GraupelError, explain),
        (HTTPException, _http),
        (RequestValidationError, _validation),
        (ClientDisconnect, _hung_up),
        (Exception, _fault),
    ]
    for kind, function in handlers:
        app.add_exception_handler(kind, function)
