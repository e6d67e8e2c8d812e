"""Downloads made, written, given with products and taken away; and their versions."""

import secrets
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from graupel import pieces
from graupel.context import Context
from graupel.core import downloads as rules
from graupel.core.declarations.downloads import DOWNLOAD, DOWNLOAD_USE, DOWNLOAD_VERSION
from graupel.core.downloads import MOST_BYTES, MOST_DAYS, MOST_EXCERPT, MOST_FILES, MOST_TIMES, Plays
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Role
from graupel.db import Tx, declared
from graupel.features.downloads import keeping, pdfs, store
from graupel.features.downloads.rows import DownloadRow, TookRow, UseRow, VersionRow
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.variants.copying import Copied

NAMED, TOOK = 12, 100
SWITCHES = ("before_buying", "stamped", "renews")
COUNTS = {"times": MOST_TIMES, "days": MOST_DAYS, "excerpt_pages": MOST_EXCERPT}


@dataclass(frozen=True)
class Download:
    """A download with its versions, the newest first."""

    row: DownloadRow
    versions: Sequence[VersionRow]

    @property
    def id(self) -> int:
        """Its id."""
        return self.row["id"]

    @property
    def newest(self) -> VersionRow:
        """The version that is given now."""
        return self.versions[0]

    @property
    def ending(self) -> str:
        """Of its file: "pdf"."""
        return rules.ending(self.newest["file_name"])

    @property
    def media(self) -> str:
        """As what a page can play it: video, audio, "" as nothing."""
        return rules.PLAYABLE.get(self.ending, "") if self.row["plays"] != Plays.KEPT else ""


def load(tx: Tx, ids: Sequence[int], *, lock: bool = False) -> dict[int, Download]:
    """Downloads by id; those without a version are left out."""
    found: dict[int, list[VersionRow]] = {}
    for one in store.versions(tx, ids):
        found.setdefault(one["download_id"], []).append(one)
    rows = store.some(tx, ids, lock=lock)
    return {row["id"]: Download(row, found[row["id"]]) for row in rows if row["id"] in found}


def there(tx: Tx, download_id: int, *, lock: bool = False) -> Download:
    """One of them. Raises NotFound."""
    found = load(tx, [download_id], lock=lock).get(download_id)
    if found is None:
        raise NotFound("This download is not there any more.")
    return found


def texts(row: DownloadRow) -> dict[str, str]:
    """A download as its form has it."""
    found = {"name": row["name"], "plays": row["plays"]}
    found |= {name: "yes" if row[name] else "" for name in SWITCHES}  # type: ignore[literal-required]
    return found | {name: str(row[name] or "") for name in COUNTS}  # type: ignore[literal-required]


def _columns(raw: Mapping[str, str]) -> dict[str, Any]:
    """What was typed. Raises Refused with all that is wrong."""
    problems: list[Problem] = []
    found: dict[str, Any] = {}
    try:
        found["name"] = one_line(raw.get("name", ""), rules.NAME_LENGTH, "A name", "download")
    except Refused as refusal:
        problems += [one.at(field="name") for one in refusal.problems]
    if not found.get("name", "x"):
        problems.append(Problem("download.name", "Give it a name that buyers read, such as Pattern as PDF.", "name"))
    for name, most in COUNTS.items():
        try:
            found[name] = rules.read_count(raw.get(name, ""), most)
        except ValueError:
            problems.append(Problem("download.count", f"Write a number from 1 to {most:,}, or nothing.", name))
    found |= {name: int(bool(raw.get(name))) for name in SWITCHES}
    plays = raw.get("plays", "")
    found["plays"] = plays if plays in tuple(Plays) else str(Plays.KEPT)
    if problems:
        raise Refused(problems)
    return found


# --- reading -------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Listed:
    """A download in the list of all."""

    download: Download
    products: int
    taken: int


def list_all(ctx: Context, actor: Actor) -> list[Listed]:
    """All downloads, by name."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> list[Listed]:
        rows, counts = store.every(tx), store.counts(tx)
        found = load(tx, [row["id"] for row in rows])
        return [
            Listed(found[row["id"]], counts[row["id"]]["products"], counts[row["id"]]["taken"])
            for row in rows
            if row["id"] in found
        ]

    return ctx.db.run(work)


@dataclass(frozen=True)
class Detail:
    """One download with what stands around it: the first products by name, and who took it."""

    download: Download
    products: Sequence[tuple[int, str]]
    count: int
    took: Sequence[TookRow]


def read(ctx: Context, actor: Actor, download_id: int) -> Detail:
    """One download. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Detail:
        found = there(tx, download_id)
        return Detail(
            found,
            [(one["id"], one["name"]) for one in store.products_with(tx, download_id, ctx.settings.language, NAMED)],
            len({one["product_id"] for one in store.uses_of(tx, download_id)}),
            store.took(tx, download_id, TOOK),
        )

    return ctx.db.run(work)


