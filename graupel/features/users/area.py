"""What users register."""

from graupel.core.records import Record
from graupel.features.history import records
from graupel.features.history.records import RecordKind, Shown
from graupel.features.users import store


def register(language: str) -> None:
    """People and tokens, which a roll back leaves as they are."""
    records.register(
        RecordKind(
            Record("user", "Person", "us", ()),
            lambda tx, ids: {r["id"]: Shown(r["name"]) for r in store.user_names(tx, list(ids))},
            reversible=False,
        )
    )
    records.register(
        RecordKind(
            Record("token", "Token", "tk", ()),
            lambda tx, ids: {r["id"]: Shown(r["name"], "/account#tokens") for r in store.token_names(tx, list(ids))},
            reversible=False,
        )
    )
