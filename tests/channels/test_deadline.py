"""A service outside that drips, or sends without end, holds nobody up."""

import json
import socket
import threading
import time

import pytest

from graupel.channels import ChannelMisbehaved, ChannelUnreachable, exchange
from graupel.channels.errors import ChannelRefuses
from graupel.channels.ostlerby.client import OstlerbyClient


@pytest.fixture
def serve():
    """Answers each request by what the given function sends; returns the address."""
    listening, stop = socket.create_server(("127.0.0.1", 0)), threading.Event()

    def start(send):
        def run():
            connection, _ = listening.accept()
            with connection:
                try:
                    connection.recv(65536)
                    send(connection, stop)
                except OSError:
                    stop.set()  # the other side has hung up, as it should

        threading.Thread(target=run, daemon=True).start()
        return f"http://127.0.0.1:{listening.getsockname()[1]}"

    yield start
    stop.set()
    listening.close()


@pytest.mark.parametrize(
    "begins", [b"HTTP/1.1 200 OK\r\nX-Drip: ", b"HTTP/1.1 200 OK\r\nContent-Length: 100000\r\n\r\n"]
)
def test_an_answer_that_drips_is_given_up_as_a_whole(serve, begins):
    def drip(connection, stop):
        connection.sendall(begins)
        while not stop.wait(0.05):
            connection.sendall(b" ")

    began = time.monotonic()
    with pytest.raises(ChannelUnreachable, match="did not answer in time"):
        OstlerbyClient(serve(drip), "key", seconds=0.5).terms()
    assert time.monotonic() - began < 5


def test_an_answer_without_end_is_not_kept(serve, monkeypatch):
    monkeypatch.setattr(exchange, "MOST_BYTES", 1_000_000)

    def flood(connection, stop):
        connection.sendall(b"HTTP/1.1 200 OK\r\nContent-Length: 900000000\r\n\r\n")
        while not stop.is_set():
            connection.sendall(b" " * 65536)

    with pytest.raises(ChannelMisbehaved, match="far too large"):
        OstlerbyClient(serve(flood), "key").terms()


def once(serve, status, body, headers=""):
    """A client of a service that gives this answer to the next request."""
    head = f"HTTP/1.1 {status} X\r\nContent-Type: application/json\r\nContent-Length: {len(body)}\r\n{headers}\r\n"
    return OstlerbyClient(serve(lambda connection, stop: connection.sendall(head.encode("latin-1") + body)), "key")


@pytest.mark.parametrize(
    ("asked", "seconds"),
    [
        *[("120", 120), ("²", 0), ("9" * 300, 0), ("999999", 3600), ("-5", 0), ("soon", 0), ("", 0)],
        *[("Wed, 21 Oct 2015 07:28:00 GMT", 0), ("Wed, 21 Oct 2099 07:28:00 GMT", 3600), ("Wed, 99 Foo 2099", 0)],
    ],
)
def test_how_long_a_service_asks_to_wait_is_read_with_care(serve, asked, seconds):
    with pytest.raises(ChannelUnreachable) as trouble:
        once(serve, 503, b"{}", f"Retry-After: {asked}\r\n").terms()
    assert trouble.value.retry_after == seconds


LONG = "x" * 5_000
LISTING = {"reference": "g-1", "state": "taken", "page": "P1", "reasons": [], "on_sale": True}


@pytest.mark.parametrize(
    "odd",
    [
        {"page": LONG},
        {"page": "\ud83e\uddf6"},
        {"state": LONG},
        {"state": "dreaming"},
        {"reference": "g-2"},
        {"reasons": [{"code": LONG, "message": "m"}]},
        {"reasons": [{"code": "c", "message": LONG}]},
        {"reasons": [{"code": "c", "message": "m"}] * 1_000},
        {"reasons": "none"},
        {"on_sale": [1]},
    ],
)
def test_an_answer_that_does_not_fit_is_told_as_theirs(serve, odd):
    with pytest.raises(ChannelMisbehaved, match="Ostlerby gave an answer that makes no sense"):
        once(serve, 200, json.dumps(LISTING | odd).encode()).put("g-1", {})


@pytest.mark.parametrize("body", [b"", b"null", b"[", b"[" * 100_000, b"\xff\xfe", b'"\\ud800"', b"[{}]", b"9" * 5_000])
@pytest.mark.parametrize("ask", [OstlerbyClient.terms, OstlerbyClient.places, lambda one: one.answers(["g-1"])])
def test_nonsense_is_told_as_theirs(serve, body, ask):
    with pytest.raises(ChannelMisbehaved):
        ask(once(serve, 200, body))


def test_categories_that_go_round_or_come_twice_are_read_once(serve):
    def place(code, above):
        return {"code": code, "name": "n" * 20, "above": above, "end": True}

    found = once(serve, 200, json.dumps([place("a", "b"), place("b", "a"), place("a", "b")]).encode())
    assert sorted(one.code for one in found.places()) == ["a", "b"]
    with pytest.raises(ChannelMisbehaved):
        once(serve, 200, json.dumps([place("a", "b"), place("b", "a")]).replace("n" * 20, "n" * 90).encode()).places()


def test_a_refusal_with_odd_reasons_is_no_refusal(serve):
    with pytest.raises(ChannelRefuses, match="no"):
        once(serve, 422, b'{"reasons": [{"code": "c", "message": "no"}]}').put("g-1", {})
    with pytest.raises(ChannelMisbehaved):
        once(serve, 422, json.dumps({"reasons": [{"code": "c" * 500, "message": "no"}]}).encode()).put("g-1", {})
