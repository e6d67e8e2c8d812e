"""XLIFF 2.0 (OASIS Standard, 2014): texts out to translators' tools and in again.

Tags of rich text stand as <ph/> with their markup in <originalData>, so that a tool keeps them whole.
"""

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from html import escape
from io import StringIO
from xml.etree.ElementTree import Element
from xml.sax.saxutils import XMLGenerator
from xml.sax.xmlreader import AttributesImpl

from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException

from graupel.core.errors import Refused
from graupel.core.wording import State
from graupel.features.translating.service import Text

NAMESPACE = "urn:oasis:names:tc:xliff:document:2.0"
_TAG = re.compile(r"<[^>]+>")
#: What XML can't hold.
_CONTROL = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f￾￿]")
_STATES = {State.MISSING: "initial", State.OUTDATED: "translated", State.DONE: "final"}


@dataclass(frozen=True)
class Unit:
    """A text of a file: its key, the original as it went out, the translation; ``line``: its number in the file."""

    key: str
    source: str
    target: str
    line: int


def write(texts: Iterable[tuple[Text, str]], source_lang: str, target_lang: str) -> Iterator[str]:
    """A document in pieces. One file element holds all units: their ids say what they are."""
    out = StringIO()
    xml = XMLGenerator(out, "utf-8", short_empty_elements=True)

    def piece() -> str:
        text = out.getvalue()
        out.seek(0)
        out.truncate()
        return text

    xml.startDocument()
    xml.startElement(
        "xliff", AttributesImpl({"xmlns": NAMESPACE, "version": "2.0", "srcLang": source_lang, "trgLang": target_lang})
    )
    xml.startElement("file", AttributesImpl({"id": "catalogue"}))
    for text, title in texts:
        _unit(xml, text, title)
        yield piece()
    xml.endElement("file")
    xml.endElement("xliff")
    xml.endDocument()
    yield piece()


def _unit(xml: XMLGenerator, text: Text, title: str) -> None:
    xml.startElement("unit", AttributesImpl({"id": text.key, "name": _CONTROL.sub("", f"{title}: {text.words.label}")}))
    tags: dict[str, str] = {}
    if text.words.rich:
        for tag in _TAG.findall(text.original + text.value):
            tags.setdefault(tag, f"d{len(tags) + 1}")
    if tags:
        xml.startElement("originalData", AttributesImpl(dict[str, str]()))
        for tag, name in tags.items():
            xml.startElement("data", AttributesImpl({"id": name}))
            xml.characters(tag)
            xml.endElement("data")
        xml.endElement("originalData")
    xml.startElement("segment", AttributesImpl({"state": _STATES[text.state]}))
    for element, said in (("source", text.original), ("target", text.value)):
        if element == "source" or said:
            xml.startElement(element, AttributesImpl({"xml:space": "preserve"}))
            _content(xml, said, tags)
            xml.endElement(element)
    xml.endElement("segment")
    xml.endElement("unit")


def _content(xml: XMLGenerator, said: str, tags: dict[str, str]) -> None:
    if not tags:
        xml.characters(_CONTROL.sub("", said))
        return
    at = 0
    for number, found in enumerate(_TAG.finditer(said), start=1):
        xml.characters(_plain(said[at : found.start()]))
        xml.startElement("ph", AttributesImpl({"id": str(number), "dataRef": tags[found[0]]}))
        xml.endElement("ph")
        at = found.end()
    xml.characters(_plain(said[at:]))


def _plain(html: str) -> str:
    """The text between tags: its entities are XML's business from here on."""
    text = html.replace("&lt;", "<").replace("&gt;", ">").replace("&quot;", '"').replace("&#39;", "'")
    return _CONTROL.sub("", text.replace("&nbsp;", "\u00a0").replace("&amp;", "&"))


def read(content: bytes) -> tuple[str, list[Unit]]:
    """The target language and the units of a document. Raises Refused where it is none, or can't be read."""
    try:
        root = ElementTree.fromstring(content, forbid_dtd=True)
    except (ElementTree.ParseError, DefusedXmlException, ValueError, LookupError) as error:
        raise Refused.because("xliff.broken", f"This is no XML that can be read: {_why(error)}", "file") from error
    if root.tag != f"{{{NAMESPACE}}}xliff":
        raise Refused.because("xliff.version", "This is no XLIFF 2.0. Save it as that, or bring in a table.", "file")
    try:
        return root.get("trgLang", ""), list(_units(root))
    except RecursionError as error:
        raise Refused.because(
            "xliff.deep", "This file is nested far too deeply to be a translation.", "file"
        ) from error


def _why(error: Exception) -> str:
    """What is wrong with an XML, in a sentence."""
    if isinstance(error, ElementTree.ParseError) and error.position[0]:
        line, column = error.position
        return f"something is wrong in line {line}, at character {column + 1}. Save it anew where it was made."
    if isinstance(error, LookupError):
        return "nobody knows the encoding that it names. Save it as UTF-8."
    if isinstance(error, DefusedXmlException):
        return "it defines a document type, which translations do not need. Save it without."
    return "it holds signs that XML can't. Save it as UTF-8."


def _units(root: Element) -> Iterator[Unit]:
    for number, unit in enumerate(root.iter(f"{{{NAMESPACE}}}unit"), start=1):
        tags = {one.get("id", ""): one.text or "" for one in unit.iter(f"{{{NAMESPACE}}}data")}
        source, target = (
            "".join(_text(one, tags) for one in unit.iter(f"{{{NAMESPACE}}}{name}")) for name in ("source", "target")
        )
        yield Unit(unit.get("id", ""), source, target, number)


def _text(element: Element, tags: dict[str, str]) -> str:
    """What an element holds; where the unit has markup, its text is escaped as the markup's is."""
    said = escape if tags else str
    parts = [said(element.text or "", **({"quote": False} if tags else {}))]
    for child in element:
        parts.append(tags.get(child.get("dataRef", ""), "") or _text(child, tags))
        parts.append(said(child.tail or "", **({"quote": False} if tags else {})))
    return "".join(parts)
