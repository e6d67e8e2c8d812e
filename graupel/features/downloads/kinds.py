"""What the journal knows of downloads, what of them is translated, and what of them belongs to products."""

from graupel.core.declarations import downloads as declared
from graupel.features.downloads import store
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.products import belonging
from graupel.features.products.belonging import Belonging
from graupel.features.vocabulary import references
from graupel.features.wording import originals
from graupel.features.wording.originals import Original

_PAGE, _PART = "/downloads/{}", "/products/{}#downloads"


def register_kinds() -> None:
    """Downloads, their versions, and with which products they are given."""
    records.register(
        RecordKind(
            declared.DOWNLOAD,
            lambda tx, ids: {r["id"]: Shown(r["name"], _PAGE.format(r["id"])) for r in store.names(tx, ids)},
        )
    )
    records.register(
        RecordKind(
            declared.DOWNLOAD_VERSION,
            lambda tx, ids: {
                r["id"]: Shown(r["file_name"], _PAGE.format(r["download_id"])) for r in store.version_names(tx, ids)
            },
            removable="NOT EXISTS (SELECT 1 FROM given_download g WHERE g.download_version_id = dv.id)",
            telling=("number", "file_name", "bytes"),
        )
    )
    records.register(
        RecordKind(
            declared.DOWNLOAD_USE,
            lambda tx, ids: {
                r["id"]: Shown(r["download"], f"/products/{r['product_id']}#downloads")
                for r in store.use_names(tx, ids)
            },
        )
    )
    belonging.register(
        Belonging(
            "download_use",
            "download_use du ON du.product_id = {product}",
            "x.product_id",
            "JSON_VALUE({side}, '$.product_id')",
        )
    )


def finish_kinds() -> None:
    """With all areas known: a download that is given somewhere, or was, stays when its making is rolled back."""
    hangs = "EXISTS (SELECT 1 FROM download_version n WHERE n.download_id = dl.id)"
    records.amend("download", removable=f"({references.unused('download', 'dl.id')} AND NOT {hangs})")


def register_words() -> None:
    """What of them buyers read."""
    originals.register(
        Original(
            "download",
            "Downloads",
            "download dl",
            "dl.id",
            "dl.name",
            _PAGE,
            originals.words_of(declared.DOWNLOAD),
        )
    )
