"""What the pages of files that come in send and ask."""

from typing import Annotated, Literal

from graupel.core.imports import COLUMNS
from graupel.web.sent import File, MaybeWhole, Named, Search, Sent, Ticked, Whole, one_of


class Uploaded(Sent):
    """A file to bring in."""

    file: File = None


class Shown(Sent):
    """What of a file is looked at: its columns again, or the rows of one kind with some words."""

    columns: str | None = None
    show: str = ""
    q: Search = ""
    after: MaybeWhole = None


class Matched(Sent):
    """Which column of the file is which field, how new goods and categories begin, and when stock was counted."""

    column: Annotated[dict[Whole, Annotated[str, one_of(("", *COLUMNS))]], Named("column_")]
    new_as: Literal["draft", "live"] = "draft"
    new_categories: Literal["hidden", "shown"] = "hidden"
    counts_at: str = ""


class ReadAs(Sent):
    """Encoding and delimiter as chosen."""

    encoding: str = ""
    delimiter: str = ""


class Applied(Sent):
    """Whether refused rows are left out; without it the file is brought in whole or not at all."""

    leave_out: Ticked = False
