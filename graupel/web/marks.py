"""What a page showed travels with its form, so that a save knows what somebody else changed since."""

import json
from collections.abc import Mapping
from typing import Any

from markupsafe import Markup
from starlette.datastructures import FormData

from graupel.core import changes
from graupel.core.sent import read_json

NAME = "marks"
_MOST = 200_000


def field(values: Mapping[str, Any]) -> Markup:
    """The hidden field of a form that shows these values."""
    return again(changes.marks(values))


def again(marks: Mapping[str, str]) -> Markup:
    """The hidden field with marks that are known."""
    return Markup('<input type="hidden" name="{}" value="{}">').format(NAME, json.dumps(marks))


def read(form: FormData) -> dict[str, str] | None:
    """What a form says it showed; None where it says nothing that can be read."""
    text = str(form.get(NAME, ""))
    try:
        found = read_json(text) if len(text) < _MOST else None
    except ValueError:
        return None
    return {str(name): str(mark) for name, mark in found.items()} if isinstance(found, dict) else None
