"""JSON, JSON Lines and XML: which of their elements are the rows, and each of them laid flat.

A row's columns are the paths to its values: ``offer.price`` in JSON, ``offer/price`` and ``price/@currency`` in XML. Of
values that stand several times at one path each is kept, parted by commas; of elements with parts of their own each has
its number in the path.
"""

import json
from collections import Counter
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element, ParseError

import ijson
from defusedxml import DefusedXmlException
from defusedxml.ElementTree import iterparse

from graupel.core.errors import Refused
from graupel.tables.shapes import LONGEST_CELL, Kind

#: A table has at most so many columns, and an element stands at most so deep.
MOST_COLUMNS, DEEPEST, MOST_PATHS = 3_000, 40, 20_000
LONGEST_LINE = 20_000_000
#: A row laid flat, with its place and why it can't be read.
Flat = tuple[int, str, dict[str, str]]


def parts(path: Path, kind: Kind) -> list[str]:
    """Where rows may stand, the likeliest first: keys of JSON, paths of XML; of JSON Lines nothing is to be chosen.

    Raises Refused.
    """
    if kind is Kind.LINES:
        return []
    return _json_parts(path) if kind is Kind.JSON else _xml_parts(path)


def rows(path: Path, kind: Kind, part: str) -> Iterator[Flat]:
    """The rows, laid flat. Raises Refused where the file can't be read on."""
    if kind is Kind.LINES:
        return _lines(path)
    return _json_rows(path, part) if kind is Kind.JSON else _xml_rows(path, part)


# --- JSON ----------------------------------------------------------------------------------------------------


def _json_parts(path: Path) -> list[str]:
    """Arrays of objects, the ones nearest to the root first, of these the longest."""
    found: Counter[str] = Counter()
    deepest = 0
    try:
        with path.open("rb") as file:
            for prefix, event, _ in ijson.parse(file):
                deepest = max(deepest, prefix.count("."))
                if event == "start_map" and (prefix == "item" or prefix.endswith(".item")) and len(found) < MOST_PATHS:
                    found[prefix] += 1
                if deepest > DEEPEST:
                    raise _too_deep()
    except (ijson.JSONError, UnicodeDecodeError) as error:
        raise _broken_json(error) from error
    return sorted(found, key=lambda prefix: (prefix.count("."), -found[prefix])) or [""]


def _json_rows(path: Path, part: str) -> Iterator[Flat]:
    number = 0
    try:
        with path.open("rb") as file:
            for number, one in enumerate(ijson.items(file, part), 1):
                yield number, "", flattened(one)
    except (ijson.JSONError, UnicodeDecodeError) as error:
        raise _broken_json(error, number) from error


def _broken_json(error: Exception, after: int = 0) -> Refused:
    where = f" after its row {after}" if after else ""
    said = f"This JSON can't be read{where} ({str(error).splitlines()[0][:120]}). It may be cut off: write it anew."
    return Refused.because("json.broken", said, "file")


def _lines(path: Path) -> Iterator[Flat]:
    with path.open("rb") as file:
        number = 0
        while line := file.readline(LONGEST_LINE):
            number += 1
            if not line.strip():
                continue
            try:
                found = json.loads(line.decode("utf-8-sig" if number == 1 else "utf-8"), parse_float=Decimal)
                if not isinstance(found, dict):
                    raise ValueError("a row begins with {")
                yield number, "", flattened(found)
            except (ValueError, RecursionError) as error:  # JSONDecodeError and UnicodeDecodeError are among these
                yield number, f"This line is no JSON ({str(error)[:120]}). Mend it in the file.", {}


def flattened(value: Any) -> dict[str, str]:
    """A value of JSON laid flat: path to text. Raises Refused where it is too deep or too wide."""
    found: dict[str, str] = {}
    _flatten(value, "", found, 0)
    return found


def _flatten(value: Any, at: str, found: dict[str, str], depth: int) -> None:
    if depth > DEEPEST:
        raise _too_deep()
    inner = f"{at}." if at else ""
    if isinstance(value, dict):
        for key, one in value.items():
            _flatten(one, f"{inner}{key}", found, depth + 1)
    elif isinstance(value, list) and value and all(map(_is_property, value)):
        for one in value:
            _flatten(one["value"], f"{one['name']}", found, depth + 1)
    elif isinstance(value, list) and any(isinstance(one, dict | list) for one in value):
        for number, one in enumerate(value, 1):
            _flatten(one, f"{inner}{number}", found, depth + 1)
    else:
        _put(found, at or "value", ", ".join(map(_scalar, value)) if isinstance(value, list) else _scalar(value))


