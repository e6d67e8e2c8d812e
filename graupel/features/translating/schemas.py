"""What the translating view and its files send and ask."""

from typing import Literal

from graupel.core.wording import State
from graupel.features.translating.store import Asked
from graupel.web.sent import File, MaybeWhole, Search, Sent, Ticked


class Worklist(Sent):
    """Texts of a state, with words, of live goods alone; ``state``: None where the address does not say in which."""

    state: Literal["missing", "outdated", "done", "all", ""] | None = None
    q: Search = ""
    live: Ticked = False
    kind: str = ""
    after: MaybeWhole = None

    def asked(self, otherwise: State | None) -> Asked:
        """``otherwise``: the state where the address does not say in which."""
        named = State(self.state) if self.state in tuple(State) else None
        state = otherwise if self.state is None else named
        return Asked(state, self.q, self.live)


class TakenOut(Worklist):
    """The same as a file."""

    form: Literal["xliff", "csv"] = "xliff"


class Written(Sent):
    """A translation; ``confirm``: it still holds although its original changed."""

    value: str = ""
    confirm: Ticked = False


class Uploaded(Sent):
    """A file with translations."""

    file: File = None


class NamedFile(Sent):
    """A file, by the name that it came with."""

    name: str = "file"

    @property
    def file_name(self) -> str:
        return self.name[:120]


class Planned(NamedFile):
    """The dry run of a file: what of it is shown, and how many texts were left out because they had changed."""

    show: str = ""
    q: Search = ""
    after: MaybeWhole = None
    left_out: MaybeWhole = None


class Applied(NamedFile):
    """What is brought in: a file, and what its dry run showed."""

    seen: str = ""
