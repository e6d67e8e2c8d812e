"""What is kept of how files come in."""

from graupel.core.records import Field, FieldKind, Record, ref

IMPORT_PROFILE = Record(
    "import_profile",
    "Profile of files",
    "ip",
    (
        Field("name", "Name"),
        Field("rules", "Columns", FieldKind.LINES),
        Field("go_live", "New products go live", FieldKind.SWITCH, empty=0),
        Field("show_new", "New categories are shown", FieldKind.SWITCH, empty=0),
        Field("way", "What files may do", FieldKind.WORD),
        Field("among", "Of which goods they are all there is", FieldKind.CODE, empty=""),
        Field("key_by", "By what rows mean goods", FieldKind.WORD),
        Field("rows_are", "What rows are", FieldKind.WORD),
        Field("revive", "Archived goods are for sale again", FieldKind.SWITCH, empty=0),
    ),
)

FILE_SOURCE = Record(
    "file_source",
    "Files that come by themselves",
    "fs",
    (
        Field("name", "Name"),
        Field("place", "From"),
        ref("profile_id", "Profile", "import_profile", optional=True),
        Field("every", "Looked for", FieldKind.WORD),
        Field("minute", "Minute", FieldKind.COUNT, empty=0),
        Field("bound", "Asks from so many per cent of prices", FieldKind.COUNT),
        Field("leave_out", "Refused rows are left out", FieldKind.SWITCH, empty=0),
        Field("person", "For"),
    ),
)

FILE_OUTLET = Record(
    "file_outlet",
    "Files that go by themselves",
    "fo",
    (
        Field("name", "Name"),
        Field("format", "Format", FieldKind.CODE),
        Field("with_pictures", "With pictures", FieldKind.SWITCH, empty=0),
        Field("fields", "Columns", FieldKind.LINES),
        Field("query", "Of the view", empty=""),
        Field("lens", "Seen as", FieldKind.CODE, empty=""),
        Field("every", "Written", FieldKind.WORD),
        Field("minute", "Minute", FieldKind.COUNT, empty=0),
        Field("person", "For"),
    ),
)
