"""The demo shop's goods obey the rules that everybody's goods obey."""

import io

import pytest
from PIL import Image

from graupel.core import products
from graupel.core.identifiers import parse_gtin, parse_sku
from graupel.core.product_types import Need
from graupel.core.products import ProductValues, Status
from graupel.demo import catalogue, goods, load, pictures
from graupel.demo import vocabulary as words
from graupel.features.listings import connecting
from graupel.features.products import many
from standins.ostlerby import rules
from tests import schemaorg
from tests.making import work_off
from tests.ostlerby import KEY, Hall, hall
from tests.serving import app, stranger

__all__ = ["app", "hall", "stranger"]
GOODS = list(catalogue.goods())


def test_codes_are_unique_valid_and_made_up():
    assert len({parse_sku(good.sku) for good in GOODS}) == len(GOODS) >= 300
    assert sum(good.variants for good in GOODS) > 2500
    numbers = goods.Numbers()
    given = [numbers.next() for _ in range(3000)]
    assert len(set(given)) == len(given)
    assert all(parse_gtin(number).startswith("952") for number in given)
    assert {good.hall for good in GOODS} - {None} <= rules.ENDS


def test_what_is_live_may_be_live():
    for good in GOODS:
        values = ProductValues(
            name=good.name, sku=good.sku, price=good.amount, category_id=1, status=Status(good.status)
        )
        assert products.problems_of(values) == []
        needed = {name for name, _, need, _ in words.TYPES[good.kind][1] if need is Need.ALWAYS}
        assert needed <= good.facts.keys(), good.name
        assert good.facts.keys() <= words.ATTRIBUTES.keys()
        assert {name for name, _ in good.axes} <= {one for one, _, _, differs in words.TYPES[good.kind][1] if differs}


@pytest.mark.parametrize("kind", sorted({shot.kind for good in GOODS for shot in good.shots}))
def test_pictures_are_drawn_the_same_each_time_and_are_not_blank(kind):
    first, again = (pictures.draw(kind, "#A8552F", 7, 200) for _ in range(2))
    assert first == again
    picture = Image.open(io.BytesIO(first)).convert("RGB")
    assert picture.size == (200, 200)
    assert len(picture.getcolors(100_000)) > 50


def test_the_shop_is_loaded_once_with_people_goods_and_listings(ctx, hall: Hall, stranger, monkeypatch):
    monkeypatch.setattr(
        catalogue, "goods", lambda: [good for good in GOODS if good.sku.startswith(("LAN", "FEL", "BT-HO", "WS-DYE"))]
    )
    assert not load.is_loaded(ctx)
    load.load(ctx, hall.address, KEY, lambda text: None)
    assert load.is_loaded(ctx)
    work_off(ctx)
    found = many.list_after(ctx, load.SYSTEM, after=0, limit=100)
    assert {"BT-HO-SQ-01", "HOOK-SET"} <= {product.values.sku for product in found}
    yarn = next(product for product in found if product.values.code == "FEL-AR-00")
    good = next(good for good in GOODS if good.sku == "FEL-AR-00")
    assert good.variants // 2 < len(yarn.variants) < good.variants
    assert all(parse_gtin(variant.gtin) for variant in yarn.variants)
    assert connecting.list_channels(ctx, load.SYSTEM)[0]["states"]["review"] >= 2
    for one in found:
        path = f"/shop/p/{one.id}"
        if one.values.status is Status.LIVE:
            assert schemaorg.described(stranger.get(path).text, "http://127.0.0.1" + path)[0]["name"]
    load.reconnect(ctx, "http://127.0.0.1:9", KEY)
    assert connecting.list_channels(ctx, load.SYSTEM)[0]["address"] == "http://127.0.0.1:9"