def _is_property(value: Any) -> bool:
    """A value with its own name (schema.org, PropertyValue): that is its column, wherever it stands."""
    return isinstance(value, dict) and value.get("@type") == "PropertyValue" and {"name", "value"} <= value.keys()


def _put(found: dict[str, str], at: str, text: str) -> None:
    if len(text) > LONGEST_CELL:
        said = f"At “{at[:80]}” stands a value of more than {LONGEST_CELL:,} signs. Shorten it."
        raise Refused.because("file.long", said, "file")
    if text:
        found[at] = text
        if len(found) > MOST_COLUMNS:
            raise Refused.because("file.columns", f"A row has more than {MOST_COLUMNS:,} values.", "file")


def _scalar(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return f"{value:f}" if isinstance(value, Decimal | float) else str(value)


def _too_deep() -> Refused:
    return Refused.because("file.deep", f"Its parts stand in each other more than {DEEPEST} deep.", "file")


# --- XML -----------------------------------------------------------------------------------------------------


def _xml_parts(path: Path) -> list[str]:
    """Paths of elements with parts of their own that stand several times, the nearest to the root first."""
    counts: Counter[tuple[str, ...]] = Counter()
    inner: set[tuple[str, ...]] = set()
    at: list[str] = []
    for event, element in _events(path):
        if event == "start":
            if at:
                inner.add(tuple(at))
            at.append(_name(element))
            if len(counts) < MOST_PATHS:
                counts[tuple(at)] += 1
            if element.attrib:
                inner.add(tuple(at))
            if len(at) > DEEPEST:
                raise _too_deep()
        else:
            at.pop()
    rows = [one for one in counts if one in inner and len(one) > 1]
    several = [one for one in rows if counts[one] > 1] or rows or list(counts)[:1]
    return ["/".join(one) for one in sorted(several, key=lambda one: (len(one), -counts[one]))[:50]]


def _xml_rows(path: Path, part: str) -> Iterator[Flat]:
    wanted, number = part.split("/"), 0
    at: list[str] = []
    outer: list[Element] = []
    for event, element in _events(path):
        if event == "start":
            at.append(_name(element))
            outer.append(element)
            continue
        if at == wanted:
            number += 1
            found: dict[str, str] = {}
            _lay(element, "", found, 0)
            yield number, "", found
        at.pop()
        outer.pop()
        if at[: len(wanted)] != wanted:  # what is read is let go, so that memory stays flat
            element.clear()
            if outer:
                outer[-1].remove(element)


def _events(path: Path) -> Iterator[tuple[str, Element]]:
    try:
        with path.open("rb") as file:
            yield from iterparse(file, ("start", "end"), forbid_dtd=True)
    except DefusedXmlException as error:
        said = "This XML brings definitions of its own (DOCTYPE), which are not read here. Write it without them."
        raise Refused.because("xml.definitions", said, "file") from error
    except (ParseError, UnicodeDecodeError, LookupError, ValueError) as error:
        said = f"This XML can't be read on ({str(error)[:120]}). It may be cut off: write it anew."
        raise Refused.because("xml.broken", said, "file") from error


def _name(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def _lay(element: Element, at: str, found: dict[str, str], depth: int) -> None:
    if depth > DEEPEST:
        raise _too_deep()
    inner = f"{at}/" if at else ""
    for name, value in element.attrib.items():
        _put(found, f"{inner}@{name.rpartition('}')[2]}", value.strip())
    times = Counter(_name(child) for child in element)
    numbers: Counter[str] = Counter()
    text = (element.text or "").strip()
    if text and at:
        _put(found, at, f"{found[at]}, {text}" if at in found else text)
    for child in element:
        name = _name(child)
        numbers[name] += 1
        apart = times[name] > 1 and (len(child) > 0 or child.attrib)
        _lay(child, f"{inner}{name}/{numbers[name]}" if apart else f"{inner}{name}", found, depth + 1)
