"""Files that go by themselves: what is read of a form. When they are written is core.sources' rule."""

import re
from collections.abc import Mapping
from dataclasses import dataclass

from graupel.core import sources
from graupel.core.errors import Refused
from graupel.core.problems import Problem

NAME_LENGTH = 80
#: A name that is a file's on every system.
_NAME = re.compile(r"[^\W_][\w .-]*")


@dataclass(frozen=True)
class Outlet:
    """What a file that goes is called, without its ending, and when it is written, as core.sources has it."""

    name: str
    every: str = sources.DAY
    minute: int = 0


def read(texts: Mapping[str, str]) -> Outlet:
    """What was typed. Raises Refused with a problem for each field that is wrong."""
    problems: list[Problem] = []
    name = " ".join(texts.get("name", "").split())
    if not _NAME.fullmatch(name) or name.endswith(".") or len(name) > NAME_LENGTH:
        said = f"Letters, digits, blanks, - and . make its name, at most {NAME_LENGTH}: such as Stock for the till."
        problems.append(Problem("outlet.name", said, "name"))
    every = sources.HOUR if texts.get("every") == sources.HOUR else sources.DAY
    minute = 0
    try:
        minute = sources.read_minute(texts.get("at", "").strip(), every)
    except Refused as refusal:
        problems += [problem.at(field="at") for problem in refusal.problems]
    if problems:
        raise Refused(problems)
    return Outlet(name, every, minute)
