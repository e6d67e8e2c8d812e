"""What the journal knows of files."""

from graupel.core.declarations.files import FILE_OUTLET, FILE_SOURCE, IMPORT_PROFILE
from graupel.features.files import outlet_store, source_store, store
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown


def register_kinds() -> None:
    """Profiles, where files come from, and files that go by themselves."""
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
    records.register(
        RecordKind(
            FILE_OUTLET,
            lambda tx, ids: {
                row["id"]: Shown(row["name"], "/files/out") for row in outlet_store.every(tx) if row["id"] in ids
            },
        )
    )
