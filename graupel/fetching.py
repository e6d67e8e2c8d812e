"""Fetching a file from an address that somebody gave: only over HTTP, only from where it may be, not for ever, not more
than it may be.

An address may lead anywhere, also into the network that we stand in. So every name is looked up by us, nothing that is
not public is spoken to unless the settings name its host, and the connection goes to the very number that was looked
at: a name that means another one a moment later does not help. Where an answer leads on, all of that is done again.
"""

import asyncio
import io
import ipaddress
import socket
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import BinaryIO
from urllib.parse import unquote, urljoin, urlsplit

import httpx

from graupel import storage
from graupel.core.errors import GraupelError
from graupel.settings import Settings

SECONDS = 30.0
MOST_STEPS = 5
_LEADS_ON = (301, 302, 303, 307, 308)
#: What may be otherwise in a while.
_AGAIN = (408, 425, 429, 500, 502, 503, 504)


class NotFetched(GraupelError):
    """Nothing was fetched, and why. ``again``: it may be there in a while."""

    def __init__(self, said: str, *, again: bool = False) -> None:
        super().__init__(said)
        self.again = again


@dataclass(frozen=True)
class Fetched:
    """A file that was fetched. ``name``: what it is called there, "" where that can't be told."""

    name: str
    content: bytes


def fetch(settings: Settings, address: str, most_bytes: int) -> Fetched:
    """What stands at an address. Raises NotFetched."""
    content = io.BytesIO()
    name = fetch_into(content, settings, address, most_bytes)
    return Fetched(name, content.getvalue())


def fetch_into(
    content: BinaryIO, settings: Settings, address: str, most_bytes: int, seconds: float | None = None
) -> str:
    """Write what stands at an address into a file as it comes, within so many seconds, or those of a picture; returns
    what it is called there. Raises NotFetched, NoRoom."""
    seconds = seconds or SECONDS
    try:
        return asyncio.run(_within(content, settings, address, most_bytes, seconds))
    except TimeoutError as error:
        raise NotFetched(f"{_host(address)} did not answer within {seconds:.0f} seconds.", again=True) from error
    except (httpx.HTTPError, httpx.InvalidURL, OSError) as error:
        raise NotFetched(f"{_host(address)} can't be reached, or broke off while answering.", again=True) from error


async def _within(content: BinaryIO, settings: Settings, address: str, most_bytes: int, seconds: float) -> str:
    async with asyncio.timeout(seconds), httpx.AsyncClient(trust_env=False, timeout=SECONDS) as client:
        here = address
        for _ in range(MOST_STEPS + 1):
            request = await _request(settings, client, here)
            answer = await client.send(request, stream=True, follow_redirects=False)
            try:
                if answer.status_code in _LEADS_ON and "location" in answer.headers:
                    here = urljoin(here, answer.headers["location"])
                    continue
                await _whole(content, answer, here, most_bytes)
                return _named(here)
            finally:
                await answer.aclose()
    raise NotFetched(f"{_host(address)} leads on more than {MOST_STEPS} times.")


async def _request(settings: Settings, client: httpx.AsyncClient, address: str) -> httpx.Request:
    """A request to the very number that was looked at. Raises NotFetched."""
    parts = urlsplit(address)
    host = parts.hostname or ""
    if parts.scheme not in ("http", "https") or not host:
        raise NotFetched(f"“{address[:100]}” is no address that can be fetched.")
    number = await _looked_up(settings, host, parts.port or (443 if parts.scheme == "https" else 80))
    target = httpx.URL(address).copy_with(host=number)
    headers = {"Host": parts.netloc.rpartition("@")[2], "User-Agent": "Graupel", "Accept": "image/*,*/*;q=0.5"}
    return client.build_request("GET", target, headers=headers, extensions={"sni_hostname": host})


async def _looked_up(settings: Settings, host: str, port: int) -> str:
    allowed = host.lower() in settings.fetches_from
    if settings.fetch_only_listed and not allowed:
        raise NotFetched(f"{host[:100]} is not among the hosts from which files may be fetched (settings).")
    loop = asyncio.get_running_loop()
    try:
        found = await loop.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except (socket.gaierror, UnicodeError) as error:
        raise NotFetched(f"There is no host {host[:100]}.", again=True) from error
    numbers = [str(one[4][0]) for one in found]
    if not allowed and not all(_is_public(one) for one in numbers):
        raise NotFetched(f"{host[:100]} stands in a private network, from which nothing is fetched (settings).")
    return numbers[0]


def _is_public(number: str) -> bool:
    found = ipaddress.ip_address(number.partition("%")[0])
    inner = getattr(found, "ipv4_mapped", None) or getattr(found, "sixtofour", None)
    return found.is_global and not found.is_multicast and (inner is None or inner.is_global)


async def _whole(content: BinaryIO, answer: httpx.Response, address: str, most_bytes: int) -> None:
    if answer.status_code != 200:
        gone = " (not there)" if answer.status_code in (404, 410) else ""
        again = answer.status_code in _AGAIN
        raise NotFetched(f"{_host(address)} says {answer.status_code}{gone}.", again=again)
    size = 0
    async for chunk in answer.aiter_bytes():
        size += len(chunk)
        if size > most_bytes:
            raise NotFetched(f"It is larger than {most_bytes // 1_000_000} MB.")
        _write(content, chunk)
    if not size:
        raise NotFetched(f"{_host(address)} gave an empty file.", again=True)


def _write(content: BinaryIO, chunk: bytes) -> None:
    """A disk that is full says nothing of the host. Raises NoRoom."""
    with storage.telling_no_room():
        content.write(chunk)


def _host(address: str) -> str:
    try:
        return (urlsplit(address).hostname or address)[:100]
    except ValueError:
        return address[:100]


def _named(address: str) -> str:
    return PurePosixPath(unquote(urlsplit(address).path)).name[:200]
