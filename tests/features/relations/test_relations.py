"""Goods that belong together: in an order, both ways where that is wished, seen beside an article, bought together."""

import re
from decimal import Decimal
from html import unescape

import pytest

from graupel.core import changes
from graupel.core.errors import NotAllowed, Outdated, Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.core.stock import Reason
from graupel.features.choices import service as choices
from graupel.features.choices import uses
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.products import service as products
from graupel.features.relations import service
from graupel.features.relations.cheaper import Wish
from graupel.features.stock import service as stock
from graupel.features.variants import copying
from graupel.features.wording import service as wording
from tests.making import add_german, make_product, roll_back_newest, set_status
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]
D = Decimal
GOES_WITH, FINER, ACCESSORIES = 1, 2, 3


@pytest.fixture
def goods(ctx):
    return [make_product(ctx, f"FEL-{number}", price=D(number)) for number in range(1, 5)]


def there(ctx, product_id):
    found = ctx.db.run(lambda tx: service.of_product(ctx, tx, product_id))
    return [(one.row["relation_kind_id"], one.row["other_id"]) for one in found]


def relate(ctx, product_id, *wishes, told=None, by=SYSTEM):
    service.relate(ctx, by, product_id, [Wish(*one) for one in wishes], "Wool", changes.marks(told) if told else None)


def test_they_stand_in_order_and_each_once(ctx, goods):
    wool, needles, buttons, finer = goods
    relate(ctx, wool, (ACCESSORIES, buttons), (ACCESSORIES, needles), (FINER, finer), (FINER, finer), (FINER, wool))
    assert there(ctx, wool) == [(FINER, finer), (ACCESSORIES, buttons), (ACCESSORIES, needles)]
    relate(ctx, wool, (ACCESSORIES, needles), (ACCESSORIES, buttons))
    assert there(ctx, wool) == [(ACCESSORIES, needles), (ACCESSORIES, buttons)]
    roll_back_newest(ctx)
    assert there(ctx, wool) == [(FINER, finer), (ACCESSORIES, buttons), (ACCESSORIES, needles)]


def test_what_holds_both_ways_is_there_from_both_sides_and_goes_from_both(ctx, goods):
    wool, needles, _, finer = goods
    relate(ctx, wool, (GOES_WITH, needles), (FINER, finer))
    assert there(ctx, needles) == [(GOES_WITH, wool)]
    assert there(ctx, finer) == [], "this kind leads one way"
    relate(ctx, needles)
    assert there(ctx, wool) == [(FINER, finer)]
    roll_back_newest(ctx)
    assert (there(ctx, wool)[0], there(ctx, needles)) == ((GOES_WITH, needles), [(GOES_WITH, wool)])


def test_two_who_change_them_meet(ctx, goods):
    wool, needles, buttons, _ = goods
    shown = service.flat(ctx.db.run(lambda tx: service.of_product(ctx, tx, wool)))
    relate(ctx, wool, (ACCESSORIES, needles), told=shown)
    with pytest.raises(Outdated):
        relate(ctx, wool, (ACCESSORIES, buttons), told=shown)
    assert there(ctx, wool) == [(ACCESSORIES, needles)]


def test_what_is_removed_is_not_seen_and_is_there_again_with_it(ctx, goods):
    wool, needles, *_ = goods
    relate(ctx, wool, (ACCESSORIES, needles))
    made = next(one["id"] for one in history.list_change_sets(ctx, SYSTEM).change_sets if "FEL-2" in one["title"])
    by = ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, made)).by
    (one,) = ctx.db.run(lambda tx: service.of_product(ctx, tx, wool))
    assert one.product is None or one.product["status"] == "archived"
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, by))
    (one,) = ctx.db.run(lambda tx: service.of_product(ctx, tx, wool))
    assert (one.product["name"], one.product["status"]) == ("Fellside aran FEL-2", "live")


def test_a_copy_goes_with_what_its_original_goes_with(ctx, goods):
    wool, needles, *_ = goods
    relate(ctx, wool, (GOES_WITH, needles))
    made = copying.copy(ctx, SYSTEM, wool)
    assert there(ctx, made) == [(GOES_WITH, needles)]
    assert there(ctx, needles) == [(GOES_WITH, wool)], "nothing else learns of the copy"


