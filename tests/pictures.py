"""A host of pictures and files for tests, on loopback: it gives, fails, leads on, drips, as its addresses say."""

import threading
import time
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from tests.making import jpeg

COLOURS = {"red": "#B0412E", "blue": "#3C6A8C", "green": "#1D5C57"}


class PictureHost:
    """``asked``: the paths that were asked for, in order; ``broken``: how often each path still fails; ``files``: what
    stands at a path beside the pictures."""

    def __init__(self) -> None:
        self.asked: list[str] = []
        self.broken: dict[str, int] = {}
        self.files: dict[str, bytes] = {}
        host = self

        class Handler(BaseHTTPRequestHandler):
            def log_message(self, *given: object) -> None:
                pass

            def do_GET(self) -> None:
                host.asked.append(self.path)
                host.answer(self)

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.address = f"http://127.0.0.1:{self._server.server_port}"
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def answer(self, request: BaseHTTPRequestHandler) -> None:
        name = request.path.partition("?")[0].strip("/").removesuffix(".jpg")
        if self.broken.get(request.path, 0):
            self.broken[request.path] -= 1
            self._give(request, 503, b"")
        elif name in COLOURS or request.path in self.files:
            self._give(request, 200, self.files.get(request.path) or jpeg(60, COLOURS[name]))
        elif name.startswith("to-"):
            request.send_response(302)
            request.send_header("Location", name.removeprefix("to-").replace("_", "/") or request.path)
            request.end_headers()
        elif name == "text":
            self._give(request, 200, b"<html>no picture</html>")
        elif name == "empty":
            self._give(request, 200, b"")
        elif name == "endless":
            request.send_response(200)
            request.end_headers()
            for _ in range(200):
                request.wfile.write(b"x" * 100_000)
        elif name == "drips":
            request.send_response(200)
            request.end_headers()
            for _ in range(200):
                request.wfile.write(b"x")
                time.sleep(0.05)
        else:
            self._give(request, 404, b"")

    def _give(self, request: BaseHTTPRequestHandler, status: int, content: bytes) -> None:
        request.send_response(status)
        request.send_header("Content-Length", str(len(content)))
        request.end_headers()
        request.wfile.write(content)

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()


@pytest.fixture
def pictures() -> Iterator[PictureHost]:
    host = PictureHost()
    yield host
    host.stop()
