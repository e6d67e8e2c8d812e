"""The facets of all products and the words of their names in a file.

A new process begins with them, and reads only what changed since.

A snapshot says for which change sets it stands and when they were made: so one of another catalogue, or of this one
before a copy of it was put back, is told from it. Under other rules it is worth nothing. Where anything is wrong with
it, everything is read instead.
"""

import hashlib
import json
import os
import zlib
from contextlib import suppress
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from structlog import get_logger

import graupel
from graupel.core.facets import FacetIndex
from graupel.core.words import WordIndex
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


@dataclass(frozen=True)
class Snapshot:
    """Where it is kept, below ``data_folder``; ``lang``: the language of the names."""

    data_folder: Path
    lang: str

    @property
    def _path(self) -> Path:
        return self.data_folder / FOLDER / NAME

    def save(self, tx: Tx, index: FacetIndex, words: WordIndex, known: set[int]) -> None:
        """Keep what holds what these change sets did; a file that stood there is replaced whole.

        Where it can't be written, that is logged, and the next new process reads everything.
        """
        facets = index.pack()
        body = facets + words.pack()
        head = {"rules": _rules(), "lang": self.lang, "known": history.moments(tx, sorted(known))}
        said = json.dumps({**head, "facets": len(facets), "sum": zlib.crc32(body)})
        part = self._path.with_name(f"{NAME}.{os.getpid()}")
        try:
            part.parent.mkdir(parents=True, exist_ok=True)
            part.write_bytes(said.encode() + b"\n" + body)
            part.replace(self._path)
        except OSError as error:
            log.warning("facets not kept", path=str(self._path), error=str(error))
            with suppress(OSError):
                part.unlink()  # a full disk gets back what was written of it

    def load(self, tx: Tx) -> tuple[FacetIndex, WordIndex, set[int]] | None:
        """What was kept last and the change sets for which it stands; None where there is none to rely on."""
        try:
            said, _, body = self._path.read_bytes().partition(b"\n")
            head = json.loads(said)
            known = {int(change_set_id): made_at for change_set_id, made_at in head["known"].items()}
            ours = (head["rules"], head["lang"], head["sum"]) == (_rules(), self.lang, zlib.crc32(body))
            if ours and known and history.moments(tx, list(known)) == known:
                facets, words = body[: head["facets"]], body[head["facets"] :]
                return FacetIndex.unpack(facets), WordIndex.unpack(words), set(known)
        except FileNotFoundError:
            pass
        except (OSError, ValueError, KeyError, AttributeError) as error:
            log.warning("facets not taken from their file", path=str(self._path), error=str(error))
        return None
