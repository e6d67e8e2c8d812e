"""What stands on the wire: odd requests, slow ones, and those who hang up. The server itself, on loopback."""

import re
import socket
import threading
import time

import pytest
import uvicorn

from graupel.core.roles import Role
from graupel.web import security
from graupel.web.security import HEADERS
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]


@pytest.fixture
def port(app):
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=0, log_config=None, proxy_headers=False))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    deadline = time.monotonic() + 20
    while not server.started:
        assert time.monotonic() < deadline
        thread.join(0.01)
    yield server.servers[0].sockets[0].getsockname()[1]
    server.should_exit = True
    thread.join(20)


def ask(port: int, request: bytes, *, end: bool = False) -> bytes:
    """What is answered to bytes; ``end``: nothing more is sent."""
    with socket.create_connection(("127.0.0.1", port), timeout=20) as wire:
        wire.sendall(request)
        if end:
            wire.shutdown(socket.SHUT_WR)
        wire.settimeout(20)
        found = b""
        while chunk := wire.recv(65536):
            found += chunk
        return found


def get(path: str, headers: str = "Host: 127.0.0.1\r\n", method: str = "GET") -> bytes:
    return f"{method} {path} HTTP/1.1\r\n{headers}Connection: close\r\n\r\n".encode("latin-1")


@pytest.mark.parametrize(
    "host", ["evil.example", "127.0.0.1.evil.example", "127.0.0.1@evil.example", "", "a b", "\xff"]
)
def test_under_another_name_nothing_is_answered(port, host):
    answer = ask(port, get("/products/", f"Host: {host}\r\n"))
    assert re.match(rb"HTTP/1.1 4\d\d", answer)
    assert b"evil" not in answer


def test_no_redirect_is_made_of_the_name_that_was_asked(port):
    answer = ask(port, get("/products/", "Host: localhost:1\r\n"))
    assert b"localhost" not in answer


@pytest.mark.parametrize("current", ["http://[", "\xff\xfe", "x" * 5_000, "http://[::1", "?lens=" + "c" * 4_000, "//"])
def test_an_odd_current_url_changes_nothing_of_an_answer(stranger, browser, current):
    answer = browser.get("/products", headers={"HX-Current-URL": current.encode("latin-1")})
    assert answer.status_code == 200
    for name, value in HEADERS.items():
        assert answer.headers[name] == value


def test_faults_carry_the_headers_too(app, as_role, monkeypatch):
    browser = as_role(Role.OWNER)

    def breaks(*_, **__):
        raise RuntimeError("a fault")

    monkeypatch.setattr("graupel.features.products.table.read", breaks)
    with pytest.raises(RuntimeError):  # the test client tells it; a browser gets the page
        browser.get("/products")
    quiet = type(browser)(
        browser.app, base_url="http://127.0.0.1", cookies=browser.cookies, raise_server_exceptions=False
    )
    answer = quiet.get("/products")
    assert answer.status_code == 500
    assert answer.headers["Content-Security-Policy"] == HEADERS["Content-Security-Policy"]


def test_head_is_answered_as_get_without_what_it_holds(port, browser):
    answer = ask(port, get("/sign-in", method="HEAD"))
    head, _, body = answer.partition(b"\r\n\r\n")
    assert head.startswith(b"HTTP/1.1 200")
    assert int(re.search(rb"content-length: (\d+)", head)[1]) > 500
    assert body == b""


def test_a_body_that_drips_is_given_up_with_a_sentence(port, monkeypatch):
    monkeypatch.setattr(security, "PAUSE_SECONDS", 0.3)
    head = "Host: 127.0.0.1\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 1000\r\n"
    answer = ask(port, get("/sign-in", head, "POST") + b"email=a")
    assert answer.startswith(b"HTTP/1.1 408")
    assert b"too slowly" in answer


def test_one_that_is_too_large_is_refused_before_it_is_there_and_the_next_is_answered(app, port, monkeypatch):
    monkeypatch.setattr(app, "most_bytes", 1_000)
    head = "Host: 127.0.0.1\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 5000000\r\n"
    assert ask(port, get("/sign-in", head, "POST") + b"a" * 5_000).startswith(b"HTTP/1.1 413")
    assert ask(port, get("/healthz")).startswith(b"HTTP/1.1 200")


def test_who_hangs_up_is_no_fault(port, monkeypatch):
    faults = []
    monkeypatch.setattr("graupel.web.errors.log.exception", lambda *a, **k: faults.append(a), raising=False)
    for kind in ("application/x-www-form-urlencoded", "multipart/form-data; boundary=x"):
        head = f"Host: 127.0.0.1\r\nContent-Type: {kind}\r\nContent-Length: 1000\r\n"
        ask(port, get("/sign-in", head, "POST") + b"email=a", end=True)
    assert ask(port, get("/healthz")).startswith(b"HTTP/1.1 200")
    assert faults == []


def test_forwarding_headers_are_believed_of_nobody(port, ctx, as_role):
    as_role(Role.EDITOR)
    head = "Host: 127.0.0.1\r\nX-Forwarded-For: 10.9.9.9\r\nContent-Type: application/x-www-form-urlencoded\r\n"
    door = ask(port, get("/sign-in"))
    cookie = re.search(rb"graupel_door=([^;]+)", door)[1].decode()
    body = f"door={cookie}&email=editor@skeinwright.example&password=wrong"
    request = get("/sign-in", f"{head}Cookie: graupel_door={cookie}\r\nContent-Length: {len(body)}\r\n", "POST")
    assert ask(port, request + body.encode()).startswith(b"HTTP/1.1 401")
    assert ctx.db.run(lambda tx: tx.value("SELECT origin FROM failed_try")) == "127.0.0.1"
