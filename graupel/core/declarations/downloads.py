"""What buyers download: files with versions, and with which products they are given."""

from graupel.core.records import LANGUAGE, Field, FieldKind, Record, ref

DOWNLOAD = Record(
    "download",
    "Download",
    "dl",
    (
        Field("name", "Name", own=(LANGUAGE,)),
        Field("before_buying", "To look into before buying", FieldKind.SWITCH, empty=0),
        Field("times", "So often", FieldKind.COUNT),
        Field("days", "For so many days", FieldKind.COUNT),
        Field("stamped", "Stamped", FieldKind.SWITCH, empty=0),
        Field("plays", "Video and sound", FieldKind.WORD, empty="kept"),
        Field("excerpt_pages", "Pages to look into", FieldKind.COUNT),
        Field("renews", "Earlier buyers get new versions", FieldKind.SWITCH, empty=0),
    ),
)

DOWNLOAD_VERSION = Record(
    "download_version",
    "Version of a download",
    "dv",
    (
        ref("download_id", "Download", "download"),
        Field("number", "Number", FieldKind.COUNT),
        Field("file_name", "File"),
        Field("kept_as", "Kept as", FieldKind.CODE),
        Field("bytes", "Bytes", FieldKind.COUNT),
        Field("pages", "Pages", FieldKind.COUNT),
        Field("trouble", "Not stamped because", empty=""),
    ),
    parent="download",
)

DOWNLOAD_USE = Record(
    "download_use",
    "Download with a product",
    "du",
    (
        ref("product_id", "Product", "product"),
        ref("variant_id", "Variant", "variant", optional=True),
        ref("download_id", "Download", "download", use="products", once=("product_id", "variant_id")),
        Field("position", "Place", FieldKind.COUNT, empty=0),
    ),
    parent="product",
)
