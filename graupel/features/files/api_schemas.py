"""Files as programs bring them in and take them out."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from graupel.core.file_columns import Known
from graupel.core.record_files import RowsAre
from graupel.features.files.exporting import ExportFile
from graupel.features.files.service import ImportFile
from graupel.tables.writing import Out

State = Literal["running", "unread", "matching", "planned", "applied"]


class ColumnOut(BaseModel):
    """A column of a file, and the field that it goes to; null where it is left out."""

    header: str
    field: str | None


class ReasonOut(BaseModel):
    """Why rows are refused, how many, and an example."""

    code: str
    rows: int
    example: str


class FileOut(BaseModel):
    """A file, and how far it is.

    ``state``: running, unread (it could not be read), matching (its columns do not fit yet), planned (its dry run is
    made) or applied. ``counts``: rows by what they would do, or did. ``trouble``: why its last job came to nothing.
    ``change_set``: the act that brought it in.
    """

    id: int
    name: str
    state: State
    columns: list[ColumnOut]
    counts: dict[str, int]
    reasons: list[ReasonOut]
    trouble: str
    change_set: int | None


class ApplyIn(BaseModel):
    """How a planned file is brought in. ``leave_out``: refused rows may be left out; ``archive``: the number of goods
    that it would archive, where it is all there is."""

    model_config = ConfigDict(extra="forbid")
    leave_out: bool = False
    archive: Annotated[int, Field(ge=0)] | None = None


class ExportIn(BaseModel):
    """What is taken out. ``rows``: what they are, goods or what these refer to, of which all columns go out and no view
    is taken. ``columns``: names of fields, all without any; ``view``: the query of a table's address, such
    as "status=live&brand=4", the whole catalogue without one; ``pictures``: as a zip, with these beside the table;
    ``lens``: as which destination and language show the goods, such as "s2.de"."""

    model_config = ConfigDict(extra="forbid")
    format: Out
    columns: Annotated[list[Annotated[str, Field(max_length=120)]], Field(max_length=500)] = []
    view: Annotated[str, Field(max_length=4_000)] | None = None
    pictures: bool = False
    rows: RowsAre = RowsAre.GOODS
    lens: Annotated[str, Field(pattern=r"^[A-Za-z0-9.-]{0,24}$")] = ""


class ExportOut(BaseModel):
    """A file that goes out. ``ready``: it was written whole; ``trouble``: why it was not."""

    id: int
    format: str
    ready: bool
    rows: int | None
    trouble: str


def file_out(file: ImportFile, trouble: str = "") -> FileOut:
    """A file as programs see it; ``trouble``: why its dry run could not begin."""
    overview: dict[str, Any] = file.row["overview"] or {}
    return FileOut(
        id=file.id,
        name=file.row["name"],
        state=file.step,  # type: ignore[arg-type]
        columns=[ColumnOut(header=one.header, field=_field(one.rule.field, file.known)) for one in file.columns],
        counts=file.row["counts"] or {},
        reasons=[
            ReasonOut(code=code or "", rows=number, example=example or "")
            for code, number, example, *_ in overview.get("reasons", ())
        ],
        trouble=trouble or file.trouble,
        change_set=file.row["change_set_id"],
    )


def _field(name: str, known: Known) -> str | None:
    return name if name in known.fields else None


def export_out(found: ExportFile) -> ExportOut:
    """A file that goes out as programs see it."""
    job = found.job
    trouble = str(job["outcome"]) if job and job["state"] in ("failed", "cancelled") else ""
    return ExportOut(
        id=found.row["id"],
        format=found.row["format"],
        ready=found.is_there,
        rows=found.row["row_count"],
        trouble=trouble,
    )
