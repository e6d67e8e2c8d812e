"""The pictures of goods as a file has them: those that a variant shows, in their order."""

import json
from collections.abc import Mapping
from typing import Any

from graupel.core.file_pictures import ALTS, PICTURES, SEPARATOR
from graupel.features.media.sizes import FULL

#: SQL of the pictures that a variant v of a product p shows.
SHOWN = """, (SELECT CONCAT('[', GROUP_CONCAT(JSON_ARRAY(m.sha256, m.format, m.address, c.alt)
                                       ORDER BY c.position, c.id), ']')
             FROM picture c JOIN media m ON m.id = c.media_id WHERE c.product_id = p.id
             AND (NOT EXISTS (SELECT 1 FROM picture_for pf WHERE pf.picture_id = c.id)
               OR EXISTS (SELECT 1 FROM picture_for pf WHERE pf.picture_id = c.id AND (pf.variant_id = v.id
                 OR pf.choice_id IN (v.choice_1, v.choice_2, v.choice_3, v.choice_4, v.choice_5)))))
             AS shown_pictures"""


def cells(row: Mapping[str, Any], address: str) -> dict[str, str | None]:
    """What stands in the cells of a row: addresses, ours of files in the library, and alt texts. ``address``: ours."""
    found = json.loads(row["shown_pictures"] or "[]")
    links = [link or f"{address}/media/{sha}/{FULL}/picture.{format_}" for sha, format_, link, _ in found]
    # A sign that parts them can't stand within one.
    alts = [alt.replace("|", "/") for *_, alt in found]
    return {
        PICTURES: SEPARATOR.join(links) or None,
        ALTS: SEPARATOR.join(alts) if any(alts) else None,
    }
