"""Videos: measured without being played, freed of personal metadata, and a picture taken of them."""

import io
from dataclasses import dataclass
from typing import Any

import av
import av.error

from graupel.core.media import ACCEPTED
from graupel.features.media.pictures import MOST_PIXELS
from graupel.features.media.refusing import refuse

#: Format -> the codecs of it that browsers play.
_PLAYED = {"mp4": {"h264", "hevc", "av1", "vp9"}, "webm": {"vp8", "vp9", "av1"}}
#: Boxes of MP4 in which players, cameras and phones write who, where and with what. ISO/IEC 14496-12, 8.10 and 8.11.
_TELLING = (b"udta", b"meta", b"uuid")
_HOLDING = (b"moov", b"trak")


@dataclass(frozen=True)
class VideoFacts:
    """Measured facts of a video. Sides in pixels, before it is turned upright."""

    format: str
    width: int
    height: int
    duration_ms: int | None


def open_video(file_name: str, content: bytes) -> tuple[bytes, VideoFacts]:
    """The bytes to keep, and the facts. Raises Refused where browsers could not play it."""
    try:
        with av.open(io.BytesIO(content)) as container:
            facts = _facts(file_name, container)
    except (av.error.FFmpegError, ValueError, OSError) as error:
        refuse("unreadable", f"“{file_name}” is not a video that can be read. {ACCEPTED}", error)
    return _without_metadata(content) if facts.format == "mp4" else content, facts


def _facts(file_name: str, container: Any) -> VideoFacts:
    if not container.streams.video:
        refuse("no_picture", f"“{file_name}” has sound but no picture. Link to recordings instead.")
    stream = container.streams.video[0]
    kept = "mp4" if "mp4" in container.format.name else "webm"
    codec = stream.codec_context.name.removeprefix("lib").replace("dav1d", "av1").split("-")[0]
    if codec not in _PLAYED[kept]:
        refuse(
            "not_played", f"“{file_name}” is coded as {codec}, which browsers can’t play. Save it as MP4 with H.264."
        )
    size = f"{stream.width} × {stream.height}"
    if stream.width * stream.height > MOST_PIXELS or not stream.width:
        refuse("too_many_pixels", f"“{file_name}” has frames of {size} pixels. Scale it down.")
    seconds = container.duration / av.time_base if container.duration else None
    return VideoFacts(kept, stream.width, stream.height, None if seconds is None else round(seconds * 1000))


def _without_metadata(content: bytes) -> bytes:
    """The same with the telling boxes made free space: nothing moves, so the places of the frames stay right."""
    kept = bytearray(content)
    _free(kept, 0, len(kept))
    return bytes(kept)


def _free(kept: bytearray, at: int, end: int) -> None:
    while at + 8 <= end:
        size, kind = int.from_bytes(kept[at : at + 4], "big"), bytes(kept[at + 4 : at + 8])
        head = 8
        if size == 1:
            size, head = int.from_bytes(kept[at + 8 : at + 16], "big"), 16
        size = size or end - at
        if size < head or at + size > end:
            return
        if kind in _TELLING:
            kept[at + 4 : at + 8] = b"free"
            kept[at + head : at + size] = bytes(size - head)
        elif kind in _HOLDING:
            _free(kept, at + head, at + size)
        at += size


def poster(content: bytes) -> bytes:
    """A JPEG of a frame early in the video, upright. Raises ValueError where none can be read."""
    with av.open(io.BytesIO(content), "r") as container:
        stream = container.streams.video[0]
        stream.codec_context.skip_frame = "NONKEY"
        frame = next(container.decode(stream), None)
    if frame is None:
        raise ValueError("no frame can be read")
    picture = frame.to_image()  # type: ignore[no-untyped-call]
    if frame.rotation:
        picture = picture.rotate(frame.rotation, expand=True)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=90)
    return out.getvalue()
