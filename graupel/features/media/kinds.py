"""What the journal knows of media, and how sets of them are put back."""

from graupel.core.declarations.media import MEDIA
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.media import store
from graupel.features.vocabulary import carriers, references


def register_kinds() -> None:
    """Tell the journal of media, before all that may refer to them; ``finish_kinds`` follows."""
    records.register(
        RecordKind(
            MEDIA,
            lambda tx, ids: {r["id"]: Shown(r["file_name"], f"/media/{r['id']}") for r in store.by_ids(tx, list(ids))},
        )
    )


def finish_kinds() -> None:
    """With all areas known: what is in use stays when its taking in is rolled back."""
    carriers.register("media", "Media", records.kind_of("media").describe)
    records.amend("media", removable=f"({references.unused('media', 'm.id')})")
