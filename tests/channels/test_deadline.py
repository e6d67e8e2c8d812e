"""A service outside that drips, or sends without end, holds nobody up."""

import socket
import threading
import time

import pytest

from graupel.channels import ChannelMisbehaved, ChannelUnreachable, exchange
from graupel.channels.ostlerby.client import OstlerbyClient


@pytest.fixture
def serve():
    """Answers each request by what the given function sends; returns the address."""
    listening, stop = socket.create_server(("127.0.0.1", 0)), threading.Event()

    def start(send):
        def run():
            connection, _ = listening.accept()
            with connection:
                connection.recv(65536)
                try:
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
