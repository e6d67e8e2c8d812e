"""Values for a language or a destination, of records of all kinds."""

from graupel.core.records import Field, Kind, Record, ref

OWN_VALUE = Record(
    "own_value",
    "Value for a language or destination",
    "ow",
    (
        Field("kind", "Kind", Kind.WORD),
        ref("record_id", "Record"),
        Field("destination", "Destination", Kind.CODE),
        Field("lang", "Language", Kind.CODE),
        Field("field", "Field", Kind.WORD),
        Field("value", "Value"),
        Field("source", "Translated from"),
    ),
    wholes=(("value", "source"),),
)
