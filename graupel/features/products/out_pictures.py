"""The pictures of goods as a file has them: those that a variant shows, in their order."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from graupel.core import bars
from graupel.core.file_pictures import ALTS, PICTURES, name_in_zip
from graupel.features.media.sizes import FULL

#: SQL of the pictures that a variant v of a product p shows.
SHOWN = """, (SELECT CONCAT('[', GROUP_CONCAT(JSON_ARRAY(m.sha256, m.format, m.address, m.file_name, c.alt)
                                       ORDER BY c.position, c.id), ']')
             FROM picture c JOIN media m ON m.id = c.media_id WHERE c.product_id = p.id
             AND (NOT EXISTS (SELECT 1 FROM picture_for pf WHERE pf.picture_id = c.id)
               OR EXISTS (SELECT 1 FROM picture_for pf WHERE pf.picture_id = c.id AND (pf.variant_id = v.id
                 OR pf.choice_id IN (v.choice_1, v.choice_2, v.choice_3, v.choice_4, v.choice_5)))))
             AS shown_pictures"""


@dataclass
class Places:
    """Where pictures of a file that goes out are: under our ``address``, or beside it in a zip, where ``beside``
    gathers the sha256 of each by its name; there a ``folder`` may be said before it."""

    address: str
    beside: dict[str, str] | None = None
    folder: str = ""

    def of(self, sha: str, ending: str, link: str | None, file_name: str) -> str:
        """What names a picture."""
        if link:
            return str(link)
        if self.beside is None:
            return f"{self.address}/media/{sha}/{FULL}/picture.{ending}"
        name = name_in_zip(file_name, sha, ending)
        self.beside[name] = sha
        return f"{self.folder}{name}"


def cells(row: Mapping[str, Any], places: Places) -> dict[str, str | None]:
    """What stands in the cells of a row: what names its pictures, and alt texts."""
    found = json.loads(row["shown_pictures"] or "[]")
    links = [places.of(*one) for *one, _ in found]
    alts = [alt for *_, alt in found]
    return {
        PICTURES: bars.BAR.join(links) or None,
        ALTS: bars.joined(alts) if any(alts) else None,
    }
