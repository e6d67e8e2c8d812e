"""Rich text as it is kept: cleaned to a short list of HTML that says what text is, not how it looks."""

import html
import re

import nh3

#: What a description may hold: element -> attributes. Everything else is dropped, its text kept.
ALLOWED: dict[str, set[str]] = {
    "p": set(),
    "br": set(),
    "strong": set(),
    "em": set(),
    "u": set(),
    "s": set(),
    "h2": set(),
    "h3": set(),
    "h4": set(),
    "ul": set(),
    "ol": set(),
    "li": set(),
    "blockquote": set(),
    "hr": set(),
    "a": {"href"},
    # Pictures of our own library only: a page must not send its readers' addresses elsewhere.
    "img": {"src", "alt"},
    "table": set(),
    "thead": set(),
    "tbody": set(),
    "tr": set(),
    "th": {"colspan", "rowspan"},
    "td": {"colspan", "rowspan"},
}
_LOOKS_LIKE_HTML = re.compile(r"</?[a-zA-Z][^>]*>")
_OURS = {"h1": "h2", "h5": "h4", "h6": "h4", "b": "strong", "i": "em", "strike": "s", "del": "s"}
_SAME = re.compile(rf"<(/?)({'|'.join(_OURS)})(\s[^>]*>|\s*/?>)", re.IGNORECASE)
_OWN_PICTURE = re.compile(r"/media/[0-9a-zA-Z_./-]+")
_EMPTY = re.compile(r"(?:<p>(?:\s|&nbsp;|<br>)*</p>|\s|<br>)*")


def clean(text: str) -> str:
    """Safe HTML: only ALLOWED, links to http, https or mail, own pictures; plain text becomes paragraphs."""
    if not text.strip():
        return ""
    if not _LOOKS_LIKE_HTML.search(text):
        return from_plain(text)
    cleaned = nh3.clean(
        _in_our_words(text),
        tags=set(ALLOWED),
        attributes={tag: names for tag, names in ALLOWED.items() if names},
        url_schemes={"http", "https", "mailto"},
        link_rel="noopener nofollow",
        clean_content_tags={"script", "style"},
        attribute_filter=_kept_attribute,
    )
    cleaned = re.sub(r"<a(?![^>]*\shref=)[^>]*>(.*?)</a>", r"\1", cleaned, flags=re.DOTALL)
    cleaned = re.sub(r"<img(?![^>]*\ssrc=)[^>]*>", "", cleaned)
    return "" if _EMPTY.fullmatch(cleaned) else cleaned


def _in_our_words(markup: str) -> str:
    """Elements that say the same as one of ours: a page has one first heading already, and bold is meant as strong."""
    return _SAME.sub(lambda found: f"<{found[1]}{_OURS[found[2].lower()]}{found[3]}", markup)


def _kept_attribute(tag: str, name: str, value: str) -> str | None:
    if tag == "img" and name == "src" and not _OWN_PICTURE.fullmatch(value):
        return None
    return link_address(value) if tag == "a" and name == "href" else value


def link_address(text: str) -> str | None:
    """Where a link leads, from what was typed: a whole address, a path of our own, a bare host or e-mail address.

    None where it is none, or would lead elsewhere under the look of a path of ours (``//host``, ``/\\host``).
    """
    text = text.strip()
    if re.match(r"(?:https?://|mailto:)\S+$", text, re.IGNORECASE) or re.match(r"(?:/(?![/\\])|#)\S*$", text):
        return text
    if re.match(r"[^\s@/:]+@[^\s@/:]+\.[^\s@/:]+$", text):
        return f"mailto:{text}"
    if re.match(r"(?:[\w-]+\.)+[^\W\d_]{2,}(?:[/?#]\S*)?$", text):
        return f"https://{text}"
    return None


def from_plain(text: str) -> str:
    """Paragraphs made of plain text: a blank line ends one, a single line break stays one."""
    blocks = [block.strip() for block in re.split(r"\n\s*\n", text.replace("\r\n", "\n")) if block.strip()]
    return "".join(
        "<p>" + "<br>".join(html.escape(line, quote=False) for line in block.split("\n")) + "</p>" for block in blocks
    )


def to_plain(markup: str) -> str:
    """The words alone, one line for each block."""
    spaced = re.sub(r"</(?:p|li|h[2-4]|tr|blockquote)>|<br>", "\n", markup)
    return html.unescape(nh3.clean(spaced, tags=set())).strip()
