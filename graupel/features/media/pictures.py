"""Pictures: opened with care, turned upright, freed of personal metadata, measured, made smaller."""

import io
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from PIL import Image, ImageChops, ImageOps, UnidentifiedImageError

from graupel.core.media import ACCEPTED, WHITE
from graupel.features.media.refusing import refuse
from graupel.features.media.stripping import stripped

MOST_PIXELS = 60_000_000
#: Of all frames of a picture that moves.
MOST_MOVING_PIXELS = 240_000_000
#: What is read -> the name under which the format is kept; None: it is converted. MPO is a JPEG with a second view.
_READ = {
    "JPEG": "jpg", "MPO": "jpg", "PNG": "png", "WEBP": "webp", "GIF": "gif", "AVIF": "avif", "BMP": None, "TIFF": None,
}  # fmt: skip
_SAVED_AS = {"jpg": "JPEG", "png": "PNG", "webp": "WEBP", "gif": "GIF", "avif": "AVIF"}
_PERSONAL = {"exif", "xmp", "XML:com.adobe.xmp", "photoshop", "comment"}
_UPRIGHT = 1
_ORIENTATION = 0x0112

Image.MAX_IMAGE_PIXELS = MOST_PIXELS


@dataclass(frozen=True)
class Opened:
    """A picture, the bytes to keep, and their format's name."""

    picture: Image.Image
    content: bytes
    format: str


def open_picture(file_name: str, content: bytes, other: str) -> Opened:
    """A picture that can be read whole. Raises Refused; ``other``: what the file is where it is no picture."""
    try:
        picture = Image.open(io.BytesIO(content), formats=[name for name in _READ if name != "MPO"])
        if picture.width * picture.height > MOST_PIXELS:
            raise Image.DecompressionBombError
        frames = _frames(picture)
        if frames > 1 and frames * picture.width * picture.height > MOST_MOVING_PIXELS:
            refuse(
                "too_many_frames",
                f"“{file_name}” moves: {frames} frames of {picture.width} × {picture.height} pixels are more than "
                f"{MOST_MOVING_PIXELS // 1_000_000} million pixels in all. Scale it down, or take it in as a video.",
            )
        picture.load()
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        most = MOST_PIXELS // 1_000_000
        refuse("too_many_pixels", f"“{file_name}” has more than {most} million pixels. Scale it down.", error)
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, EOFError, IndexError, KeyError) as error:
        is_else = f": inside it is {other}" if other else " that can be read"
        refuse("unreadable", f"“{file_name}” is not a picture{is_else}. {ACCEPTED}", error)
    return _kept(picture, content)


def _kept(picture: Image.Image, content: bytes) -> Opened:
    name = _READ[picture.format or ""]
    if name is None:
        return _converted(picture)
    turned = picture.getexif().get(_ORIENTATION, _UPRIGHT) != _UPRIGHT
    if turned or (name == "avif" and _PERSONAL & set(picture.info)):
        return _saved(picture, name)
    kept = stripped(content, name)
    return Opened(picture, kept, name) if kept == content or _is_whole(picture, kept) else _saved(picture, name)


def _is_whole(picture: Image.Image, kept: bytes) -> bool:
    """Whether the bytes that were left are the same picture: an odd file may not be built as its format says."""
    try:
        again = Image.open(io.BytesIO(kept))
        again.load()
    except (OSError, SyntaxError, ValueError):
        return False
    return again.size == picture.size and _frames(again) == _frames(picture)


def _frames(picture: Image.Image) -> int:
    return int(getattr(picture, "n_frames", 1)) if picture.format != "MPO" else 1


def _saved(picture: Image.Image, name: str) -> Opened:
    """Saved anew, upright, with nothing but its colours."""
    moves = getattr(picture, "is_animated", False)
    options: dict[str, Any] = {"icc_profile": picture.info.get("icc_profile")}
    if moves and name != "jpg":
        options |= {"save_all": True, "loop": picture.info.get("loop", 0)}
    else:
        picture = ImageOps.exif_transpose(picture)
    for key in _PERSONAL:
        picture.info.pop(key, None)
    out = io.BytesIO()
    picture.save(out, _SAVED_AS[name], quality=95, exif=b"", xmp=b"", **options)
    return _again(out.getvalue(), name)


def _converted(picture: Image.Image) -> Opened:
    """BMP and TIFF, which no shop shows, as PNG, which loses nothing; the first page of several."""
    upright = eight_bit(ImageOps.exif_transpose(picture))
    if upright.mode not in ("1", "L", "LA", "P", "RGB", "RGBA"):
        upright = upright.convert("RGB")
    out = io.BytesIO()
    upright.save(out, "PNG", icc_profile=picture.info.get("icc_profile") if upright.mode == picture.mode else None)
    return _again(out.getvalue(), "png")


def _again(content: bytes, name: str) -> Opened:
    picture = Image.open(io.BytesIO(content))
    picture.load()
    return Opened(picture, content, name)


def eight_bit(picture: Image.Image) -> Image.Image:
    """A picture of 16 bits a pixel in the usual 8; others as they are."""
    if picture.mode.startswith("I;16"):
        return picture.point(lambda value: value / 256).convert("L")
    if picture.mode in ("I", "F"):
        return picture.point(lambda value: value / 256).convert("L")
    return picture


def border_white(picture: Image.Image) -> int:
    """How much of the border is white, in hundredths: a frame of a fiftieth of the shorter side, at least a pixel.

    What can be seen through counts as white, for that is what shops and channels put behind it.
    """
    width, height = picture.size
    depth = max(1, min(width, height) // 50)
    strips = [(0, 0, width, depth), (0, height - depth, width, height)]
    if height > 2 * depth:
        strips += [(0, depth, depth, height - depth), (width - depth, depth, width, height - depth)]
    white = total = 0
    for box in strips:
        strip = eight_bit(picture.crop(box)).convert("RGBA")
        flat = Image.alpha_composite(Image.new("RGBA", strip.size, "white"), strip).convert("RGB")
        red, green, blue = flat.split()
        darkest = ImageChops.darker(ImageChops.darker(red, green), blue).histogram()
        white, total = white + sum(darkest[WHITE:]), total + sum(darkest)
    return white * 100 // total


def smaller(picture: Image.Image, side: int) -> bytes:
    """A picture as WebP, its longer side at most ``side`` pixels."""
    plain = eight_bit(picture)
    see_through = "A" in plain.getbands() or "transparency" in plain.info
    small = plain.convert("RGBA" if see_through else "RGB")
    small.thumbnail((side, side))
    out = io.BytesIO()
    profile = picture.info.get("icc_profile") if picture.mode in ("RGB", "RGBA") else None
    small.save(out, "WEBP", quality=84, icc_profile=profile)
    return out.getvalue()


def in_sizes(content: bytes, sides: Mapping[str, int]) -> dict[str, bytes]:
    """A picture in several sizes, by name, each as ``smaller`` makes it. Raises OSError where it can't be read."""
    with Image.open(io.BytesIO(content)) as picture:
        picture.load()
        return {name: smaller(picture, side) for name, side in sorted(sides.items(), key=lambda one: -one[1])}
