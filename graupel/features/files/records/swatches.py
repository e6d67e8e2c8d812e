"""The pictures of choices as rows of a file name them: of the library, or to be fetched afterwards (later.py)."""

from collections.abc import Iterable, Mapping

from graupel.core.attributes import Choice
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.db import Tx
from graupel.features.files.records.clerks import Said
from graupel.features.media import service as media
from graupel.features.products.batch import pictures
from graupel.features.products.out_pictures import Places

COLUMN = "swatch_picture"


class Swatches:
    """Knows what names each of them, and finds what a row names. ``members``: as the clerk has them."""

    def __init__(self, tx: Tx, address: str, choices: Iterable[Choice], members: Mapping[str, str]) -> None:
        self._tx, self._places, self._members = tx, Places(address.rstrip("/")), members
        self._names: dict[int, str] = {}
        self._ids: dict[str, int] = {}
        self._read({one.swatch_media_id for one in choices if one.swatch_media_id})

    def _read(self, ids: Iterable[int]) -> None:
        for one, there in media.by_ids(self._tx, list(ids)).items():
            name = self._places.of(there.sha256, there.format, there.address, there.file_name)
            self._names[one], self._ids[name] = name, one

    def named(self, media_id: int | None) -> str:
        """What names a picture; "" for none."""
        return self._names.get(media_id or 0, "")

    def understood(self, said: Said) -> Said:
        """A row with its picture as the library names it, or where it is to be fetched. Raises Refused."""
        text = said.get(COLUMN)
        if not text or text in self._ids:
            return said
        found = pictures.found(self._tx, {text}, self._members)[text]
        if isinstance(found, Problem):
            raise Refused([found.at(field=COLUMN)])
        if isinstance(found, str):
            return said
        assert isinstance(found, int)
        self._read([found])
        return {**said, COLUMN: self.named(found)}

    def meant(self, text: str, there: int | None) -> int | None:
        """The picture that a row wants, as understood has it: none, one of the library, or, until it is fetched, the
        one that is ``there``."""
        return self._ids.get(text, there) if text else None
