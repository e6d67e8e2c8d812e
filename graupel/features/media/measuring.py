"""Opening what comes in: what it is, how large, and what of it is kept."""

import io
import re
from dataclasses import dataclass

import puremagic
import structlog

from graupel import apart
from graupel.core import media as rules
from graupel.core.media import MediaKind
from graupel.features.media import models, pictures, videos
from graupel.features.media.refusing import refuse
from graupel.settings import Settings

#: What else a file may be, in words, by its media type.
_ELSE = {
    "application/pdf": "a PDF document",
    "application/vnd.microsoft.portable-executable": "a program",
    "text/html": "a web page",
    "application/zip": "an archive",
    "application/gzip": "an archive",
}

log = structlog.get_logger("media")
_TAKEN = {one.media_type for one in rules.FORMATS.values()} | {"image/bmp", "image/tiff"}


@dataclass(frozen=True)
class Measured:
    """A file as it is kept. Sides in pixels, 0 where there are none; ``border_white`` in hundredths of the border."""

    content: bytes
    kind: MediaKind
    format: str
    width: int = 0
    height: int = 0
    border_white: int | None = None
    duration_ms: int | None = None


def measure(settings: Settings, file_name: str, content: bytes) -> Measured:
    """A file, checked, without personal metadata. Raises Refused with what it is and what is taken instead."""
    kind = _kind_inside(content)
    _refuse_size(settings, file_name, content, kind)
    try:
        measured = apart.do(_open, file_name, content, kind)
    except apart.GaveUp as trouble:
        log.warning("a file was given up", name=file_name, bytes=len(content), reason=str(trouble))
        refuse(
            "given_up", f"“{file_name}” takes too long or too much memory to read. Save it anew, or smaller.", trouble
        )
    said = rules.kind_of_name(file_name)
    if said and said is not kind:
        refuse("other_kind", f"“{file_name}” is not {rules.KIND_WORDS[said]}: inside it is {rules.KIND_WORDS[kind]}.")
    return measured


def _open(file_name: str, content: bytes, kind: MediaKind) -> Measured:
    if kind is MediaKind.VIDEO:
        kept, found = videos.open_video(file_name, content)
        return Measured(kept, kind, found.format, found.width, found.height, None, found.duration_ms)
    if kind is MediaKind.MODEL:
        return Measured(content, kind, models.check(file_name, content))
    opened = pictures.open_picture(file_name, content, what_it_is(content))
    width, height = opened.picture.size
    return Measured(opened.content, kind, opened.format, width, height, pictures.border_white(opened.picture))


def _kind_inside(content: bytes) -> MediaKind:
    """What the bytes are; what is not recognised is tried as a picture."""
    if content[4:8] == b"ftyp" and content[8:12] not in (b"avif", b"avis", b"mif1", b"heic", b"heix"):
        return MediaKind.VIDEO
    if content[:4] == b"\x1aE\xdf\xa3":
        return MediaKind.VIDEO
    if content[:4] == b"glTF" or (re.match(rb"\s*\{", content[:200]) and b'"asset"' in content):
        return MediaKind.MODEL
    return MediaKind.PICTURE


def _refuse_size(settings: Settings, file_name: str, content: bytes, kind: MediaKind) -> None:
    most = settings.picture_megabytes if kind is MediaKind.PICTURE else settings.video_megabytes
    if len(content) > most * 1_000_000:
        refuse("too_large", f"“{file_name}” is larger than {most} MB. Save it smaller.")


def what_it_is(content: bytes) -> str:
    """What a file is that is no picture, in words; "" where nobody knows, or it is a broken one."""
    if re.search(rb"<svg[\s>]", content[:4000], re.IGNORECASE):
        carries = re.search(rb"<script|\son\w+\s*=|javascript:|<foreignObject", content, re.IGNORECASE)
        return f"an SVG drawing{' that carries a script' if carries else ''}, which may hold programs; save it as PNG"
    if content[:2] == b"MZ" or content[:4] == b"\x7fELF":
        return "a program"
    try:
        found = puremagic.magic_stream(io.BytesIO(content[:4096]))
    except (puremagic.PureError, ValueError):
        return ""
    kinds = [one.mime_type for one in found if one.mime_type]
    if not kinds or any(kind in _TAKEN for kind in kinds):
        return ""
    return next((_ELSE[kind] for kind in kinds if kind in _ELSE), f"a file of the kind {kinds[0]}")
