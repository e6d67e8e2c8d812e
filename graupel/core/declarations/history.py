"""For how long the record is kept."""

from graupel.core.records import Field, FieldKind, Record

KEEPING = Record(
    "keeping",
    "How long the record is kept",
    "kp",
    (
        Field("flow_days", "Orders, stock and what time brings: days", FieldKind.COUNT),
        Field("large_days", "Files and bulk edits: days", FieldKind.COUNT),
        Field("rest_days", "All else: days", FieldKind.COUNT),
    ),
)
