"""The pictures of choices as rows of a file name them: those of the library."""

from collections.abc import Iterable

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
    """Knows what names each of them, and finds what a row names. They are not fetched from elsewhere."""

    def __init__(self, tx: Tx, address: str, choices: Iterable[Choice]) -> None:
        self._tx, self._places = tx, Places(address.rstrip("/"))
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
        """A row with its picture as the library names it. Raises Refused where that has no such picture."""
        text = said.get(COLUMN)
        if not text or text in self._ids:
            return said
        found = pictures.found(self._tx, {text}, {})[text]
        if isinstance(found, str):
            what = f"“{text[:80]}” is not in the library. Take it in there first."
            found = Problem("swatch.elsewhere", what)
        if isinstance(found, Problem):
            raise Refused([found.at(field=COLUMN)])
        assert isinstance(found, int)
        self._read([found])
        return {**said, COLUMN: self.named(found)}

    def id_of(self, text: str) -> int | None:
        """The picture that is named so, as understood has it; None for none."""
        return self._ids.get(text)
