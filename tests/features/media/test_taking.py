"""Files at the door: what is taken, what of it is kept, what is refused."""

import io
import json
import os
import select
import struct
import zlib

import pytest
from PIL import Image

from graupel import apart
from graupel.core.errors import NotFound, Refused
from graupel.core.media import MediaKind
from graupel.demo import films
from graupel.features.media import service, sizes
from tests.making import jpeg, work_off


def saved(picture: Image.Image, kind: str, **options) -> bytes:
    """A picture's bytes in a format."""
    out = io.BytesIO()
    picture.save(out, kind, **options)
    return out.getvalue()


def huge_png(side: int) -> bytes:
    """A PNG that says it is very large in few bytes."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    head = struct.pack(">IIBBBBB", side, side, 8, 0, 0, 0, 0)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"\0" * 1000)) + chunk(b"IEND", b"")
    )


def gltf(**parts) -> bytes:
    """A glTF of JSON."""
    return json.dumps({"asset": {"version": "2.0"}, **parts}).encode()


GLB = films.model("#7A5A3C", 6)
MP4 = films.film("#8C7AA0", 1, frames=4, side=96)
SVG = b"<svg xmlns='http://www.w3.org/2000/svg' onload='x()'/>"


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("setup.jpg", b"MZ\x90\x00" + b"\0" * 500, "“setup.jpg” is not a picture: inside it is a program"),
        ("a.png", b"%PDF-1.7 some words", "inside it is a PDF document"),
        ("a.svg", SVG, "an SVG drawing that carries a script"),
        ("b.svg", b"<svg viewBox='0 0 1 1'><path d='M0 0'/></svg>", "an SVG drawing, which may hold programs"),
        ("half.jpg", jpeg()[:900], "not a picture that can be read"),
        ("huge.png", huge_png(50_000), "more than 60 million pixels"),
        ("", b"", "not a picture that can be read"),
        ("big.jpg", b"\xff" * 20_000_001, "larger than 20 MB"),
        ("film.jpg", MP4, "“film.jpg” is not a picture: inside it is a video"),
        ("button.mp4", GLB, "is not a video: inside it is a 3D model"),
        ("film.mp4", jpeg(), "is not a video: inside it is a picture"),
        ("film.mp4", MP4[:400], "not a video that can be read"),
        ("film.mp4", b"\0\0\0\x20ftypisom" + b"\xff" * 60_000_000, "larger than 60 MB"),
        ("button.glb", GLB[:-4], "not a 3D model that can be read"),
        ("old.gltf", gltf(asset={"version": "1.0"}), "save it as glTF 2.0"),
        ("parts.gltf", gltf(buffers=[{"uri": "chair.bin"}]), r"needs other files \(chair.bin\)"),
        ("deep.gltf", b'{"asset":' + b"[" * 90_000, "not a 3D model that can be read"),
    ],
)
def test_what_is_broken_hostile_or_huge_is_refused_with_a_sentence(ctx, editor, name, content, says):
    with pytest.raises(Refused, match=says):
        service.take(ctx, editor, name, content)
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM media")) == 0


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP", "GIF", "AVIF"])
def test_pictures_are_kept_as_they_are(ctx, editor, kind):
    content = saved(Image.new("RGB", (80, 60), "#8C7AA0"), kind)
    media = service.take(ctx, editor, f"a.{kind.lower()}", content)
    assert (media.kind, media.width, media.height, media.bytes) == (MediaKind.PICTURE, 80, 60, len(content))
    path, media_type, lasts = service.find(ctx, media.sha256, "full")
    assert (path.read_bytes(), media_type, lasts) == (content, f"image/{kind.lower()}", True)


@pytest.mark.parametrize("kind", ["BMP", "TIFF"])
@pytest.mark.parametrize("mode", ["RGB", "L", "1", "P"])
def test_what_no_shop_shows_is_converted_without_losing_anything(ctx, editor, kind, mode):
    before = Image.radial_gradient("L").resize((40, 40)).convert(mode)
    media = service.take(ctx, editor, f"photo.{kind.lower()}", saved(before, kind))
    after = Image.open(service.find(ctx, media.sha256, "full")[0])
    assert (media.file_name, media.format, after.format) == ("photo.png", "png", "PNG")
    assert after.convert("RGB").tobytes() == before.convert("RGB").tobytes()


def test_a_scan_of_sixteen_bits_keeps_its_greys(ctx, editor):
    grey = Image.new("I;16", (40, 40), 0x8000)
    media = service.take(ctx, editor, "scan.tif", saved(grey, "TIFF"))
    assert Image.open(service.find(ctx, media.sha256, "full")[0]).getpixel((3, 3)) == 0x80


def test_a_picture_under_another_pictures_ending_is_taken_and_named_right(ctx, editor):
    assert service.take(ctx, editor, "skein.jpg", saved(Image.new("RGB", (9, 9)), "WEBP")).file_name == "skein.webp"
    assert service.take(ctx, editor, "no ending", jpeg(20)).file_name == "no ending.jpg"


def test_the_same_bytes_are_stored_once(ctx, editor):
    assert service.take(ctx, editor, "a.jpg", jpeg()).id == service.take(ctx, editor, "b.jpg", jpeg()).id


def test_a_picture_is_turned_upright_and_loses_where_it_was_taken(ctx, editor):
    exif = Image.Exif()
    exif[0x0112] = 6  # lies on its side
    exif[0x010F] = "A camera with a name"
    content = saved(Image.new("RGB", (300, 100), "#8C7AA0"), "JPEG", exif=exif)
    media = service.take(ctx, editor, "../../etc/skein.jpg", content)
    assert (media.width, media.height, media.file_name) == (100, 300, "skein.jpg")
    assert b"A camera" not in service.find(ctx, media.sha256, "full")[0].read_bytes()


def test_metadata_goes_without_coding_a_jpeg_anew(ctx, editor):
    picture = Image.effect_noise((64, 64), 90).convert("RGB")
    exif = Image.Exif()
    exif[0x010F] = "A camera with a name"
    content = saved(picture, "JPEG", exif=exif, comment=b"taken at home", icc_profile=b"a profile of colours")
    media = service.take(ctx, editor, "a.jpg", content)
    kept = service.find(ctx, media.sha256, "full")[0].read_bytes()
    assert b"A camera" not in kept
    assert b"at home" not in kept
    assert b"a profile of colours" in kept
    assert kept[-500:] == content[-500:]
    assert Image.open(io.BytesIO(kept)).tobytes() == Image.open(io.BytesIO(content)).tobytes()


@pytest.mark.parametrize(("kind", "options"), [("PNG", {}), ("WEBP", {}), ("AVIF", {})])
def test_other_formats_lose_their_metadata_too(ctx, editor, kind, options):
    exif = Image.Exif()
    exif[0x010F] = "A camera with a name"
    content = saved(Image.new("RGB", (60, 60), "#8C7AA0"), kind, exif=exif, xmp=b"<x>somebody</x>", **options)
    kept = service.find(ctx, service.take(ctx, editor, "a", content).sha256, "full")[0].read_bytes()
    assert b"A camera" not in kept
    assert b"somebody" not in kept


def test_a_moving_picture_keeps_moving(ctx, editor):
    frames = [Image.new("RGB", (40, 40), colour) for colour in ("red", "green", "blue")]
    content = saved(frames[0], "WEBP", save_all=True, append_images=frames[1:], xmp=b"<x>somebody</x>")
    path, *_ = service.find(ctx, service.take(ctx, editor, "a.webp", content).sha256, "full")
    assert Image.open(path).n_frames == 3


@pytest.mark.parametrize(
    ("inner", "outer", "white"), [("black", "white", 100), ("white", "black", 0), ("black", "#F6F6F6", 100)]
)
def test_the_whiteness_of_the_border_is_measured(ctx, editor, inner, outer, white):
    picture = Image.new("RGB", (200, 100), outer)
    picture.paste(inner, (10, 10, 190, 90))
    assert service.take(ctx, editor, "a.png", saved(picture, "PNG")).border_white == white


def test_half_a_white_border_is_half_white_and_glass_counts_as_white(ctx, editor):
    picture = Image.new("RGBA", (200, 200), (0, 0, 0, 0))
    picture.paste((0, 0, 0, 255), (100, 0, 200, 200))
    assert service.take(ctx, editor, "a.png", saved(picture, "PNG")).border_white == 50


def test_sizes_are_made_in_the_background_and_nothing_else_is_given_out(ctx, editor):
    media = service.take(ctx, editor, "a.jpg", jpeg(900))
    path, kind, lasts = service.find(ctx, media.sha256, "card")
    assert (Image.open(path).size, kind, lasts) == ((900, 900), "image/jpeg", False), "the whole stands for it"
    work_off(ctx)
    path, kind, lasts = service.find(ctx, media.sha256, "card")
    assert (Image.open(path).size, kind, lasts) == ((480, 480), "image/webp", True)
    assert service.read(ctx, editor, media.id).sizes == "made"
    for wrong in ("../full", "huge"):
        with pytest.raises(NotFound):
            service.find(ctx, media.sha256, wrong)


def test_many_pictures_wait_for_one_job_and_a_lost_file_holds_up_none(ctx, editor):
    taken = [service.take(ctx, editor, f"{side}.jpg", jpeg(side)) for side in (50, 60, 70)]
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM job WHERE kind = 'media.sizes'")) == 1
    sizes.path_of(ctx, taken[1].sha256, "full").unlink()
    work_off(ctx)
    assert [service.read(ctx, editor, one.id).sizes for one in taken] == ["made", "failed", "made"]


def test_a_video_is_measured_freed_of_its_place_and_gets_a_poster(ctx, editor):
    told = b"\xa9xyz" + b"+52.1234+013.1234/"
    place = struct.pack(">I", len(told) + 4) + told
    box = struct.pack(">I4s", len(place) + 8, b"udta") + place
    media = service.take(ctx, editor, "winding.mp4", MP4 + box)
    assert (media.kind, media.width, media.height, media.duration_ms) == (MediaKind.VIDEO, 96, 96, 333)
    path, media_type, _ = service.find(ctx, media.sha256, "full")
    assert media_type == "video/mp4"
    assert b"52.1234" not in path.read_bytes()
    assert media.face("card") is None
    work_off(ctx)
    poster = service.read(ctx, editor, media.id)
    assert poster.poster_id
    assert Image.open(service.find(ctx, poster.poster_sha, "full")[0]).size == (96, 96)


def test_a_video_of_which_no_frame_can_be_read_is_kept_without_a_poster(ctx, editor):
    start = MP4.index(b"mdat") + 4
    broken = MP4[:start] + b"\0" * (len(MP4) - start) if MP4.index(b"moov") < start else (
        MP4[:start] + b"\0" * (MP4.index(b"moov") - 4 - start) + MP4[MP4.index(b"moov") - 4 :]
    )  # fmt: skip
    media = service.take(ctx, editor, "broken.mp4", broken)
    work_off(ctx)
    assert service.read(ctx, editor, media.id).poster_id is None
    outcome = ctx.db.run(lambda tx: tx.value("SELECT outcome FROM job WHERE kind = 'media.poster'"))
    assert "choose one" in outcome


def test_models_are_kept_as_they_are(ctx, editor):
    binary = service.take(ctx, editor, "button.glb", GLB)
    text = service.take(
        ctx, editor, "button.gltf", gltf(buffers=[{"uri": "data:application/octet-stream;base64,AA=="}])
    )
    assert [one.kind for one in (binary, text)] == [MediaKind.MODEL, MediaKind.MODEL]
    assert service.find(ctx, binary.sha256, "full")[1] == "model/gltf-binary"


def test_links_are_noted_once_and_lead_there(ctx, editor):
    address = "https://films.example/winding?part=2"
    link = service.take_link(ctx, editor, address, "Winding")
    assert link.id == service.take_link(ctx, editor, f" {address} ").id
    assert (link.kind, link.format, link.link("card")) == (MediaKind.LINK, "video", address)
    assert service.take_link(ctx, editor, "https://sounds.example/wheel.mp3").format == "audio"
    with pytest.raises(NotFound):
        service.find(ctx, link.sha256, "full")
    for wrong in ("films.example", "javascript:alert(1)", "https://", "https://a b.example", "https://x@y.example/"):
        with pytest.raises(Refused, match="no address"):
            service.take_link(ctx, editor, wrong)


# --- what stands beside the picture, and what takes too long --------------------------------------------------------

PLACE = b"taken at 47.1 N, 8.2 E"


def moving(kind: str, **options) -> bytes:
    frames = [Image.new("RGB", (40, 30), colour) for colour in ("#8C7AA0", "#3F6B57", "#111111")]
    return saved(frames[0], kind, save_all=True, append_images=frames[1:], duration=80, loop=0, **options)


def with_gif_comment(content: bytes) -> bytes:
    """A comment between the frames, where nobody looks."""
    at = content.rindex(b"\x21\xf9")
    return content[:at] + b"\x21\xfe" + bytes([len(PLACE)]) + PLACE + b"\0" + content[at:]


def with_png_text(content: bytes) -> bytes:
    """A text behind the pixels."""
    body = b"tEXtComment\0" + PLACE
    chunk = struct.pack(">I", len(body) - 4) + body + struct.pack(">I", zlib.crc32(body))
    return content[:-12] + chunk + content[-12:]


def with_webp_xmp(content: bytes) -> bytes:
    chunk = b"XMP " + struct.pack("<I", len(PLACE)) + PLACE + b"\0" * (len(PLACE) % 2)
    return b"RIFF" + struct.pack("<I", len(content) - 8 + len(chunk)) + content[8:] + chunk


def between_scans(content: bytes) -> bytes:
    """A comment between two scans of a progressive JPEG."""
    at = content.rindex(b"\xff\xda")
    return content[:at] + b"\xff\xfe" + struct.pack(">H", len(PLACE) + 2) + PLACE + content[at:]


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("a.gif", with_gif_comment(moving("GIF"))),
        ("b.png", with_png_text(moving("PNG"))),
        ("c.webp", with_webp_xmp(moving("WEBP", minimize_size=True))),
        ("d.jpg", between_scans(saved(Image.radial_gradient("L"), "JPEG", progressive=True))),
        *((f"end.{kind.lower()}", saved(Image.new("RGB", (20, 20), "#8C7AA0"), kind) + PLACE)
          for kind in ("PNG", "JPEG", "WEBP", "GIF")),
    ],
)  # fmt: skip
def test_nothing_is_kept_beside_the_picture_and_no_pixel_changes(ctx, editor, name, content):
    before = Image.open(io.BytesIO(content))
    media = service.take(ctx, editor, name, content)
    kept = service.find(ctx, media.sha256, "full")[0].read_bytes()
    assert PLACE in content
    assert PLACE not in kept
    after = Image.open(io.BytesIO(kept))
    assert (after.format, getattr(after, "n_frames", 1)) == (before.format, getattr(before, "n_frames", 1))
    for frame in range(getattr(before, "n_frames", 1)):
        before.seek(frame)
        after.seek(frame)
        assert after.convert("RGBA").tobytes() == before.convert("RGBA").tobytes()


def test_a_moving_picture_of_too_many_pixels_is_refused_before_it_is_worked_on(ctx, editor):
    frames = [Image.new("P", (7000, 7000), number) for number in range(7)]
    content = saved(frames[0], "GIF", save_all=True, append_images=frames[1:])
    assert len(content) < 2_000_000
    with pytest.raises(Refused, match="7 frames of 7000 × 7000"):
        service.take(ctx, editor, "bomb.gif", content)


def test_work_that_takes_too_long_or_too_much_is_given_up_and_the_next_is_done():
    with pytest.raises(apart.GaveUp):
        apart.do(select.select, [], [], [], 60, seconds=0.3)
    with pytest.raises(apart.GaveUp, match="memory"):
        apart.do(bytearray, 4_000_000_000)
    with pytest.raises(apart.GaveUp):
        apart.do(os.abort)
    assert apart.do(len, "four") == 4


def test_a_file_that_is_given_up_is_refused_with_a_sentence(ctx, editor, monkeypatch):
    def gives_up(*_):
        raise apart.GaveUp("too long")

    monkeypatch.setattr(apart, "do", gives_up)
    with pytest.raises(Refused, match="takes too long"):
        service.take(ctx, editor, "a.jpg", jpeg())
