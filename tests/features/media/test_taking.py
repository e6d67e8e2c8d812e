"""Pictures at the door."""

import io
import struct
import zlib

import pytest
from PIL import Image

from graupel.core.errors import NotFound, Refused
from graupel.features.media import service
from tests.making import jpeg


def huge_png(side: int) -> bytes:
    """A PNG that says it is very large in few bytes."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    head = struct.pack(">IIBBBBB", side, side, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 1000)) + chunk(b"IEND", b"")
    )


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("setup.jpg", b"MZ\x90\x00" + b"\0" * 500, "not a picture"),
        ("a.svg", b"<svg onload='x()'/>", "not a picture"),
        ("half.jpg", jpeg()[:900], "not a picture"),
        ("huge.png", huge_png(50_000), "million pixels"),
        ("", b"", "not a picture"),
        ("big.jpg", b"\xff" * 20_000_001, "larger than 20 MB"),
    ],
)
def test_what_is_broken_hostile_or_huge_is_refused_with_a_sentence(ctx, editor, name, content, says):
    with pytest.raises(Refused, match=says):
        service.take(ctx, editor, name, content)
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM media")) == 0


def test_the_same_bytes_are_stored_once(ctx, editor):
    assert service.take(ctx, editor, "a.jpg", jpeg()).id == service.take(ctx, editor, "b.jpg", jpeg()).id


def test_a_picture_is_turned_upright_and_loses_where_it_was_taken(ctx, editor):
    exif = Image.Exif()
    exif[0x0112] = 6  # lies on its side
    exif[0x010F] = "A camera with a name"
    out = io.BytesIO()
    Image.new("RGB", (300, 100), "#8C7AA0").save(out, "JPEG", exif=exif)
    media = service.take(ctx, editor, "../../etc/skein.jpg", out.getvalue())
    assert (media.width, media.height, media.file_name) == (100, 300, "skein.jpg")
    path, _ = service.find(ctx, media.sha256, "full")
    assert b"A camera" not in path.read_bytes()


def test_smaller_sizes_are_made_and_nothing_else_is_given_out(ctx, editor):
    media = service.take(ctx, editor, "a.jpg", jpeg(900))
    path, kind = service.find(ctx, media.sha256, "card")
    assert kind == "image/webp"
    assert Image.open(path).size == (480, 480)
    for wrong in ("../full", "huge"):
        with pytest.raises(NotFound):
            service.find(ctx, media.sha256, wrong)
