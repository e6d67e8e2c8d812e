"""Fetching from an address that somebody gave: only from where it may be, not for ever, not more than it may be."""

import errno
import socket

import pytest

from graupel import fetching
from graupel.core.errors import NoRoom
from graupel.fetching import NotFetched, fetch, fetch_into
from graupel.settings import Settings
from tests.pictures import PictureHost, pictures

__all__ = ["pictures"]

OPEN = Settings(fetch_hosts="127.0.0.1", _env_file=None)
CLOSED = Settings(_env_file=None)


def test_a_picture_is_fetched_also_where_the_answer_leads_on(pictures: PictureHost):
    for path in ("/red.jpg", "/to-_red.jpg"):
        found = fetch(OPEN, pictures.address + path, 1_000_000)
        assert found.content.startswith(b"\xff\xd8")
    assert fetch(OPEN, f"{pictures.address}/red.jpg?size=2", 1_000_000).name == "red.jpg"


@pytest.mark.parametrize(
    ("path", "most", "why", "again"),
    [
        ("/gone.jpg", 1_000, "says 404 (not there)", False),
        ("/empty", 1_000, "an empty file", True),
        ("/endless", 1_000_000, "larger than 1 MB", False),
        ("/to-", 1_000, "leads on more than 5 times", False),
        ("/drips", 1_000, "did not answer within", True),
    ],
)
def test_what_is_no_file_is_said(pictures: PictureHost, monkeypatch, path, most, why, again):
    monkeypatch.setattr(fetching, "SECONDS", 1.0)
    with pytest.raises(NotFetched) as trouble:
        fetch(OPEN, pictures.address + path, most)
    assert why in str(trouble.value)
    assert trouble.value.again is again


def test_what_is_large_is_written_as_it_comes_and_a_full_disk_is_told_as_one(pictures: PictureHost):
    class Full:
        written = 0

        def write(self, chunk: bytes) -> None:
            assert len(chunk) < 1_000_000
            self.written += len(chunk)
            if self.written > 2_000_000:
                raise OSError(errno.ENOSPC, "No space left on device")

    disk = Full()
    with pytest.raises(NoRoom, match="full"):
        fetch_into(disk, OPEN, f"{pictures.address}/endless", 100_000_000)
    assert disk.written > 2_000_000


@pytest.mark.parametrize(
    "host",
    ["127.0.0.1", "localhost", "10.0.0.7", "192.168.1.1", "169.254.169.254", "[::1]", "[::ffff:127.0.0.1]", "0.0.0.0"],
)
def test_nothing_is_asked_in_a_private_network(host):
    with pytest.raises(NotFetched, match="private network"):
        fetch(CLOSED, f"http://{host}:8000/a.jpg", 1_000)


def test_a_name_that_means_a_private_number_and_an_answer_that_leads_to_one_are_refused(
    pictures: PictureHost, monkeypatch
):
    port = pictures.address.rpartition(":")[2]
    known = {"pics.example": "127.0.0.1", "inner.example": "127.0.0.1"}
    real = socket.getaddrinfo

    def looked_up(host, *given, **named):
        name = host.decode() if isinstance(host, bytes) else host
        return real(known.get(name, name), *given, **named)

    monkeypatch.setattr(socket, "getaddrinfo", looked_up)
    with pytest.raises(NotFetched, match=r"pics\.example stands in a private network"):
        fetch(CLOSED, f"http://pics.example:{port}/red.jpg", 1_000_000)
    allowed = Settings(fetch_hosts="pics.example", _env_file=None)
    assert fetch(allowed, f"http://pics.example:{port}/red.jpg", 1_000_000).content
    before = len(pictures.asked)
    with pytest.raises(NotFetched, match=r"inner\.example stands in a private network"):
        fetch(allowed, f"http://pics.example:{port}/to-http:__inner.example:{port}_red", 1_000_000)
    assert len(pictures.asked) == before + 1, "it was told where to go, and did not"
    listed = Settings(fetch_hosts="pics.example", fetch_only_listed=True, _env_file=None)
    with pytest.raises(NotFetched, match="not among the hosts"):
        fetch(listed, "http://other.example/a.jpg", 1_000)


def test_no_host_and_nobody_there(monkeypatch):
    with pytest.raises(NotFetched, match="can't be reached"):
        fetch(OPEN, "http://127.0.0.1:1/a.jpg", 1_000)
    with pytest.raises(NotFetched, match="There is no host"):
        fetch(OPEN, "http://no-such-host.invalid/a.jpg", 1_000)
    with pytest.raises(NotFetched, match="no address"):
        fetch(OPEN, "file:///etc/passwd", 1_000)
