"""How a file is refused."""

from typing import NoReturn

from graupel.core.errors import Refused


def refuse(code: str, message: str, error: Exception | None = None) -> NoReturn:
    """Raise Refused for a file; ``error``: what the library that tried to read it said."""
    raise Refused.because(f"media.{code}", message, "pictures") from error
