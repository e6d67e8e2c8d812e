"""Files of the library."""

from graupel.core.records import Field, FieldKind, Record, ref

MEDIA = Record(
    "media",
    "Media",
    "m",
    (
        Field("kind", "Kind", FieldKind.WORD),
        Field("sha256", "Fingerprint", FieldKind.CODE),
        Field("file_name", "File"),
        Field("format", "Format", FieldKind.CODE),
        Field("bytes", "Bytes", FieldKind.COUNT),
        Field("width", "Width", FieldKind.COUNT),
        Field("height", "Height", FieldKind.COUNT),
        Field("border_white", "White border", FieldKind.COUNT),
        Field("duration_ms", "Duration", FieldKind.COUNT),
        Field("address", "Address"),
        ref("poster_id", "Poster", "media", optional=True, use="Posters of"),
    ),
    # Its sizes are made again where they are missing.
    revived=(("sizes", "'waiting'"), ("made_at", "UTC_TIMESTAMP(3)")),
)
