"""Profiles: the rules of a file kept by the headers of its columns, for the next file that has these."""

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from graupel.core.columns import Rule
from graupel.core.guessing import plain

NAME_LENGTH = 80
#: Of the headers of a file so many must be known to a profile that is taken by itself.
MOST_OF_THEM = 0.8


def kept(headers: Sequence[str], rules: Iterable[Rule]) -> str:
    """Rules as a profile keeps them: each with the header of its column. Columns without one can't be kept."""
    found = []
    for rule in rules:
        header = headers[rule.column] if rule.column is not None else None
        if header != "":
            found.append({"header": header, **replace(rule, column=None).as_dict()})
    return json.dumps(found, ensure_ascii=False, sort_keys=True)


def _said(text: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = json.loads(text)
    return found


def headers_of(text: str) -> set[str]:
    """The headers that a profile knows, as they are compared."""
    return {plain(one["header"]) for one in _said(text) if one["header"] is not None}


def shown_headers(text: str) -> list[str]:
    """The headers that a profile knows, as they were written."""
    return list(dict.fromkeys(one["header"] for one in _said(text) if one["header"] is not None))


def fitted(text: str, headers: Sequence[str]) -> tuple[list[Rule], list[str]]:
    """The rules of a profile for a file with these headers, and the headers it knows that the file has not."""
    places: dict[str, int] = {}
    for column, header in enumerate(headers):
        places.setdefault(plain(header), column)
    rules, missing = [], []
    for one in _said(text):
        header = one.pop("header")
        if header is None:
            rules.append(Rule.of(one | {"column": None}))
        elif plain(header) in places:
            rules.append(Rule.of(one | {"column": places[plain(header)]}))
        else:
            missing.append(header)
    return rules, list(dict.fromkeys(missing))


def best(profiles: Mapping[int, str], headers: Sequence[str]) -> int | None:
    """The profile that a file is read by: all of its headers are there, and they are most of the file's; of several
    the one that knows the most."""
    there = {plain(header) for header in headers} - {""}
    fitting = {
        profile_id: len(known)
        for profile_id, text in profiles.items()
        if (known := headers_of(text)) and known <= there and len(known) >= MOST_OF_THEM * len(there)
    }
    return max(fitting, key=lambda profile_id: (fitting[profile_id], profile_id)) if fitting else None