@dataclass(frozen=True)
class Used:
    """A download as a product has it: with all variants (``variant_id`` None), or with one."""

    use: UseRow
    download: Download


def of_product(tx: Tx, product_id: int) -> list[Used]:
    """The downloads of a product, in their order."""
    rows = store.uses(tx, [product_id])
    found = load(tx, [row["download_id"] for row in rows])
    return [Used(row, found[row["download_id"]]) for row in rows if row["download_id"] in found]


def of_variants(tx: Tx, goods: Mapping[int, int]) -> dict[int, list[Download]]:
    """What is given with variants after they were bought; ``goods``: their products by variant."""
    rows = store.uses(tx, sorted(set(goods.values())))
    found = load(tx, [row["download_id"] for row in rows])
    given: dict[int, list[Download]] = {}
    for variant_id, product_id in goods.items():
        for row in rows:
            meant = row["product_id"] == product_id and row["variant_id"] in (None, variant_id)
            one = found.get(row["download_id"])
            if meant and one and not one.row["before_buying"] and one not in given.setdefault(variant_id, []):
                given[variant_id].append(one)
    return given


# --- making and writing --------------------------------------------------------------------------------------


def make(ctx: Context, actor: Actor, product_id: int | None, file_name: str, upload: str, name: str = "") -> int:
    """Make a download of a file that came whole, and give it with a product; returns its id.

    ``upload``: under which key it came. Raises Refused.
    """
    actor.require(Role.EDITOR)
    plain = one_line(file_name.replace("\\", "/").rpartition("/")[2], 200, "A file's name", "download") or "file"
    shown = one_line(name, rules.NAME_LENGTH, "A name", "download") or plain[: rules.NAME_LENGTH]
    kept_as, size, pages, trouble = _take(ctx, actor, plain, upload)

    def work(tx: Tx) -> int:
        with history.change_set(tx, actor, "download.make", f"Download made: {shown}") as recorder:
            values = {"name": shown, "before_buying": 0, "stamped": 0, "plays": str(Plays.BOTH), "renews": 1}
            made = declared.insert(tx, DOWNLOAD, values)
            recorder.made("download", made, values)
            _add_version(tx, recorder, made, 1, plain, kept_as, size, pages, trouble)
            if product_id:
                attach(tx, recorder, product_id, None, made)
        return made

    return ctx.db.run(work)


def new_version(ctx: Context, actor: Actor, download_id: int, file_name: str, upload: str) -> None:
    """Give a new version of a download's file. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    plain = one_line(file_name.replace("\\", "/").rpartition("/")[2], 200, "A file's name", "download") or "file"
    kept_as, size, pages, trouble = _take(ctx, actor, plain, upload)

    def work(tx: Tx) -> None:
        found = there(tx, download_id, lock=True)
        number = found.newest["number"] + 1
        with history.change_set(tx, actor, "download.version", f"New version of {found.row['name']}") as recorder:
            _add_version(tx, recorder, download_id, number, plain, kept_as, size, pages, trouble)

    ctx.db.run(work)


def _take(ctx: Context, actor: Actor, name: str, upload: str) -> tuple[str, int, int | None, str]:
    """Take what came under a key: under what it is kept, its size, its pages, why it can't be stamped."""
    came = pieces.path_of(ctx.settings.data_folder, str(actor.user_id), upload)
    size = pieces.arrived(came)
    if not size:
        raise Refused.because("download.empty", "This file is empty, or did not come whole. Choose it again.", "file")
    kept_as = secrets.token_hex(16)
    path = keeping.path_of(ctx, kept_as)
    pieces.move(came, path)
    pages, trouble = pdfs.measured(path) if rules.ending(name) == "pdf" else (None, "")
    return kept_as, size, pages, trouble


def _add_version(
    tx: Tx,
    recorder: history.Recorder,
    download_id: int,
    number: int,
    file_name: str,
    kept_as: str,
    size: int,
    pages: int | None,
    trouble: str,
) -> None:
    values = {
        "download_id": download_id,
        "number": number,
        "file_name": file_name,
        "kept_as": kept_as,
        "bytes": size,
        "pages": pages,
        "trouble": trouble,
    }
    recorder.made("download_version", declared.insert(tx, DOWNLOAD_VERSION, values), values)


