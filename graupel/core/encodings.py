"""In which encoding a text is written that names none: what its signs would say is weighed."""

import codecs
from collections.abc import Mapping

#: What can be chosen, and what people call it.
ENCODINGS: Mapping[str, str] = {
    "utf-8": "UTF-8",
    "utf-8-sig": "UTF-8 with a mark",
    "utf-16": "UTF-16",
    "utf-16-le": "UTF-16 without a mark",
    "utf-16-be": "UTF-16 without a mark, big end first",
    "cp1252": "Windows, Western Europe",
    "cp1250": "Windows, Central Europe",
    "iso-8859-15": "ISO Latin 9",
    "cp850": "DOS, Western Europe",
    "mac_roman": "Old Macintosh",
}
_MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))
#: The first of equals is taken: by far the most files of spreadsheets are written in it.
_CANDIDATES = ("cp1252", "cp1250", "cp850", "mac_roman")
_WESTERN = set("äöüÄÖÜßéèêëàâáãåæçñîïíìôóòõøœùûúÿÉÈÊÀÂÁÅÆÇÑÎÍÔÓÕØŒÛÚ")
_CENTRAL = set("ąćęłńóśźżĄĆĘŁŃŚŹŻčďěňřšťůžýČĎĚŇŘŠŤŮŽÝőűŐŰĺľŕăâîşţ")
_MARKS_OF_TEXT = set("„“”‘’–—…«»€£§°²³×·½¼¾®©™µ±\u00a0")
#: Of the signs of a text that should be UTF-8, so many may be broken before it is taken for something else.
_BROKEN_SHARE = 0.05


def detect(head: bytes, *, whole_is_utf8: bool) -> str:
    """The encoding of a file from its beginning. ``whole_is_utf8``: whether all of it can be read so."""
    for mark, name in _MARKS:
        if head.startswith(mark):
            return name
    if unmarked := _unmarked_utf16(head):
        return unmarked
    if whole_is_utf8 or _is_broken_utf8(head):
        return "utf-8"
    return max(_CANDIDATES, key=lambda name: _likely(head, name))


def _unmarked_utf16(head: bytes) -> str:
    """UTF-16 that begins with no mark: every other byte of most texts is 0 in it. "" where it is something else."""
    half = max(1, len(head) // 2)
    if head[1::2].count(0) > half * 0.4 and head[::2].count(0) < half * 0.1:
        return "utf-16-le"
    return "utf-16-be" if head[::2].count(0) > half * 0.4 and head[1::2].count(0) < half * 0.1 else ""


def _is_broken_utf8(head: bytes) -> bool:
    """Whether it is UTF-8 with a few bytes that are not: of other encodings hardly two signs in a row look like it."""
    said = head.decode("utf-8", "replace").rstrip("\ufffd")
    broken = said.count("\ufffd")
    whole = sum(ord(sign) > 127 for sign in said) - broken
    return whole > 0 and broken <= max(1, _BROKEN_SHARE * (whole + broken))


def _likely(head: bytes, name: str) -> float:
    """How much what an encoding makes of a text looks like words: letters among letters count, drawings against."""
    said = head.decode(name, "replace")
    points = 0.0
    for at, sign in enumerate(said):
        if sign < "\x80":
            continue
        before, after = said[max(0, at - 1) : at], said[at + 1 : at + 2]
        if sign.isupper() and before.islower():
            points -= 2  # no word has a capital in its middle
        elif sign in _WESTERN or (name == "cp1250" and sign in _CENTRAL):
            letter = 2 if sign in _WESTERN else 1.8
            points += letter if before.isalpha() or after.isalpha() else 0.5
        else:
            points += 0.5 if sign in _MARKS_OF_TEXT else -3
    return points
