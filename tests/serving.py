"""The application over HTTP, without a network."""

import re
from collections.abc import Callable
from typing import Any

import pytest
from starlette.testclient import TestClient

from graupel import main
from graupel.context import Context
from graupel.core.roles import Role
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from graupel.web.security import SESSION_COOKIE
from tests.conftest import PASSWORD, is_renewed, person


class Browser(TestClient):
    """Signed in as one person; sends the page's token with every write."""

    csrf = ""

    def write(self, path: str, data=None, **given):
        """A form sent from our own page by htmx."""
        headers = {"X-CSRF-Token": self.csrf, "HX-Request": "true", **given.pop("headers", {})}
        return self.post(path, data=data, headers=headers, follow_redirects=False, **given)


_MADE: list = []


def app_of(ctx: Context):
    """The application that serves a context: one for all tests of a process, as their context is renewed for each."""
    if not is_renewed(ctx):
        return main.make_app(ctx)
    if not _MADE:
        _MADE.append(main.make_app(ctx))
    return _MADE[0]


@pytest.fixture
def app(ctx: Context):
    return app_of(ctx)


@pytest.fixture
def stranger(app) -> Browser:
    """Nobody is signed in."""
    return Browser(app, base_url="http://127.0.0.1")


@pytest.fixture
def as_role(app, ctx: Context) -> Callable[[Role], Browser]:
    """A browser of a person with a role."""

    def sign_in(role: Role) -> Browser:
        actor = person(ctx, role)
        secret = users.sign_in(ctx, f"{role}@skeinwright.example", PASSWORD, Visitor("127.0.0.1", "test"))
        browser = Browser(app, base_url="http://127.0.0.1", cookies={SESSION_COOKIE: secret})
        browser.csrf = users.identify(ctx, secret).csrf
        browser.actor = actor
        return browser

    return sign_in


@pytest.fixture
def browser(as_role) -> Browser:
    """An editor's."""
    return as_role(Role.EDITOR)


def paths_of(app, methods: set[str]) -> list[tuple[str, str]]:
    """(method, path) of every page route that takes one of the methods, with numbers filled in."""
    return sorted((method, re.sub(r"{[\w:]+}", "1", route.path)) for method, route in page_routes(app, methods))


def page_routes(app, methods: frozenset[str] | set[str] = frozenset({"GET", "POST"})) -> list[tuple[str, Any]]:
    """(method, route) of every page route that takes one of the methods; what takes away comes last."""
    found = [
        (method, route)
        for route in _routes(app.app.router)
        for method in (getattr(route, "methods", None) or set()) & methods
    ]
    last = re.compile("(delete|revoke|join|take|rollback)|(sign-out|end$)")

    def order(one: tuple[str, Any]) -> tuple[int, str, str]:
        ends = last.search(one[1].path)
        return (ends.lastindex or 0) if ends else 0, one[1].path, one[0]

    return sorted(found, key=order)


def _routes(router):
    for route in router.routes:
        inner = getattr(route, "original_router", None)
        if inner is not None:
            yield from _routes(inner)
        elif not route.path.startswith(("/static", "/api")):
            yield route
