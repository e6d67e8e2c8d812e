"""Rich text as it is kept: cleaned to a short list of HTML that says what text is, not how it looks."""

import html
import re
from collections.abc import Collection

import nh3

from graupel.core import colours, styles

#: What a description may hold: element -> attributes. Everything else is dropped, its text kept.
ALLOWED: dict[str, set[str]] = {
    "p": {"class"},
    "br": set(),
    "strong": set(),
    "em": set(),
    "u": set(),
    "s": set(),
    "h2": {"class"},
    "h3": {"class"},
    "h4": {"class"},
    "ul": set(),
    "ol": set(),
    "li": set(),
    "blockquote": set(),
    "hr": set(),
    "a": {"href"},
    # Pictures of our own library only: a page must not send its readers' addresses elsewhere.
    "img": {"src", "alt"},
    # The colour of words; of the classes in CLASSES alone.
    "span": {"class"},
    # What is embedded from elsewhere; shown only where the settings allow its host.
    "iframe": {"src", "title"},
    "table": set(),
    "thead": set(),
    "tbody": set(),
    "tr": set(),
    "th": {"colspan", "rowspan"},
    "td": {"colspan", "rowspan"},
}
ALIGNED = {"center": "to-centre", "right": "to-right"}
CLASSES = {f"in-{name}" for name in colours.TEXT} | set(ALIGNED.values())
_LOOKS_LIKE_HTML = re.compile(r"</?[a-zA-Z][^>]*>")
_OURS = {"h1": "h2", "h5": "h4", "h6": "h4", "b": "strong", "i": "em", "strike": "s", "del": "s", "font": "span"}
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
        styles.as_markup(_in_our_words(text)),
        tags=set(ALLOWED),
        attributes={tag: names for tag, names in ALLOWED.items() if names},
        url_schemes={"http", "https", "mailto"},
        link_rel="noopener nofollow",
        clean_content_tags={"script", "style"},
        attribute_filter=_kept_attribute,
    )
    cleaned = re.sub(r"<a(?![^>]*\shref=)[^>]*>(.*?)</a>", r"\1", cleaned, flags=re.DOTALL)
    cleaned = re.sub(r"<img(?![^>]*\ssrc=)[^>]*>", "", cleaned)
    cleaned = re.sub(r"<iframe(?![^>]*\ssrc=)[^>]*></iframe>", "", cleaned)
    cleaned = re.sub(r"<span>((?:(?!<span).)*?)</span>", r"\1", cleaned, flags=re.DOTALL)
    return "" if _EMPTY.fullmatch(cleaned) else cleaned


def outside_pictures(text: str) -> int:
    """How many pictures of a text stand elsewhere: they are left out when it is kept."""
    sources = re.findall(r"""<img\b[^>]*?\ssrc\s*=\s*["']?([^"'\s>]*)""", text, re.IGNORECASE)
    return sum(not _OWN_PICTURE.fullmatch(source) for source in sources)


def shown(markup: str, hosts: Collection[str]) -> str:
    """Kept rich text as buyers see it; what is embedded from other hosts than these is a link to it."""

    def embed(found: re.Match[str]) -> str:
        given = dict(re.findall(r'(\w+)="([^"]*)"', found[0]))
        source, title = given.get("src", ""), given.get("title", "")
        if host_of(source) in hosts:
            return f'<iframe src="{source}" title="{title or host_of(source)}" loading="lazy" allowfullscreen></iframe>'
        return f'<a href="{source}" rel="noopener nofollow">{title or host_of(source)}</a>'

    return re.sub(r"<iframe [^>]*></iframe>", embed, markup) if "<iframe" in markup else markup


def host_of(address: str) -> str:
    """The host of a whole address, in small letters; "" where there is none."""
    found = re.match(r"https://([^/?#:@\\\s]+)(?=[/?#]|$)", address, re.IGNORECASE)
    return found[1].lower() if found else ""


def _in_our_words(markup: str) -> str:
    """Elements that say the same as one of ours: a page has one first heading already, and bold is meant as strong."""
    return _SAME.sub(lambda found: f"<{found[1]}{_OURS[found[2].lower()]}{found[3]}", markup)


def _kept_attribute(tag: str, name: str, value: str) -> str | None:
    if tag == "img" and name == "src" and not _OWN_PICTURE.fullmatch(value):
        return None
    if name == "class":
        return " ".join(one for one in value.split() if one in CLASSES) or None
    if tag == "iframe" and name == "src" and not host_of(value):
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