def save(ctx: Context, actor: Actor, download_id: int, raw: Mapping[str, str], marks: Marks = None) -> None:
    """Write what is said of a download. Raises Refused, Outdated, NotFound."""
    actor.require(Role.EDITOR)
    mine = _columns(raw)

    def work(tx: Tx) -> None:
        found = there(tx, download_id, lock=True)
        theirs = {name: found.row[name] for name in mine}  # type: ignore[literal-required]
        now = meeting.bring_together(tx, {"download": [download_id]}, marks, mine, theirs, _label)
        with history.change_set(tx, actor, "download.save", f"Download changed: {now['name']}") as recorder:
            if recorder.changed("download", download_id, theirs, now, found.row["version"] + 1):
                declared.update(tx, DOWNLOAD, download_id, now)

    ctx.db.run(work)


def flat(row: DownloadRow) -> dict[str, Any]:
    """What a page shows of a download, as plain data."""
    return {name: row[name] for name in DOWNLOAD.columns()}  # type: ignore[literal-required]


def _label(name: str) -> str:
    return DOWNLOAD.field(name).label


# --- with products -------------------------------------------------------------------------------------------


def attach(tx: Tx, recorder: history.Recorder, product_id: int, variant_id: int | None, download_id: int) -> None:
    """Give a download with a product, or with one of its variants, behind what is there. Raises Refused."""
    rows = store.uses(tx, [product_id], lock=True)
    if any((one["download_id"], one["variant_id"]) == (download_id, variant_id) for one in rows):
        return
    found = load(tx, [*{one["download_id"] for one in rows}, download_id])
    if len(found) > MOST_FILES:
        raise Refused.because("download.many", f"A product has at most {MOST_FILES} downloads.", "file")
    if sum(one.newest["bytes"] for one in found.values()) > MOST_BYTES:
        raise Refused.because("download.large", "A product’s downloads come to at most 10 GB.", "file")
    values = {"product_id": product_id, "variant_id": variant_id, "download_id": download_id, "position": len(rows)}
    recorder.made("download_use", declared.insert(tx, DOWNLOAD_USE, values), values)


@dataclass(frozen=True)
class Wish:
    """A row of a product's downloads as its form has it: which one, with which variant."""

    download_id: int
    variant_id: int | None


def arrange(
    ctx: Context, actor: Actor, product_id: int, wishes: Sequence[Wish], name: str, marks: Marks = None
) -> None:
    """Make the downloads of a product these, in this order. ``name``: the product's. Raises Outdated, Refused."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        rows = store.uses(tx, [product_id], lock=True)
        known = load(tx, [one.download_id for one in wishes])
        wanted = [f"{one.download_id}.{one.variant_id or 0}" for one in wishes if one.download_id in known]
        theirs = {"downloads": [f"{row['download_id']}.{row['variant_id'] or 0}" for row in rows]}
        mine = {"downloads": list(dict.fromkeys(wanted))}
        both = meeting.bring_together(
            tx, {"product": [product_id]}, marks, mine, theirs, lambda _: "What is downloaded"
        )
        left = {f"{row['download_id']}.{row['variant_id'] or 0}": row for row in rows}
        with history.change_set(tx, actor, "product.downloads", f"Downloads changed: {name}") as recorder:
            for key in [key for key in left if key not in both["downloads"]]:
                remove_use(tx, recorder, left.pop(key))
            for place, key in enumerate(both["downloads"]):
                row = left.get(key)
                if row is None:
                    download_id, _, variant_id = key.partition(".")
                    attach(tx, recorder, product_id, int(variant_id) or None, int(download_id))
                elif recorder.changed(
                    "download_use", row["id"], {"position": row["position"]}, {"position": place}, row["version"] + 1
                ):
                    declared.update(tx, DOWNLOAD_USE, row["id"], {"position": place})

    ctx.db.run(work)


def marks_of(used: Sequence[Used]) -> dict[str, Any]:
    """What the part of a product shows, as plain data."""
    return {"downloads": [f"{one.use['download_id']}.{one.use['variant_id'] or 0}" for one in used]}


def remove_use(tx: Tx, recorder: history.Recorder, row: UseRow) -> None:
    """No longer give a download with a product; it stays, with its links."""
    values = {name: row[name] for name in DOWNLOAD_USE.columns()}  # type: ignore[literal-required]
    recorder.removed("download_use", row["id"], values, row["version"])
    declared.delete(tx, DOWNLOAD_USE, row["id"])


def copy(copied: Copied) -> None:
    """A copy gives what its original does."""
    for row in store.uses(copied.tx, [copied.original]):
        variant_id = copied.variants.get(row["variant_id"]) if row["variant_id"] else None
        if row["variant_id"] is None or variant_id:
            attach(copied.tx, copied.recorder, copied.copy, variant_id, row["download_id"])
