"""The HTTP server, in one process or several that share a socket."""

import socket
from typing import Any

import uvicorn
from uvicorn.supervisors.multiprocess import Multiprocess


class _Config(uvicorn.Config):
    """Uvicorn's own socket for several processes does not name TCP as its protocol, so that asyncio leaves Nagle's
    algorithm on, and every answer waits 40 ms for the browser's delayed acknowledgement."""

    def bind_socket(self) -> socket.socket:
        bound = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        bound.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        bound.bind((self.host, self.port))
        bound.set_inheritable(True)
        return bound


def serve(factory: str, host: str, port: int, processes: int, trusted_proxies: str = "", fd: int | None = None) -> None:
    """Serve the application that ``factory`` makes until asked to stop.

    ``trusted_proxies``: whose word is taken on where a request came from, addresses with commas between; by itself
    nobody's, not even of this machine. ``fd``: a socket that is listening already.
    """
    options: dict[str, Any] = {"log_config": None, "access_log": False, "timeout_graceful_shutdown": 5}
    if trusted_proxies:
        options |= {"proxy_headers": True, "forwarded_allow_ips": trusted_proxies}
    else:
        options["proxy_headers"] = False
    config = _Config(factory, factory=True, host=host, port=port, workers=processes, **options)
    given = [socket.socket(fileno=fd)] if fd is not None else None
    if processes > 1:
        Multiprocess(config, sockets=given or [config.bind_socket()]).run()
    else:
        uvicorn.Server(config).run(given)
