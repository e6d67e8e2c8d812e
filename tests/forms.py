"""A page's form as a browser would send it: every field with what stands in it."""

from urllib.parse import parse_qs, urlencode

import lxml.html


def form_of(page: str, action: str) -> dict[str, list[str]]:
    """The fields of the form that is sent to ``action``, by name."""
    for form in lxml.html.fromstring(page).forms:
        if form.get("hx-post") == action:
            return parse_qs(urlencode([(name, value or "") for name, value in form.form_values()]), True)
    raise AssertionError(f"No form is sent to {action}.")