def test_kinds_are_words_that_a_merchant_adds(ctx, goods):
    service.save_kind(ctx, SYSTEM, None, "Often bought with", mutual=True, offered=False)
    with pytest.raises(Refused, match="There is a kind “often bought with” already"):
        service.save_kind(ctx, SYSTEM, None, "often bought with", mutual=False, offered=False)
    with pytest.raises(Refused, match="needs a name"):
        service.save_kind(ctx, SYSTEM, None, " ", mutual=False, offered=False)
    made = service.list_kinds(ctx, SYSTEM)[-1].row
    relate(ctx, goods[0], (made["id"], goods[1]))
    with pytest.raises(Refused, match="Goods are related by “Often bought with”"):
        service.remove_kind(ctx, SYSTEM, made["id"])
    relate(ctx, goods[0])
    service.remove_kind(ctx, SYSTEM, made["id"])
    assert [one.row["id"] for one in service.list_kinds(ctx, SYSTEM)] == [1, 2, 3, 4, 5, 6]


def test_a_viewer_changes_none_of_it(ctx, viewer, goods):
    with pytest.raises(NotAllowed):
        relate(ctx, goods[0], (FINER, goods[1]), by=viewer)
    with pytest.raises(NotAllowed):
        service.save_kind(ctx, viewer, None, "X", mutual=False, offered=False)


def test_the_part_finds_adds_and_names_what_is_not_to_be_had(browser, ctx, goods):
    wool, needles, *_ = goods
    found = browser.get(f"/products/{wool}/relations/find", params={"q": "FEL"}).text
    assert f'value="{needles}"' in found
    assert f'name="add" value="{wool}"' not in found, "not itself"
    part = browser.write(f"/products/{wool}/relations", {"add": str(needles), "add_kind": str(ACCESSORIES)}).text
    assert "Fellside aran FEL-2" in part
    set_status(ctx, needles, Status.ARCHIVED)
    assert "1 not to be had" in browser.get(f"/products/{wool}").text
    set_status(ctx, needles, Status.LIVE)
    assert "not to be had" not in browser.get(f"/products/{wool}").text
    variant = products.read(ctx, SYSTEM, needles).variants[0].id
    stock.book(ctx, SYSTEM, variant, None, "=0", "", Reason.COUNTED)
    part = browser.get(f"/products/{wool}").text
    assert "1 not to be had" in part
    assert "sold out" in part
    assert "Goes well with" in browser.get("/relations").text


# --- in the shop window --------------------------------------------------------------------------------------


def text_of(answer):
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def variant_of(ctx, product_id):
    return ctx.db.run(lambda tx: tx.value("SELECT id FROM variant WHERE product_id = %s", [product_id]))


def test_an_article_shows_what_goes_with_it_and_of_that_what_is_for_sale(stranger, ctx, goods):
    wool, needles, buttons, finer = goods
    relate(ctx, wool, (GOES_WITH, needles), (GOES_WITH, buttons), (FINER, finer))
    set_status(ctx, buttons, Status.DRAFT)
    page = text_of(stranger.get(f"/shop/p/{wool}-x"))
    assert "Goes well with Fellside aran FEL-2 €2.00" in page
    assert "Finer still Fellside aran FEL-4" in page
    assert "FEL-3" not in page


def test_what_needs_no_word_goes_into_the_basket_together_with_the_total_shown(stranger, ctx, goods):
    wool, needles, buttons, finer = goods
    relate(ctx, wool, (GOES_WITH, needles), (ACCESSORIES, buttons), (FINER, finer))
    engraved = choices.save(ctx, SYSTEM, None, {"name": "Words", "kind": "line", "needed": "yes"}, [])
    uses.ask(ctx, SYSTEM, buttons, [engraved], "Buttons")
    page = stranger.get(f"/shop/p/{wool}-x")
    ticks = re.findall(r'name="beside" id="beside-(\d+)"', page.text)
    assert ticks == [str(variant_of(ctx, needles))], "not what must be asked first, nor a kind that is only shown"
    data = {"v": str(variant_of(ctx, wool)), "n": "2", "beside": ticks}
    assert "Together: €4.00" in text_of(stranger.post(f"{page.url.path}/asked", data=data))
    basket = text_of(
        stranger.post(f"{page.url.path}/basket", data={**data, "beside": [*ticks, str(variant_of(ctx, buttons))]})
    )
    assert "Fellside aran FEL-1" in basket
    assert "Fellside aran FEL-2" in basket
    assert "FEL-3" not in basket
    assert "Goods €4.00" in basket


