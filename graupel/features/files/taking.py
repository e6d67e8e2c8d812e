"""A file as it comes: kept, and looked at to find out how it is read and what its columns are."""

import hashlib
import secrets
from collections.abc import Sequence
from itertools import islice
from pathlib import Path
from typing import Any, BinaryIO

from graupel import pieces, storage
from graupel.context import Context
from graupel.core import encodings, guessing, profiles, record_columns
from graupel.core.columns import Rule
from graupel.core.errors import Refused
from graupel.core.file_columns import FACT
from graupel.core.guessing import Guess, Why
from graupel.core.handling import Handling, Key
from graupel.core.record_files import RowsAre
from graupel.core.roles import Actor
from graupel.db import Tx
from graupel.features.files import known, matched, store
from graupel.features.files.rows import ImportFileRow, ProfileRow
from graupel.tables import reading, text
from graupel.tables.shapes import QUOTES, Kind, Shape

MOST_BYTES = 2_000_000_000
#: So many rows are looked at to tell what their columns are.
LOOKED_AT_ROWS = 200


def keep(ctx: Context, content: BinaryIO) -> tuple[Path, str, int]:
    """The file under the SHA-256 of what it holds, that, and its bytes. Raises NoRoom."""
    digest, size = hashlib.sha256(), 0
    coming = ctx.folder("uploads") / f"coming-{secrets.token_hex(8)}"
    with storage.aside(coming) as file:
        for block in iter(lambda: content.read(1 << 20), b""):
            digest.update(block)
            size += len(block)
            file.write(block)
    return coming.rename(coming.with_name(digest.hexdigest())), digest.hexdigest(), size


def keep_pieces(ctx: Context, actor: Actor, upload: str) -> tuple[Path, str, int]:
    """The same of a file that came in pieces under a key. Raises Refused where it did not come whole."""
    came = pieces.path_of(ctx.settings.data_folder, str(actor.user_id), upload)
    if not pieces.arrived(came):
        raise Refused.because("file.missing", "This file is empty, or did not come whole. Choose it again.", "file")
    if pieces.arrived(came) > MOST_BYTES:
        raise Refused.because("file.most", f"A file has at most {MOST_BYTES // 10**6:,} MB.", "file")
    with came.open("rb") as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    path = ctx.folder("uploads") / sha256
    size = pieces.arrived(came)
    pieces.move(came, path)
    return path, sha256, size


def path_of(ctx: Context, row: ImportFileRow) -> Path:
    """Where a file lies."""
    return ctx.folder("uploads") / row["sha256"]


def looked_at(ctx: Context, path: Path, wanted: Shape | None) -> dict[str, Any]:
    """How a file is read, what can be chosen of it instead, its headers, and the rules for its columns as guessed.

    ``wanted``: how somebody wants it read. Raises Refused where that can't be, or where it is no table.
    """
    folder = ctx.folder("uploads")
    found = reading.find(path, folder, guessing.known_headers, wanted)
    shape = _as_wanted(found.shape, wanted) if wanted else found.shape
    table = reading.table(path, folder, shape)
    if not table.headers:
        said = f"There is no row in line {shape.header} or below. Say on which line the headers stand."
        raise Refused.because("file.header", said, "header")
    rows = [row.cells for row in islice(table.rows, LOOKED_AT_ROWS)]
    profile = ctx.db.run(lambda tx: _profile(tx, table.headers))
    if profile:
        rules, guessed = _by_profile(profile, table.headers)
        what = RowsAre(profile["rows_are"])
    else:
        rules, guessed, what = _guessed(ctx, table.headers, rows)
    found_values: dict[str, Any] = {
        "shape": shape.as_dict(),
        "can_be": {"parts": found.parts[:200], "members": found.members[:200], "guessed": guessed},
        "headers": table.headers,
        "rules": [rule.as_dict() for rule in rules],
        "profile_id": profile["id"] if profile else None,
    }
    return found_values | (Handling.of(profile).as_row() if profile else _handled(rules, what))


def _handled(rules: list[Rule], what: RowsAre) -> dict[str, Any]:
    """By what rows mean goods, and what they are."""
    fields = {rule.field for rule in rules}
    keys = (
        [Key.SKU] if fields & {"sku", "code"} else [one for one in (Key.GTIN, Key.MPN, Key.ELSEWHERE) if one in fields]
    )
    return {"key_by": str(keys[0] if keys else Key.SKU), "rows_are": str(what)}


