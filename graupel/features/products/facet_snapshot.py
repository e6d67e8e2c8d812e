"""The facets of all products in a file: a new process begins with them, and reads only what changed since.

A snapshot says for which change sets it stands and when they were made: so one of another catalogue, or of this one
before a copy of it was put back, is told from it. Under other rules it is worth nothing. Where anything is wrong with
it, everything is read instead.
"""

import hashlib
import json
import os
import zlib
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

from structlog import get_logger

import graupel
from graupel.core.facets import FacetIndex
from graupel.db import Tx
from graupel.features.history import service as history

log = get_logger()
FOLDER, NAME = "facets", "products"


@lru_cache(1)
def _rules() -> str:
    """Another text where the facets of the same products could be others."""
    root = Path(graupel.__file__).parent
    sources = sorted([*root.glob("core/**/*.py"), *root.glob("features/products/*.py")])
    said = hashlib.sha256(b"".join(path.read_bytes() for path in sources))
    said.update(" ".join(sorted(path.name for path in root.glob("db/migrations/*.sql"))).encode())
    return said.hexdigest()


def save(tx: Tx, folder: Path, index: FacetIndex, known: set[int]) -> None:
    """Keep an index that holds what these change sets did; a file that stood there is replaced whole.

    Where it can't be written, that is logged, and the next new process reads everything.
    """
    body = index.pack()
    head = {"rules": _rules(), "known": history.moments(tx, sorted(known)), "sum": zlib.crc32(body)}
    part = folder / f"{NAME}.{os.getpid()}"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        part.write_bytes(json.dumps(head).encode() + b"\n" + body)
        part.replace(folder / NAME)
    except OSError as error:
        log.warning("facets not kept", folder=str(folder), error=str(error))
        with suppress(OSError):
            part.unlink()  # a full disk gets back what was written of it


def load(tx: Tx, folder: Path) -> tuple[FacetIndex, set[int]] | None:
    """The index that was kept last and the change sets for which it stands; None where there is none to rely on."""
    try:
        said, _, body = (folder / NAME).read_bytes().partition(b"\n")
        head = json.loads(said)
        known = {int(change_set_id): made_at for change_set_id, made_at in head["known"].items()}
        if head["rules"] == _rules() and head["sum"] == zlib.crc32(body) and known:
            return (FacetIndex.unpack(body), set(known)) if history.moments(tx, list(known)) == known else None
    except FileNotFoundError:
        pass
    except (OSError, ValueError, KeyError, AttributeError) as error:
        log.warning("facets not taken from their file", folder=str(folder), error=str(error))
    return None
