"""What is prepared by a reference to something that is there already: who does it, and where it is looked at."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core.roles import Actor


@dataclass(frozen=True)
class Provider:
    """``label``: what it is; ``link``: of its dry run, from its id; ``begin``: does it in the background, returns the
    job's id, and raises Refused where that can't be."""

    label: str
    link: Callable[[int], str]
    begin: Callable[[Context, Actor, int, Mapping[str, Any]], int]


_PROVIDERS: dict[str, Provider] = {}


def register(kind: str, provider: Provider) -> None:
    """Let something be prepared by reference."""
    _PROVIDERS[kind] = provider


def of(kind: str) -> Provider:
    """Who does a kind of it."""
    return _PROVIDERS[kind]
