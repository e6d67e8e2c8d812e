"""What a file holds beside its picture is left out, piece by piece: nothing is coded anew, no pixel changes.

Where it was taken, by whom and with what stands in such pieces, also behind the first frame of several, and anything at
all may hang on behind a picture's end.
"""

import re
from collections.abc import Callable

#: JFIF, how the colours are coded; the colour profile has a segment that others use too.
_JPEG_KEPT = (0xE0, 0xEE)
_JPEG_PROFILE = 0xE2
_JPEG_END_OF_SCAN = re.compile(rb"\xff[\x01-\xcf\xd8-\xfe]")
_PNG_KEPT = {
    b"IHDR", b"PLTE", b"IDAT", b"IEND", b"tRNS", b"gAMA", b"cHRM", b"sRGB", b"iCCP", b"cICP", b"sBIT", b"bKGD", b"pHYs",
    b"acTL", b"fcTL", b"fdAT",
}  # fmt: skip
_WEBP_KEPT = {b"VP8 ", b"VP8L", b"VP8X", b"ALPH", b"ANIM", b"ANMF", b"ICCP"}
#: In the flags of VP8X: that there is Exif, and XMP.
_WEBP_TOLD = 0x08 | 0x04
_GIF_KEPT = (b"NETSCAPE2.0", b"ANIMEXTS1.0", b"ICCRGBG1012")


def stripped(content: bytes, name: str) -> bytes:
    """The picture alone. ``name``: of its format; one that is not known here stays as it is."""
    strip = _STRIP.get(name)
    return strip(content) if strip else content


def _jpeg(content: bytes) -> bytes:
    """Without application segments and comments, but those that its colours need, and without what follows its end.

    ITU T.81, annex B: a segment is FF, a marker, and its length of two bytes; after a scan's head come its data.
    """
    kept, at = [content[:2]], 2
    while at + 2 <= len(content) and content[at] == 0xFF:
        marker = content[at + 1]
        if marker == 0xFF:  # a fill byte
            at += 1
            continue
        if marker == 0xD9:
            return b"".join([*kept, b"\xff\xd9"])
        end = at + 2 if 0xD0 <= marker <= 0xD7 else at + 2 + int.from_bytes(content[at + 2 : at + 4], "big")
        if marker == 0xDA:
            following = _JPEG_END_OF_SCAN.search(content, end)
            end = following.start() if following else len(content)
        if _jpeg_keeps(marker, content[at + 4 : at + 16]):
            kept.append(content[at:end])
        at = end
    return b"".join(kept)


def _jpeg_keeps(marker: int, begins: bytes) -> bool:
    if marker == _JPEG_PROFILE:
        return begins.startswith(b"ICC_PROFILE\0")
    return marker in _JPEG_KEPT or not (0xE0 <= marker <= 0xEF or marker == 0xFE)


def _png(content: bytes) -> bytes:
    """PNG, ISO/IEC 15948, 5.3: a chunk is its length, its name, its data, and a sum of four bytes."""
    kept, at = [content[:8]], 8
    while at + 8 <= len(content):
        name, end = content[at + 4 : at + 8], at + 12 + int.from_bytes(content[at : at + 4], "big")
        if name in _PNG_KEPT:
            kept.append(content[at:end])
        if name == b"IEND":
            break
        at = end
    return b"".join(kept)


def _webp(content: bytes) -> bytes:
    """WebP, RFC 9649: chunks of a name, a length and data, made even, in one RIFF that says how long it is."""
    kept, at, end = [], 12, min(len(content), 8 + int.from_bytes(content[4:8], "little"))
    while at + 8 <= end:
        name, length = content[at : at + 4], int.from_bytes(content[at + 4 : at + 8], "little")
        body = content[at : at + 8 + length + length % 2]
        if name == b"VP8X":
            body = body[:8] + bytes([body[8] & ~_WEBP_TOLD]) + body[9:]
        if name in _WEBP_KEPT:
            kept.append(body)
        at += 8 + length + length % 2
    inner = b"WEBP" + b"".join(kept)
    return b"RIFF" + len(inner).to_bytes(4, "little") + inner


def _gif(content: bytes) -> bytes:
    """GIF89a: pictures and extensions, each ending in blocks of a length and data; 3B ends it."""
    at = 13 + _gif_colours(content[10])
    kept = [content[:at]]
    while at < len(content) and content[at] in (0x21, 0x2C):
        begin, is_picture = at, content[at] == 0x2C
        at += 11 + _gif_colours(content[at + 9]) if is_picture else 2
        first = at
        while at < len(content) and content[at]:
            at += 1 + content[at]
        at += 1
        if is_picture or _gif_keeps(content[begin + 1], content[first + 1 : first + 12]):
            kept.append(content[begin:at])
    return b"".join([*kept, b"\x3b"])


def _gif_colours(flags: int) -> int:
    return 3 * 2 ** ((flags & 7) + 1) if flags & 0x80 else 0


def _gif_keeps(label: int, application: bytes) -> bool:
    return label == 0xF9 or (label == 0xFF and application in _GIF_KEPT)


_STRIP: dict[str, Callable[[bytes], bytes]] = {"jpg": _jpeg, "png": _png, "webp": _webp, "gif": _gif}
