"""What is sent from outside, and may be anything."""

import json
import re
from collections.abc import Iterable
from typing import Any

from graupel.core.errors import Refused

#: Python reads no number of more than 4,300 digits (sys.int_info), and no number here has nearly as many.
MOST_DIGITS = 4000


def read_json(text: str | bytes) -> Any:
    """JSON that somebody else wrote. Raises ValueError, also where it is nested too deep or holds half a sign."""
    try:
        found = json.loads(text)
        # What JSON escapes may be half of a pair (RFC 8259, 8.2), which no database takes and no page can show.
        json.dumps(found, ensure_ascii=False).encode()
        return found
    except RecursionError as error:
        raise ValueError("nested too deep") from error


def refuse_endless_numbers(texts: Iterable[str]) -> None:
    """Raises Refused where a text has a number that can't be read as one."""
    for text in texts:
        if len(text) > MOST_DIGITS and any(len(digits) > MOST_DIGITS for digits in re.findall(r"\d+", text)):
            raise Refused.because("number.endless", f"No number of more than {MOST_DIGITS:,} digits is taken.")
