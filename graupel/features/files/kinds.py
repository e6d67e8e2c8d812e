"""What the journal knows of files."""

from graupel.core.declarations.files import IMPORT_PROFILE
from graupel.features.files import store
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown


def register_kinds() -> None:
    """Profiles."""
    records.register(
        RecordKind(
            IMPORT_PROFILE,
            lambda tx, ids: {row["id"]: Shown(row["name"], "/files") for row in store.profiles(tx) if row["id"] in ids},
        )
    )
