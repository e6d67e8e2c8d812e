"""Taking the catalogue out, or what a view shows: as a file that can be brought in again."""

import zipfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs
from zoneinfo import ZoneInfo

from graupel import storage
from graupel.context import Context
from graupel.core import bars, file_pictures
from graupel.core.attributes import Attribute, Fact
from graupel.core.errors import NotFound, Refused
from graupel.core.file_columns import COLUMNS, Known
from graupel.core.file_facts import show_in_file
from graupel.core.quantities import format_money, format_weight
from graupel.core.record_files import CALLED, RowsAre
from graupel.core.records import Field, FieldKind
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.core.stock import show
from graupel.core.tables import TableState
from graupel.db import Tx
from graupel.features.files import known, store
from graupel.features.files import seeing as seeing_through
from graupel.features.files.records import out as records_out
from graupel.features.files.rows import ExportFileRow
from graupel.features.files.seeing import Seeing
from graupel.features.jobs import service as jobs
from graupel.features.media import sizes
from graupel.features.products import out as out_rows
from graupel.features.products import table
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch import named
from graupel.features.products.out import SEEN
from graupel.features.products.out_pictures import Places
from graupel.jobs import JobRequest, JobRun, enqueue
from graupel.tables import writing
from graupel.tables.going_out import Column, Written
from graupel.tables.writing import MEDIA_TYPES, Out

#: What the records are called that goods refer to, by the column of their ids.
Called = Mapping[str, Callable[[Any], str | None]]
#: Of a row each so many are told as progress.
REPORT_EVERY = 5_000
PICTURES_EVERY = 50
#: The folder of the pictures beside a table in a zip.
PICTURES_IN = "pictures/"
SHOWN = 20
_NUMBERS = (FieldKind.MONEY, FieldKind.QUANTITY)
#: The words of schema.org for our fields: the path to the value, and what stands beside it. What has none is said with
#: a name of its own.
_LINKED: Mapping[str, tuple[tuple[str, ...], Mapping[str, str]]] = {
    "mpn": (("mpn",), {}),
    "sku": (("sku",), {}),
    "name": (("name",), {}),
    "description": (("description",), {}),
    "category": (("category",), {}),
    "brand": (("brand", "name"), {"@type": "Brand"}),
    "gtin": (("gtin",), {}),
    "elsewhere": (("identifier",), {}),
    "short_text": (("disambiguatingDescription",), {}),
    "origin_country": (("countryOfOrigin",), {}),
    "price": (("offers", "price"), {"@type": "Offer"}),
    "weight_g": (("weight", "value"), {"@type": "QuantitativeValue", "unitCode": "GRM"}),
    "search_words": (("keywords",), {}),
    file_pictures.PICTURES: (("image",), {}),
}


@dataclass(frozen=True)
class ExportFile:
    """A file that went out, and the job that writes it."""

    row: ExportFileRow
    job: dict[str, Any] | None

    @property
    def is_there(self) -> bool:
        """It was written whole."""
        return self.row["bytes"] is not None

    @property
    def file_name(self) -> str:
        """What it is called where it is saved."""
        return f"{self.row['name']}.{_ending(self.row)}"


def _ending(row: ExportFileRow) -> str:
    return "zip" if row["with_pictures"] else row["format"]


def columns(fields: Sequence[str], currency: str, there: Known, seeing: Seeing | None = None) -> list[Column]:
    """The columns of a file that goes out; ``seeing``: the lens through which it is written."""
    found = []
    for name in fields:
        head = there.header(name)
        path, beside = _LINKED.get(name, ((), {}))
        beside = {**beside, "priceCurrency": currency} if name == "price" else beside
        head = seeing.head(head) if seeing and name in seeing_through.FIELDS else head
        is_number = there.fields[name].kind in _NUMBERS
        found.append(Column(head, is_number, path, beside, several=name == file_pictures.PICTURES))
    return found


def _writer(column: Field, called: Called, out: Out) -> Callable[[Any], str]:
    """How a value of a field is written, so that it can be read again."""
    match column.kind:
        case FieldKind.REF:
            name = lru_cache(20_000)(called[column.name])
            return lambda value: name(value) or ""
        case FieldKind.MONEY:
            return format_money
        case FieldKind.WEIGHT:
            return str if out is Out.LINKED else format_weight
        case FieldKind.QUANTITY:
            return show
    return str


Writer = tuple[str, Callable[[Any], str]]


def _rows(found: Any, writers: Sequence[Writer]) -> Iterator[list[str]]:
    for row in found:
        yield ["" if (value := row.get(name)) is None else write(value) for name, write in writers]


def _list_writer(name: str, names: Mapping[str, Mapping[int, str]]) -> Writer | None:
    """How the ids of a list are written, as what they are called, parted by bars."""
    called = names.get(name)
    if called is None:
        return None
    return name, lambda ids: bars.joined(called[int(one)] for one in ids.split(",") if int(one) in called)


