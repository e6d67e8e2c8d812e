"""Channels and what stands on them."""

from graupel.core.records import Field, FieldKind, Record, ref

#: An account on a marketplace: of it the journal keeps that it was connected, and History shows it.
CHANNEL = Record("channel", "Channel", "ch", ())

#: What somebody said of a product for a channel. Where the listing stands there is no field: what was sent can't be
#: taken back by a roll back.
LISTING = Record(
    "listing",
    "Listing",
    "li",
    (
        ref("channel_id", "Channel", "channel"),
        ref("product_id", "Product", "product"),
        Field("reference", "Reference", FieldKind.CODE),
        Field("category_code", "Category there", FieldKind.CODE),
        Field("title", "Title there", empty=""),
    ),
    parent="product",
)
