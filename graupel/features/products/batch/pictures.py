"""What the rows of a batch say of pictures: in the library, or where they are to be fetched; planned by product."""

import hashlib
import json
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import groupby, zip_longest
from typing import Any

from graupel.core.file_columns import Known
from graupel.core.file_pictures import ALTS, PICTURES, Key, Says, Shown, is_address, of_name, own_sha, plan
from graupel.core.problems import Problem
from graupel.core.showing import plural
from graupel.db import Tx
from graupel.db.loading import load_rows
from graupel.features.media import service as media
from graupel.features.products.batch import ordered
from graupel.features.products.batch.refusing import refuse

_SAYING = "b.action IN ('new', 'changed', 'unchanged') AND b.pictures IS NOT NULL"
_COLUMNS = "b.shown_sku, b.variant_id, b.code, b.pictures"
_ROW = ("batch_id", "line", "place", "media_id", "address", "address_key", "alt", "shown", "state")
#: What stands before the name of a file that lies beside the table in a zip.
BESIDE = "zip:"


def kept(values: Mapping[str, Any], known: Known) -> str | None:
    """What a row says of pictures, as it is kept with it; None where nothing."""
    if PICTURES not in values:
        return None
    return json.dumps([values[PICTURES] or (), values.get(ALTS) or ()], ensure_ascii=False)


@dataclass
class Pictures:
    """How pictures are looked for. ``beside``: names of files that lie in a zip with the table; ``leaves``: codes of
    problems for which a picture is left out; ``left_out``: how many were, by these."""

    beside: Collection[str] = ()
    leaves: frozenset[str] = frozenset()
    left_out: Counter[str] = field(default_factory=Counter)


def plan_all(tx: Tx, params: Mapping[str, Any], asked: Pictures) -> None:
    """Plan what becomes of the pictures of products."""
    tx.run("DELETE FROM batch_picture WHERE batch_id = %(batch)s", params)
    members = {name.casefold(): name for name in asked.beside}
    for rows in ordered.chunks(tx, params, _SAYING, _COLUMNS):
        said = {row["line"]: json.loads(row["pictures"]) for row in rows}
        meant = found(tx, {one for pictures, _ in said.values() for one in pictures}, members)
        there = _there(tx, sorted({row["product_id"] for row in rows if row["product_id"]}))
        planned: list[Sequence[Any]] = []
        for _, group in groupby(rows, key=ordered.group_of):
            planned += _plan(tx, params["batch"], list(group), said, meant, there, asked)
        load_rows(tx, "batch_picture", _ROW, planned)


def mark_changed(tx: Tx, params: Mapping[str, Any]) -> None:
    """Rows whose products show other pictures change something, whatever else they say."""
    tx.run(
        """UPDATE batch_picture s STRAIGHT_JOIN batch_row b ON b.batch_id = s.batch_id AND b.line = s.line
           SET b.action = 'changed', b.only_stock = FALSE
           WHERE s.batch_id = %(batch)s AND b.action IN ('unchanged', 'changed')""",
        params,
    )


def address_key(address: str) -> str:
    """By what an address is found again: its sha256."""
    return hashlib.sha256(address.encode()).hexdigest()


# --- where the pictures are ----------------------------------------------------------------------------------


def found(tx: Tx, said: Collection[str], members: Mapping[str, str]) -> dict[str, Key | Problem]:
    """Of each picture its id in the library, the address that it is to be fetched from, or why it can't be found."""
    shas = {text: own_sha(text) or media.sha_of_link(text) if is_address(text) else of_name(text)[0] for text in said}
    by_sha = _by(tx, "SELECT sha256 AS name, id FROM media WHERE sha256 IN %s", set(shas.values()))
    sources = {text: address_key(text) for text in said if is_address(text)}
    by_key = _by(
        tx, "SELECT address_key AS name, media_id AS id FROM media_source WHERE address_key IN %s", sources.values()
    )
    names = {text for text in said if not is_address(text) and shas[text] not in by_sha}
    in_zip = {name: f"{BESIDE}{members[name.casefold()]}" for name in names if name.casefold() in members}
    by_name = _by_name(tx, names - in_zip.keys())
    meant: dict[str, Key | Problem] = {}
    for text in said:
        if is_address(text):
            meant[text] = by_sha.get(shas[text]) or by_key.get(sources[text]) or text
        else:
            meant[text] = by_sha.get(shas[text]) or in_zip.get(text) or by_name[text]
    return meant


def _by(tx: Tx, sql: str, names: Collection[Any]) -> dict[Any, int]:
    return {row["name"]: row["id"] for row in tx.all(sql, [list(names)])} if names else {}


