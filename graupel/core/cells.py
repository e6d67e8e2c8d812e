"""Cells that a spreadsheet would run: made harmless in tables that go out, and read as they were when they come back.

A spreadsheet takes a cell that begins with one of these signs for a formula, whoever wrote it (OWASP, CSV injection).
"""

import re

_RUNS = re.compile(r"'*[=+\-@\t\r]")
#: With these signs begins whatever has to be made harmless.
RISKY = ("=", "+", "-", "@", "\t", "\r", "'")
_NUMBER = re.compile(r"[+-]?[0-9]+(?:[.,][0-9]+)*(?: ?%)?")


def harmless(text: str) -> str:
    """The text, with a quotation mark before it where a spreadsheet would run it; numbers stay numbers."""
    return f"'{text}" if _RUNS.match(text) and not _NUMBER.fullmatch(text) else text


def as_was(text: str) -> str:
    """What ``harmless`` was given."""
    return text[1:] if text.startswith("'") and _RUNS.match(text[1:]) else text