def test_what_costs_less_together_does_so_in_its_span_and_stands_in_the_order(stranger, ctx, goods):
    wool, needles = goods[0], goods[3]
    relate(ctx, wool, (ACCESSORIES, needles, "10 %", "2026-01-01T00:00", ""))
    page = stranger.get(f"/shop/p/{wool}-x")
    assert "FEL-4 +€3.60 €4.00" in text_of(page)
    stranger.post(
        f"{page.url.path}/basket", data={"v": variant_of(ctx, wool), "n": "2", "beside": variant_of(ctx, needles)}
    )
    basket = text_of(stranger.get("/shop/basket"))
    assert "Less together with Fellside aran FEL-1 (−€0.40 once)" in basket
    assert "€5.60" in basket
    relate(ctx, wool, (ACCESSORIES, needles, "10 %", "", "2026-01-01T00:00"))
    assert "Less together" not in text_of(stranger.get("/shop/basket"))
    assert "FEL-4 +€4.00" in text_of(stranger.get(f"/shop/p/{wool}-x"))
    roll_back_newest(ctx)
    assert "Less together" in text_of(stranger.get("/shop/basket"))


def test_how_much_less_is_checked_at_its_row_and_two_who_say_it_meet(browser, ctx, goods):
    wool, needles, buttons, _ = goods
    with pytest.raises(Refused) as refused:
        relate(ctx, wool, (ACCESSORIES, buttons), (ACCESSORIES, needles, "ten"))
    assert [one.field for one in refused.value.problems] == ["less-1"]
    with pytest.raises(Refused, match="It would end before it begins"):
        relate(ctx, wool, (ACCESSORIES, needles, "1", "2026-02-01T00:00", "2026-01-01T00:00"))
    relate(ctx, wool, (ACCESSORIES, needles, "1.00"), (ACCESSORIES, buttons))
    told = service.flat(ctx.db.run(lambda tx: service.of_product(ctx, tx, wool)))
    relate(ctx, wool, (ACCESSORIES, buttons), (ACCESSORIES, needles, "1.00"), told=told)
    relate(ctx, wool, (ACCESSORIES, needles, "2.00"), (ACCESSORIES, buttons), told=told)
    assert there(ctx, wool) == [(ACCESSORIES, buttons), (ACCESSORIES, needles)], "the order is the other person's"
    with pytest.raises(Outdated):
        relate(ctx, wool, (ACCESSORIES, needles, "3.00"), (ACCESSORIES, buttons), told=told)
    data = {
        "others": [needles, buttons],
        "kinds": [ACCESSORIES] * 2,
        "less": ["x", ""],
        "begins": ["", ""],
        "ends": ["", ""],
    }
    answer = browser.write(f"/products/{wool}/relations", data)
    assert answer.status_code == 422
    assert re.findall(r'name="others" value="(\d+)"', answer.text) == [str(needles), str(buttons)], "as it was typed"
    assert 'value="x"' in answer.text


def test_what_is_related_is_called_in_the_buyers_language(stranger, ctx, goods):
    add_german(ctx)
    relate(ctx, goods[0], (FINER, goods[1]))

    def translate(tx):
        with history.change_set(tx, SYSTEM, "words", "Words") as recorder:
            wording.save(tx, recorder, "relation_kind", FINER, {".de.name": "Noch feiner"}, {"name": "Finer still"})

    ctx.db.run(translate)
    assert "Noch feiner" in stranger.get(f"/shop/de/p/{goods[0]}-x").text
    assert "Finer still" in stranger.get(f"/shop/p/{goods[0]}-x").text
