"""Values for a language or a destination, of records of all kinds."""

from graupel.core.records import Field, FieldKind, Record, ref

OWN_VALUE = Record(
    "own_value",
    "Value for a language or destination",
    "ow",
    (
        Field("kind", "Kind", FieldKind.WORD),
        ref("record_id", "Record"),
        Field("destination", "Destination", FieldKind.CODE),
        Field("lang", "Language", FieldKind.CODE),
        Field("field", "Field", FieldKind.WORD),
        Field("value", "Value"),
        Field("source", "Translated from"),
    ),
    said_of=("kind", "record_id"),
    wholes=(("value", "source"),),
)
