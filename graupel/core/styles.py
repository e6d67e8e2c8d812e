"""What pasted text says by its looks, said by elements: bold as strong, a colour as one of ours, centred as a class."""

import html
from html.parser import HTMLParser

import nh3

from graupel.core import colours

_STYLES = {"font-weight", "font-style", "text-decoration", "text-decoration-line", "text-align", "color"}
_HEADINGS = {"h2", "h3", "h4"}
_WORDS = {"span", "a", "strong", "em", "u", "s", "p", *_HEADINGS}
_ALIGNED = {"center": "to-centre", "right": "to-right", "end": "to-right"}
_CLAIMS = {"strong": ("font-weight", {"normal", "400"}), "em": ("font-style", {"normal"})}
_VOID = {"br", "hr", "img"}


def as_markup(text: str) -> str:
    """The text with elements and classes of ours in the place of styles; whatever else it holds stays as it is."""
    lowered = text.lower()
    if not any(sign in lowered for sign in (" style=", " align=", " color=")):
        return text
    found = _Rewriter()
    found.feed(_well_formed(text))
    return found.text


def _well_formed(text: str) -> str:
    """The text with every element closed, and no styles but those that say something."""
    tags = set(nh3.ALLOWED_TAGS) | {"iframe", "font", "section", "main", "center"}
    names = {"*": {"style", "align", "class"}, "a": {"href"}, "img": {"src", "alt"}, "iframe": {"src", "title"}}
    names |= {"td": {"colspan", "rowspan"}, "th": {"colspan", "rowspan"}, "span": {"color"}, "font": {"color"}}
    return nh3.clean(
        text, tags=tags, attributes=names, filter_style_properties=_STYLES, link_rel=None, clean_content_tags=set(_GONE)
    )


_GONE = ("script", "style")


class _Rewriter(HTMLParser):
    def __init__(self) -> None:
        super().__init__(convert_charrefs=False)
        self.text = ""
        self._open: list[list[str]] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = {name: value or "" for name, value in attrs}
        looks = _looks(given)
        if tag in _CLAIMS and looks.get(_CLAIMS[tag][0]) in _CLAIMS[tag][1]:
            tag = "span"
        kept = {name: value for name, value in given.items() if name not in ("style", "align", "color")}
        if tag in ("p", *_HEADINGS) and (aligned := _ALIGNED.get(looks.get("text-align", ""))):
            kept["class"] = aligned
        inner = _said(tag, looks) if tag in _WORDS else []
        opened = inner if tag == "span" and "class" not in kept else [(tag, kept), *inner]
        self.text += "".join(_start(name, more) for name, more in opened)
        if tag not in _VOID:
            self._open.append([name for name, _ in opened])

    def handle_endtag(self, tag: str) -> None:
        if tag not in _VOID and self._open:
            self.text += "".join(f"</{name}>" for name in reversed(self._open.pop()))

    def handle_data(self, data: str) -> None:
        self.text += html.escape(data, quote=False) if "<" in data or ">" in data else data

    def handle_entityref(self, name: str) -> None:
        self.text += f"&{name};"

    def handle_charref(self, name: str) -> None:
        self.text += f"&#{name};"


def _looks(given: dict[str, str]) -> dict[str, str]:
    parts = (part.partition(":") for part in given.get("style", "").lower().split(";"))
    found = {name.strip(): value.strip() for name, _, value in parts}
    found |= {"text-align": given["align"].lower()} if "align" in given else {}
    return found | ({"color": given["color"]} if "color" in given else {})


def _said(tag: str, looks: dict[str, str]) -> list[tuple[str, dict[str, str]]]:
    """The elements that say what the looks say, from outside in."""
    weight = looks.get("font-weight", "")
    lines = looks.get("text-decoration", "") + looks.get("text-decoration-line", "")
    is_bold = weight.startswith("bold") or (weight.isdigit() and len(weight) <= 4 and int(weight) >= 600)
    said: list[tuple[str, dict[str, str]]] = []
    if is_bold and tag not in ("strong", *_HEADINGS):
        said.append(("strong", {}))
    if looks.get("font-style", "") in ("italic", "oblique") and tag != "em":
        said.append(("em", {}))
    if "underline" in lines and tag not in ("u", "a"):
        said.append(("u", {}))
    if "line-through" in lines and tag != "s":
        said.append(("s", {}))
    if tag != "a" and (colour := colours.nearest(looks.get("color", ""))):
        said.append(("span", {"class": f"in-{colour}"}))
    return said


def _start(tag: str, given: dict[str, str]) -> str:
    return f"<{tag}{''.join(f' {name}={chr(34)}{html.escape(value)}{chr(34)}' for name, value in given.items())}>"
