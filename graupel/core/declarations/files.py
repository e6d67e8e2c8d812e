"""What is kept of how files come in."""

from graupel.core.records import Field, FieldKind, Record

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
    ),
)