def _named_writer(name: str, called: Called, out: Out, there: Known, seeing: Seeing | None) -> Writer:
    """Under which name a column stands in a row, and how it is written."""
    if attribute := there.attributes.get(name):
        return name, _fact_writer(seeing.attribute(attribute) if seeing else attribute)
    if seeing and name in seeing_through.FIELDS:
        return f"{SEEN}{name}", _writer(COLUMNS[name], called, out)
    if name in there.own or name in file_pictures.FIELDS:
        return name, str
    if name in there.locations:
        return name, show
    return COLUMNS[name].name, _writer(COLUMNS[name], called, out)


def _fact_writer(attribute: Attribute) -> Callable[[Fact], str]:
    """How a value of an attribute is written; each is worked out once."""
    return lru_cache(20_000)(lambda fact: show_in_file(attribute, fact))


def export(
    ctx: Context,
    actor: Actor,
    path: Path,
    out: Out = Out.CSV,
    fields: Sequence[str] = (),
    query: str | None = None,
    run: JobRun | None = None,
    *,
    with_pictures: bool = False,
    lens: str = "",
) -> Written:
    """Write the variants of the catalogue, or of the goods that a view's address shows, one a row.

    ``fields``: names of columns, without any all of them; ``with_pictures``: as a zip, with the pictures that are said
    beside the table; ``lens``: through which the goods are seen, as an address carries it. Raises Refused, NoRoom.
    """
    actor.require(Role.VIEWER)
    folder = PICTURES_IN if out is Out.LINKED else ""  # where an address is meant it is the way from the table
    places = Places(ctx.settings.address.rstrip("/"), {} if with_pictures else None, folder)

    def work(tx: Tx) -> Written:
        heads, rows = table_of(ctx, tx, out, fields, query, run, places, lens)
        return writing.write(table_path, out, heads, rows)

    table_path = path.with_name(f"{path.name}.table") if with_pictures else path
    try:
        done = ctx.db.run(work)
        if places.beside is not None:
            _pack(ctx, path, table_path, f"goods.{out}", places.beside, run)
    finally:
        if with_pictures:
            table_path.unlink(missing_ok=True)
    return done


def _pack(
    ctx: Context, path: Path, table_path: Path, name: str, pictures: Mapping[str, str], run: JobRun | None
) -> None:
    """A zip of the table and of its pictures, by name their sha256; pictures are packed already. Raises NoRoom."""
    with storage.aside(path) as file, zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.write(table_path, name)
        for number, (called, sha) in enumerate(pictures.items()):
            if run and number % PICTURES_EVERY == 0:
                run.progress("Packing pictures", number, len(pictures))
            stored = sizes.path_of(ctx, sha, sizes.FULL)
            if stored.exists():
                packed.write(stored, f"{PICTURES_IN}{called}", zipfile.ZIP_STORED)


def table_of(
    ctx: Context,
    tx: Tx,
    out: Out,
    fields: Sequence[str],
    query: str | None,
    run: JobRun | None = None,
    pictures_at: Places | None = None,
    lens: str = "",
) -> tuple[list[Column], Iterator[list[str]]]:
    """The columns of such a table, and its rows as they are read."""
    called: dict[str, Callable[[Any], str | None]] = {f"{kind}_id": find for kind, find in named.called(tx).items()}
    if seeing := seeing_through.through(ctx, tx, lens):
        called["category_id"] = seeing.path
    ids = None if query is None else table.matching(ctx, tx, TableState.read(parse_qs(query)))
    there = known.load(ctx, tx)
    chosen = [name for name in there.fields if name in fields or not fields]
    asked = [there.attributes[name].id for name in chosen if name in there.attributes]
    keys = [there.own[name].key for name in chosen if name in there.own]
    places = [there.locations[name].id for name in chosen if name in there.locations]
    at = pictures_at or Places(ctx.settings.address.rstrip("/"))
    at_all = at if file_pictures.FIELDS.keys() & set(chosen) else None
    listed = batch_lists.load(tx, [there.lists[name].id for name in chosen if name in there.lists]).values()
    names = {one.column.name: batch_lists.all_called(tx, one) for one in listed}
    said = [one for one in listed if names[one.column.name]]  # a list that nothing has costs its rows nothing
    seen = [name for name in chosen if seeing and name in seeing_through.FIELDS]
    select = seeing.select(seen) if seeing and seen else None
    found = out_rows.export_rows(tx, ctx.settings.language, ids, asked, keys, places, at_all, said, select)
    writers = [_list_writer(name, names) or _named_writer(name, called, out, there, seeing) for name in chosen]
    currency = seeing.currency if seeing else ctx.settings.currency
    return columns(chosen, currency, there, seeing), _rows(_told(found, run), writers)


def _told(rows: Any, run: JobRun | None) -> Iterator[Any]:
    for number, row in enumerate(rows):
        if run and number % REPORT_EVERY == 0:
            run.progress("Writing", number, 0)
        yield row


# --- in the background ---------------------------------------------------------------------------------------


