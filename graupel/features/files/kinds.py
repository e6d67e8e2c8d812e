"""What the journal knows of files."""

from graupel.core.declarations.files import FILE_SOURCE, IMPORT_PROFILE
from graupel.features.files import source_store, store
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown


def register_kinds() -> None:
    """Profiles, and where files come from."""
    records.register(
        RecordKind(
            IMPORT_PROFILE,
            lambda tx, ids: {row["id"]: Shown(row["name"], "/files") for row in store.profiles(tx) if row["id"] in ids},
        )
    )
    records.register(
        RecordKind(
            FILE_SOURCE,
            lambda tx, ids: {
                row["id"]: Shown(row["name"], "/files/sources") for row in source_store.every(tx) if row["id"] in ids
            },
        )
    )
