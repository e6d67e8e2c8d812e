"""What the journal knows of media, and how sets of them are put back."""

from graupel.features.history import records
from graupel.features.history.records import Column, RecordKind, Shown
from graupel.features.media import store
from graupel.features.vocabulary import carriers, references
from graupel.features.vocabulary.references import Reference

_NUMBERS = ("bytes", "width", "height", "border_white", "duration_ms")


def register_kinds() -> None:
    """Tell the journal of media, before all that may refer to them; ``finish_kinds`` follows."""
    fields = {name: Column(f"m.{name}", name in _NUMBERS) for name in store.FIELDS}
    names = ", ".join(store.FIELDS)
    values = ", ".join(f"JSON_VALUE(r.became, '$.{name}')" for name in store.FIELDS)
    records.register(
        RecordKind(
            "media",
            "Media",
            lambda tx, ids: {r["id"]: Shown(r["file_name"], f"/media/{r['id']}") for r in store.by_ids(tx, list(ids))},
            plain="media",
            table="media m",
            key="m.id",
            version="m.version",
            fields=fields | {"poster_id": Column("m.poster_id", True, "media")},
            # Its sizes are made again where they are missing.
            revive=(
                f"""INSERT INTO media (id, version, {names}, sizes, made_at)
                    SELECT r.record_id, r.version, {values}, 'waiting', UTC_TIMESTAMP(3)""",
            ),
        )
    )
    references.register(Reference("media", "media", "poster_id", "Posters of", "NULL"))
    references.register(Reference("media", "attribute_choice", "swatch_media_id", "Swatches", "NULL"))


def finish_kinds() -> None:
    """With all areas known: what is in use stays when its taking in is rolled back."""
    carriers.register("media", "Media", records.kind_of("media").describe)
    records.amend("media", removable=f"({references.unused('media', 'm.id')})")
