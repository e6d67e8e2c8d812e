"""Colours of text: told from what was pasted, measured against the page, and brought to those that we have.

Source of the measure: WCAG 2.2, relative luminance and contrast ratio. 4.5 is asked of text.
"""

import re

PAGE = "#FFFFFF"
INK = "#1F2D2C"
LEAST_CONTRAST = 4.5
#: The colours that text may have beside ink, by name; each can be read on the page.
TEXT = {
    "pine": "#1D5C57",
    "frost": "#3C6A8C",
    "heather": "#6B4A86",
    "rowan": "#B0412E",
    "peat": "#6E4A2E",
    "straw": "#7A5B0C",
    "muted": "#5B6A68",
}
_HEX = re.compile(r"#([0-9a-f]{6}|[0-9a-f]{3})", re.IGNORECASE)
_RGB = re.compile(r"rgba?\(\s*([0-9]{1,3})\s*[, ]\s*([0-9]{1,3})\s*[, ]\s*([0-9]{1,3})[^)]*\)", re.IGNORECASE)
_NAMED = {"red": "#ff0000", "green": "#008000", "blue": "#0000ff", "purple": "#800080", "orange": "#ffa500"}
_NAMED |= {"gray": "#808080", "grey": "#808080", "brown": "#a52a2a", "black": "#000000", "white": "#ffffff"}


def parse(text: str) -> tuple[int, int, int] | None:
    """Red, green and blue, 0 to 255, of a colour as CSS writes it; None where it is none that is known here."""
    text = _NAMED.get(text.strip().lower(), text.strip())
    if found := _HEX.fullmatch(text):
        digits = found[1] if len(found[1]) == 6 else "".join(2 * digit for digit in found[1])
        return int(digits[:2], 16), int(digits[2:4], 16), int(digits[4:], 16)
    if found := _RGB.fullmatch(text):
        red, green, blue = (min(int(part), 255) for part in found.groups())
        return red, green, blue
    return None


def _luminance(colour: tuple[int, int, int]) -> float:
    def linear(part: int) -> float:
        share = part / 255
        return share / 12.92 if share <= 0.04045 else ((share + 0.055) / 1.055) ** 2.4

    red, green, blue = map(linear, colour)
    return float(0.2126 * red + 0.7152 * green + 0.0722 * blue)


def contrast(one: str, other: str) -> float:
    """The contrast ratio of two colours, 1 to 21. Raises ValueError where one is none."""
    found = [parse(one), parse(other)]
    if None in found:
        raise ValueError(f"{one} or {other} is no colour.")
    low, high = sorted(_luminance(colour) for colour in found if colour)
    return (high + 0.05) / (low + 0.05)


def nearest(text: str) -> str | None:
    """The name of our colour that is nearest to a pasted one; None for ink, near black, and what is no colour.

    A colour too pale to be read on the page becomes one of ours that can be.
    """
    wanted = parse(text)
    if wanted is None:
        return None

    def distance(colour: str) -> int:
        return sum((a - b) ** 2 for a, b in zip(parse(colour) or wanted, wanted, strict=True))

    found = min({**TEXT, "": INK, " ": "#000000"}.items(), key=lambda one: distance(one[1]))[0]
    return found.strip() or None
