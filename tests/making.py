"""What many tests make: products, files, pictures, and work that is done."""

import io
from dataclasses import replace
from decimal import Decimal
from typing import Any

from PIL import Image

from graupel.context import Context
from graupel.core.handling import Handling
from graupel.core.pictures import Picture
from graupel.core.products import ProductValues, Status
from graupel.core.roles import SYSTEM
from graupel.core.stock import How, Typed
from graupel.features.categories import service as categories
from graupel.features.destinations import shops
from graupel.features.files import service as files
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.jobs.worker import Worker

#: What a buyer says of where it goes.
BUYER = {
    "mail": "ida@fell.example",
    "name": "Ida Fell",
    "street": "Mill Lane 4",
    "postcode": "12345",
    "town": "Fellside",
    "country": "DE",
}


def jpeg(side: int = 600, colour: str = "#8C7AA0", **save: Any) -> bytes:
    """A plain picture."""
    out = io.BytesIO()
    Image.new("RGB", (side, side), colour).save(out, "JPEG", **save)
    return out.getvalue()


def make_product(
    ctx: Context, sku: str, *, picture_side: int | None = None, category: str | None = "Yarn > Aran", **given: Any
) -> int:
    """A product with sensible values; ``given`` overrides them."""
    values: dict[str, Any] = {
        "name": f"Fellside aran {sku}",
        "sku": sku,
        "price": Decimal("9.80"),
        "weight_g": 100,
        "status": Status.LIVE,
        "category_id": categories.make(ctx, SYSTEM, category).id if category else None,
    }
    if picture_side:
        file = media.take(ctx, SYSTEM, "skein.jpg", jpeg(picture_side))
        values["pictures"] = (Picture(file.id, "A skein of wool"),)
    return saving.create(ctx, SYSTEM, ProductValues(**{**values, **given}))


def set_status(ctx: Context, product_id: int, status: Status) -> None:
    """Put a product live, back to draft, or archive it."""
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, status=status), None)


def work_off(ctx: Context) -> None:
    """Do every job that is due now."""
    worker = Worker(ctx)
    while worker.work_one():
        pass


def roll_back_newest(ctx: Context) -> int:
    """Roll back what was done last; returns the id of the new change set."""
    number = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    by = ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, number)).by
    assert by
    return by


def outcome(ctx: Context, job_id: int) -> tuple[str, str]:
    """State and outcome of a job."""
    job = jobs.read(ctx, SYSTEM, job_id)
    return job["state"], job["outcome"]


def plan_file(ctx: Context, text: str | bytes, *, name: str = "goods.csv", live: bool = False) -> files.ImportFile:
    """A file that was taken in with guessed columns, after its dry run."""
    content = text.encode() if isinstance(text, str) else text
    file_id = files.take(ctx, SYSTEM, name, io.BytesIO(content))
    file = files.read(ctx, SYSTEM, file_id)
    handling = Handling.of(file.row)
    files.request_plan(ctx, SYSTEM, file_id, file.rules, replace(handling, go_live=live or handling.go_live))
    work_off(ctx)
    return files.read(ctx, SYSTEM, file_id)


def bring_in(ctx: Context, text: str, *, live: bool = False, leave_out: bool = False) -> files.ImportFile:
    """A file that was brought in whole."""
    planned = plan_file(ctx, text, live=live)
    files.request_apply(ctx, SYSTEM, planned.id, leave_out=leave_out)
    work_off(ctx)
    return files.read(ctx, SYSTEM, planned.id)


def catalogue(ctx: Context) -> dict[str, tuple[Any, ...]]:
    """The whole catalogue by SKU, for comparing before and after."""
    rows = ctx.db.run(
        lambda tx: tx.all(
            """SELECT v.sku, t.name, t.description, v.price, v.weight_g, p.status, p.category_id, v.gtin,
                  b.name AS brand, p.mpn, p.price AS base_price, k.on_hand, v.archived, v.combination, p.type_id, p.code
           FROM product p JOIN product_text t ON t.product_id = p.id JOIN variant v ON v.product_id = p.id
           LEFT JOIN brand b ON b.id = p.brand_id LEFT JOIN stock k ON k.id = v.id AND k.counted"""
        )
    )
    return {row["sku"]: tuple(row.values()) for row in rows}


def add_german(ctx: Context) -> None:
    """German as a further language of the default shop."""
    shops.add_language(ctx, SYSTEM, "de")


def add_outlet(ctx: Context, name: str = "Last Skeins", currency: str = "") -> int:
    """A second shop, whose own language is German; it shows nothing yet. Returns its id."""
    part = "outlet" if name == "Last Skeins" else name.lower()
    raw = {"name": name, "address_part": part, "languages": "de en", "currency": currency}
    return shops.make_shop(ctx, SYSTEM, raw)


def counted(number: int) -> Typed:
    """What somebody types who counted stock."""
    return Typed(How.COUNT, Decimal(number))