def request(
    ctx: Context,
    actor: Actor,
    out: Out,
    fields: Sequence[str],
    query: str | None,
    *,
    with_pictures: bool = False,
    lens: str = "",
) -> int:
    """Write a file in the background, as ``export`` does; returns its id. Raises Refused."""
    actor.require(Role.VIEWER)
    columns_of = asked_columns(ctx, fields, with_pictures=with_pictures)
    values = {"format": str(out), "fields": columns_of, "query": query, "with_pictures": with_pictures, "lens": lens}
    return _request(ctx, actor, "goods" if query else "catalogue", values)


def _request(ctx: Context, actor: Actor, what: str, values: Mapping[str, Any]) -> int:
    def work(tx: Tx) -> int:
        local = ctx.now(tx).astimezone(ZoneInfo(ctx.settings.time_zone))
        name = f"{what}-{local:%Y-%m-%d-%H%M}"
        file_id = store.insert_export(tx, actor, {"name": name, **values})
        asked = JobRequest("files.export", f"Take out {name}", {"export_id": file_id}, "/files#out")
        store.change_export(tx, file_id, job_id=enqueue(tx, actor, asked))
        return file_id

    return ctx.db.run(work)


def request_records(ctx: Context, actor: Actor, out: Out, rows_are: RowsAre) -> int:
    """Write all records of a kind that are no goods in the background; returns the file's id. Raises Refused."""
    actor.require(Role.VIEWER)
    records_out.refuse_format(out)
    return _request(ctx, actor, CALLED[rows_are][1].split(" ")[0], {"format": str(out), "rows_are": str(rows_are)})


def asked_columns(ctx: Context, fields: Sequence[str], *, with_pictures: bool) -> list[str]:
    """The columns of a file that is asked for, in their order. Raises Refused where it can't be written so."""
    found = [name for name in known.current(ctx).fields if name in fields or name == "sku"]
    if len(found) < 2:
        raise Refused.because("export.columns", "Choose at least one column beside the SKU.", "fields")
    if with_pictures and file_pictures.PICTURES not in found:
        said = "Pictures go out beside a table that has their column. Choose it too."
        raise Refused.because("export.pictures", said, "with_pictures")
    return found


def write(run: JobRun) -> None:
    """Write a file that was asked for. For the worker."""
    row = _read(run.ctx, int(run.payload["export_id"]))
    path = path_of(run.ctx, row)
    out, rows_are, with_pictures = Out(row["format"]), RowsAre(row["rows_are"]), bool(row["with_pictures"])
    if rows_are is RowsAre.GOODS:
        fields, query = row["fields"], row["query"]
        lens = row["lens"]
        done = export(run.ctx, run.actor, path, out, fields, query, run, with_pictures=with_pictures, lens=lens)
    else:
        done = records_out.export(run.ctx, run.actor, path, out, rows_are)

    def work(tx: Tx) -> None:
        store.change_export(tx, row["id"], row_count=done.rows, cut_count=done.cut, bytes=path.stat().st_size)
        cut = f" {plural(done.cut, 'value')} longer than a cell may be left out." if done.cut else ""
        run.finish(tx, f"{plural(done.rows, 'row')} written.{cut}")

    run.ctx.db.run(work)


def all_columns(ctx: Context) -> Sequence[str]:
    """The names of all columns that can be taken out."""
    return list(known.current(ctx).fields)


def path_of(ctx: Context, row: ExportFileRow) -> Path:
    """Where a file that goes out lies."""
    return ctx.folder("exports") / f"{row['id']}.{_ending(row)}"


def media_type(row: ExportFileRow) -> str:
    """What a file that goes out is."""
    return "application/zip" if row["with_pictures"] else MEDIA_TYPES[Out(row["format"])]


def read(ctx: Context, actor: Actor, export_id: int) -> ExportFile:
    """A file that went out. Raises NotFound."""
    actor.require(Role.VIEWER)
    return _with_job(ctx, actor, _read(ctx, export_id))


def newest(ctx: Context, actor: Actor) -> list[ExportFile]:
    """The files that went out last."""
    actor.require(Role.VIEWER)
    return [_with_job(ctx, actor, row) for row in ctx.db.run(lambda tx: store.newest_exports(tx, SHOWN))]


def counted(ctx: Context, actor: Actor, query: str | None) -> int:
    """Of how many products a view's address shows a file would be; of all without one."""
    actor.require(Role.VIEWER)
    state = TableState.read(parse_qs(query or ""))
    return len(ctx.db.run(lambda tx: table.matching(ctx, tx, state)))


def _read(ctx: Context, export_id: int) -> ExportFileRow:
    row = ctx.db.run(lambda tx: store.read_export(tx, export_id))
    if row is None:
        raise NotFound(f"There is no file {export_id}.")
    return row


def _with_job(ctx: Context, actor: Actor, row: ExportFileRow) -> ExportFile:
    return ExportFile(row, jobs.of(ctx, actor, row["job_id"]))


def throw_away(ctx: Context, tx: Tx, before: datetime) -> None:
    """Throw away the files that went out before a moment; that they did stays in the list."""
    for row in store.exports_before(tx, before):
        path_of(ctx, row).unlink(missing_ok=True)
        store.change_export(tx, row["id"], bytes=None)
