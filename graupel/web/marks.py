"""What a page showed travels with its form, so that a save knows what somebody else changed since."""

import json
from collections.abc import Mapping
from typing import Any

from markupsafe import Markup

from graupel.core import changes

#: Read by `web.sent.Marks`.
NAME = "marks"


def field(values: Mapping[str, Any], told: Mapping[str, str] | None = None) -> Markup:
    """The hidden field of a form that shows these values; ``told``: of one that is shown again (web/again.py)."""
    return again(changes.marks(values) if told is None else told)


def again(marks: Mapping[str, str]) -> Markup:
    """The hidden field with marks that are known."""
    return Markup('<input type="hidden" name="{}" value="{}">').format(NAME, json.dumps(marks))