def guessed_as(ctx: Context, row: ImportFileRow, what: RowsAre) -> dict[str, Any]:
    """What is kept of a file whose rows are said to be something else: the rules for its columns, guessed anew."""
    table = reading.table(path_of(ctx, row), ctx.folder("uploads"), Shape.of(row["shape"]))
    rows = [one.cells for one in islice(table.rows, LOOKED_AT_ROWS)]
    rules, guessed, _ = _guessed(ctx, table.headers, rows, what)
    can_be = {**(row["can_be"] or {}), "guessed": guessed}
    shape = {"shape": row["shape"], "can_be": can_be, "headers": table.headers, "profile_id": None}
    return {**shape, "rules": [rule.as_dict() for rule in rules], **_handled(rules, what)}


def _profile(tx: Tx, headers: list[str]) -> ProfileRow | None:
    """The profile that fits these headers."""
    known = {row["id"]: row for row in store.profiles(tx)}
    best = profiles.best({profile_id: row["rules"] for profile_id, row in known.items()}, headers)
    return known[best] if best else None


def _by_profile(row: ProfileRow, headers: list[str]) -> tuple[list[Rule], dict[int, tuple[str, str]]]:
    rules, _ = profiles.fitted(row["rules"], headers)
    return rules, {rule.column: (rule.field, str(Why.BEFORE)) for rule in rules if rule.column is not None}


def _as_wanted(found: Shape, wanted: Shape) -> Shape:
    """What was found, with what can be chosen of its kind. Raises Refused where that makes no sense."""
    header = wanted.header if found.kind in (Kind.TEXT, Kind.SHEET) else 1
    if found.kind is not Kind.TEXT:
        return Shape(found.kind, part=found.part, header=header, member=found.member)
    if wanted.encoding not in encodings.ENCODINGS:
        raise Refused.because("file.encoding", "Choose an encoding.", "encoding")
    if not 0 < len(wanted.delimiter) <= text.LONGEST_DELIMITER or set(wanted.delimiter) & set('"\r\n'):
        said = f"Between cells stands at least one sign and at most {text.LONGEST_DELIMITER}, and no quotation mark."
        raise Refused.because("file.delimiter", said, "delimiter")
    if wanted.quote not in QUOTES:
        raise Refused.because("file.quote", "Choose what stands around cells.", "quote")
    return Shape(Kind.TEXT, wanted.encoding, wanted.delimiter, wanted.quote, "", header, found.member)


#: The rules as guessed, by column which field that is and why, and what the rows are.
_Guessed = tuple[list[Rule], dict[int, tuple[str, str]], RowsAre]


def _guessed(ctx: Context, headers: list[str], rows: list[list[str]], what: RowsAre | None = None) -> _Guessed:
    """``what``: what somebody says that the rows are."""
    values = [matched.first_values(rows, index) for index in range(len(headers))]

    def read(tx: Tx) -> _Guessed:
        before = store.habits(tx, [guessing.plain(header)[: matched.LONGEST_HEADER] for header in headers])
        guesses = guessing.guess(
            headers,
            values,
            {header: row["field"] for header, row in before.items()},
            lambda some: store.known_skus(tx, some) / len(some),
            known.load(ctx, tx),
        )
        found = what or _what_rows_are(headers, guesses)
        if found is not RowsAre.GOODS:
            guesses = guessing.guess(headers, columns=known.of_records(ctx, found))
            before = {}
        rules = [matched.rule_of(guess, before.get(guessing.plain(headers[guess.column]))) for guess in guesses]
        return rules, {guess.column: (guess.field, str(guess.why)) for guess in guesses}, found

    return ctx.db.run(read)


def _what_rows_are(headers: list[str], guesses: Sequence[Guess]) -> RowsAre:
    """What rows are, by the headers of their columns: goods, where they name any or nothing else fits better."""
    is_named = any(one.field in ("sku", "code", "gtin", "mpn", "elsewhere") for one in guesses)
    surely = [one for one in guesses if one.why in (Why.BEFORE, Why.HEADER)]
    if not is_named:  # attributes are of categories too
        surely = [one for one in surely if not one.field.startswith(FACT)]
    return record_columns.guess(headers, len(surely), guessing.plain, is_named=is_named)