def _by_name(tx: Tx, names: Collection[str]) -> dict[str, Key | Problem]:
    rows = (
        tx.all(
            """SELECT LOWER(file_name) AS name, MIN(id) AS id, COUNT(*) AS number FROM media
               WHERE file_name IN %s GROUP BY LOWER(file_name)""",
            [list(names)],
        )
        if names
        else []
    )
    there = {row["name"]: row for row in rows}
    found: dict[str, Key | Problem] = {}
    for name in names:
        row = there.get(name.lower())
        if row is None:
            said = f"No file {name} is in the library, nor beside the table in a zip."
            found[name] = Problem("pictures.unknown", f"{said} Take it in first, or give its address.", PICTURES)
        elif row["number"] > 1:
            said = f"{plural(row['number'], 'file')} in the library are called {name}. Give one of them another name."
            found[name] = Problem("pictures.several", said, PICTURES)
        else:
            found[name] = row["id"]
    return found


# --- what becomes of a product -------------------------------------------------------------------------------


class _There:
    """What products show now, and their variants."""

    def __init__(self) -> None:
        self.shown: dict[int, list[Shown]] = {}
        self.variants: dict[int, set[str]] = {}


def _there(tx: Tx, ids: Sequence[int]) -> _There:
    found = _There()
    if not ids:
        return found
    belonging: dict[int, set[str]] = {}
    for row in tx.all(
        """SELECT DISTINCT pf.picture_id, v.id FROM picture_for pf JOIN variant v ON v.product_id = pf.product_id
             AND (v.id = pf.variant_id OR pf.choice_id IN (v.choice_1, v.choice_2, v.choice_3, v.choice_4, v.choice_5))
           WHERE pf.product_id IN %s""",
        [ids],
    ):
        belonging.setdefault(row["picture_id"], set()).add(f"v{row['id']}")
    own = {row["id"] for row in tx.all("SELECT picture_id AS id FROM picture_for WHERE product_id IN %s", [ids])}
    for row in tx.all("SELECT id, product_id FROM variant WHERE product_id IN %s", [ids]):
        found.variants.setdefault(row["product_id"], set()).add(f"v{row['id']}")
    for row in tx.all(
        "SELECT id, product_id, media_id, alt FROM picture WHERE product_id IN %s ORDER BY product_id, position, id",
        [ids],
    ):
        by = frozenset(belonging.get(row["id"], ())) if row["id"] in own else None
        found.shown.setdefault(row["product_id"], []).append(Shown(row["media_id"], row["alt"], by))
    return found


def _plan(
    tx: Tx,
    batch_id: int,
    rows: Sequence[Mapping[str, Any]],
    said: Mapping[int, Any],
    found: Mapping[str, Key | Problem],
    there: _There,
    asked: Pictures,
) -> list[Sequence[Any]]:
    """The rows of batch_picture of one product; none where nothing changes or a row is refused."""
    says: list[Says] = []
    is_refused = False
    for row in rows:
        pictures, alts = said[row["line"]]
        wrong = [one for text in pictures if isinstance(one := found[text], Problem)]
        if any(one.code not in asked.leaves for one in wrong):
            refuse(tx, batch_id, row["line"], *wrong)
            is_refused = True
            continue
        asked.left_out.update(one.code for one in wrong)
        called = {found[text]: alt for text, alt in zip_longest(pictures, alts[: len(pictures)], fillvalue="")}
        keys = [key for key in called if not isinstance(key, Problem)]
        if keys or not wrong:  # a cell of which nothing is left says nothing
            says.append(Says(_variant(row), keys, called))
    if is_refused or not says:
        return []
    product_id = rows[0]["product_id"] or 0
    variants = there.variants.get(product_id, set()) | {one.variant for one in says if one.variant is not None}
    wanted = plan(says, there.shown.get(product_id, []), variants)
    if wanted is None:
        return []
    line = rows[0]["lead"] or rows[0]["line"]
    return [_row(batch_id, line, place, one) for place, one in enumerate(wanted)] or [_none(batch_id, line)]


def _variant(row: Mapping[str, Any]) -> str | None:
    """The variant of which a row says what it shows, or that it makes; None where it speaks of the product."""
    if row["variant_id"]:
        return f"v{row['variant_id']}"
    return f"l{row['line']}" if row["shown_sku"] else None


def _row(batch_id: int, line: int, place: int, one: Shown) -> Sequence[Any]:
    shown = None if one.by is None else json.dumps(sorted(map(str, one.by)))
    if isinstance(one.key, int):
        return batch_id, line, place, one.key, None, None, one.alt, shown, "there"
    address = str(one.key)
    return batch_id, line, place, None, address, address_key(address), one.alt, shown, "waiting"


def _none(batch_id: int, line: int) -> Sequence[Any]:
    """Says that no picture is left."""
    return batch_id, line, 0, None, None, None, "", None, "none"
