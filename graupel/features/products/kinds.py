"""What the journal knows of products, variants and pictures, and how sets of them are put back."""

from graupel.features.history import records
from graupel.features.history.records import Column, Shown
from graupel.features.products import store

_UNTOUCHED = "p.version = 1 AND NOT EXISTS (SELECT 1 FROM variant pv WHERE pv.product_id = p.id AND pv.version <> 1)"
_PARENT = """EXISTS (SELECT 1 FROM product vp WHERE vp.id = {0}.product_id AND vp.was_live = {1} AND vp.version = 1
             AND NOT EXISTS (SELECT 1 FROM variant vs WHERE vs.product_id = vp.id AND vs.version <> 1))"""


def register_kinds(language: str) -> None:
    """Tell the journal of products, variants and pictures. ``language``: in which they are named."""
    records.register(
        records.RecordKind(
            "product",
            "Product",
            lambda tx, ids: {
                r["id"]: Shown(r["name"], f"/products/{r['id']}") for r in store.names(tx, list(ids), language)
            },
            plain="product",
            key="p.id",
            version="p.version",
            touch=", p.changed_at = UTC_TIMESTAMP(3)",
            table="product p JOIN product_text t ON t.product_id = p.id AND t.lang = %(lang)s",
            fields={
                "name": Column("t.name"),
                "description": Column("t.description"),
                "status": Column("p.status"),
                "category_id": Column("p.category_id", True, "category"),
                "brand": Column("p.brand"),
                "mpn": Column("p.mpn"),
            },
            removable=f"(p.was_live = FALSE AND {_UNTOUCHED})",
            retired_when=f"(p.was_live = TRUE AND {_UNTOUCHED})",
            retire=("status", "archived"),
            revive=(
                """INSERT INTO product (id, version, status, category_id, brand, mpn, made_at, changed_at)
               SELECT r.record_id, r.version, JSON_VALUE(r.became, '$.status'), JSON_VALUE(r.became, '$.category_id'),
                      COALESCE(JSON_VALUE(r.became, '$.brand'), ''), COALESCE(JSON_VALUE(r.became, '$.mpn'), ''),
                      UTC_TIMESTAMP(3), UTC_TIMESTAMP(3)""",
                """INSERT INTO product_text (product_id, lang, name, description)
               SELECT r.record_id, %(lang)s, JSON_VALUE(r.became, '$.name'), JSON_VALUE(r.became, '$.description')""",
            ),
        )
    )
    records.register(
        records.RecordKind(
            "variant",
            "Variant",
            lambda tx, ids: {
                r["id"]: Shown(r["sku"], f"/products/{r['product_id']}") for r in store.variant_names(tx, list(ids))
            },
            plain="variant",
            table="variant v",
            key="v.id",
            version="v.version",
            fields={
                "product_id": Column("v.product_id", True, "product"),
                "sku": Column("v.sku"),
                "price": Column("v.price"),
                "weight_g": Column("v.weight_g", True),
                "gtin": Column("v.gtin"),
            },
            removable=_PARENT.format("v", "FALSE"),
            follows_when=f"(r.was IS NULL AND {_PARENT.format('v', 'TRUE')})",
        )
    )
    records.register(
        records.RecordKind(
            "picture",
            "Picture",
            lambda tx, ids: {
                r["id"]: Shown(r["file_name"], f"/products/{r['product_id']}")
                for r in store.picture_names(tx, list(ids))
            },
            plain="picture",
            table="picture c",
            key="c.id",
            version="c.version",
            fields={
                "product_id": Column("c.product_id", True, "product"),
                "media_id": Column("c.media_id", True, "media"),
                "position": Column("c.position", True),
                "alt": Column("c.alt"),
            },
            removable=f"""(NOT EXISTS (SELECT 1 FROM change_row pr WHERE pr.change_set_id = r.change_set_id
                           AND pr.record_kind = 'product' AND pr.record_id = c.product_id AND pr.was IS NULL)
                       OR {_PARENT.format("c", "FALSE")})""",
            follows_when=f"(r.was IS NULL AND {_PARENT.format('c', 'TRUE')})",
        )
    )
    records.on_recorded(store.touch_products)
