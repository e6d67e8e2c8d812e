"""Files of the library."""

from graupel.core.records import Field, Kind, Record, ref

MEDIA = Record(
    "media",
    "Media",
    "m",
    (
        Field("kind", "Kind", Kind.WORD),
        Field("sha256", "Fingerprint", Kind.CODE),
        Field("file_name", "File"),
        Field("format", "Format", Kind.CODE),
        Field("bytes", "Bytes", Kind.COUNT),
        Field("width", "Width", Kind.COUNT),
        Field("height", "Height", Kind.COUNT),
        Field("border_white", "White border", Kind.COUNT),
        Field("duration_ms", "Duration", Kind.COUNT),
        Field("address", "Address"),
        ref("poster_id", "Poster", "media", optional=True),
    ),
    # Its sizes are made again where they are missing.
    revived=(("sizes", "'waiting'"), ("made_at", "UTC_TIMESTAMP(3)")),
)
