"""Relations of many goods at once: by categories, as lines, and another product in the place of one."""

import re
from decimal import Decimal
from html import unescape

import pytest
from hypothesis import given
from hypothesis import strategies as st

from graupel.core.errors import NotAllowed, NotFound, Refused
from graupel.core.kits import PricedBy
from graupel.core.products import Status
from graupel.core.relations import RelationLine, read_lines
from graupel.core.roles import SYSTEM, Role
from graupel.features.categories import deleting
from graupel.features.categories import service as categories
from graupel.features.kits import service as kits
from graupel.features.products import service as products
from graupel.features.relations import by_category, by_file, replacing, service
from graupel.features.relations.cheaper import Wish
from tests.making import make_product, roll_back_newest, set_status
from tests.programs import client_of
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "client_of", "stranger"]
D = Decimal
GOES_WITH, FINER, ACCESSORIES = 1, 2, 3


@pytest.fixture
def goods(ctx):
    """Two wools of a category, needles and a hook of another, by SKU."""
    found = {sku: make_product(ctx, sku, price=D(5), category="Yarn > Aran") for sku in ("FEL-1", "FEL-2")}
    return found | {sku: make_product(ctx, sku, price=D(5), category="Tools") for sku in ("NDL-4", "HOOK-5")}


def text_of(answer):
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def there(ctx, product_id):
    found = ctx.db.run(lambda tx: service.of_product(ctx, tx, product_id))
    return [(one.row["relation_kind_id"], one.row["other_id"]) for one in found]


def relate(ctx, product_id, *wishes):
    service.relate(ctx, SYSTEM, product_id, [Wish(*one) for one in wishes], "Wool")


def beside(stranger, product_id):
    """The accessories that an article shows, by SKU."""
    return re.findall(
        r"Fellside aran (\S+-\d)", text_of(stranger.get(f"/shop/p/{product_id}-x")).split("Accessories")[-1]
    )


# --- by categories -------------------------------------------------------------------------------------------


def test_goods_of_a_category_have_those_of_another_beside_them(stranger, ctx, goods):
    tools, yarn = (categories.make(ctx, SYSTEM, name).id for name in ("Tools", "Yarn"))
    by_category.add(ctx, SYSTEM, ACCESSORIES, yarn, tools)
    page = text_of(stranger.get(f"/shop/p/{goods['FEL-1']}-x"))
    assert "Accessories Fellside aran HOOK-5" in page, "the newest first, also of what stands below the category"
    assert "Fellside aran NDL-4" in page
    assert "Accessories" not in text_of(stranger.get(f"/shop/p/{goods['NDL-4']}-x")), "it leads one way"
    relate(ctx, goods["FEL-1"], (ACCESSORIES, goods["NDL-4"]))
    assert beside(stranger, goods["FEL-1"]) == ["NDL-4", "HOOK-5"], "what was related by hand comes first, and once"
    (rule,) = by_category.list_rules(ctx, SYSTEM)
    by_category.remove(ctx, SYSTEM, rule.row["id"])
    assert beside(stranger, goods["FEL-1"]) == ["NDL-4"]
    roll_back_newest(ctx)
    assert beside(stranger, goods["FEL-1"]) == ["NDL-4", "HOOK-5"]


def test_a_rule_is_made_once_of_what_is_there_and_outlives_its_category(stranger, ctx, goods, viewer):
    tools, yarn = (categories.make(ctx, SYSTEM, name).id for name in ("Tools", "Yarn"))
    with pytest.raises(Refused) as refused:
        by_category.add(ctx, SYSTEM, ACCESSORIES, None, tools)
    assert [one.field for one in refused.value.problems] == ["of_category"]
    by_category.add(ctx, SYSTEM, ACCESSORIES, yarn, tools)
    with pytest.raises(Refused, match="there already"):
        by_category.add(ctx, SYSTEM, ACCESSORIES, yarn, tools)
    with pytest.raises(Refused, match="related by"):
        service.remove_kind(ctx, SYSTEM, ACCESSORIES)
    with pytest.raises(NotAllowed):
        by_category.add(ctx, viewer, FINER, yarn, tools)
    for sku in ("NDL-4", "HOOK-5"):
        set_status(ctx, goods[sku], Status.ARCHIVED)
    deleting.delete(ctx, SYSTEM, tools, with_branch=True)
    assert "Accessories" not in text_of(stranger.get(f"/shop/p/{goods['FEL-1']}-x"))
    (rule,) = by_category.list_rules(ctx, SYSTEM)
    assert (rule.of, rule.other) == ("Yarn", "")
    by_category.remove(ctx, SYSTEM, rule.row["id"])
    with pytest.raises(NotFound):
        by_category.remove(ctx, SYSTEM, rule.row["id"])


def test_rules_are_made_and_taken_away_on_the_page_of_kinds(browser, ctx, goods):
    tools, yarn = (categories.make(ctx, SYSTEM, name).id for name in ("Tools", "Yarn"))
    data = {"rule_kind": str(ACCESSORIES), "of_category": str(yarn), "other_category": ""}
    refused = browser.write("/relations/rules", data)
    assert (refused.status_code, "Choose one that is there." in refused.text) == (422, True)
    made = browser.write("/relations/rules", data | {"other_category": str(tools)})
    assert "Yarn Accessories Tools" in text_of(made)
    assert "By its categories also: goods of Tools" in text_of(browser.get(f"/products/{goods['FEL-1']}"))


# --- as lines ------------------------------------------------------------------------------------------------

LINES = "code,kind,other code\nFEL-1,Accessories,NDL-4\n\nfel-2, accessories ,NDL-4\nFEL-1,Goes well with,FEL-2\n"


def test_lines_are_looked_at_and_brought_in_at_once(ctx, goods):
    plan = by_file.plan(ctx, SYSTEM, LINES)
    assert (len(plan.new), plan.products, plan.there, plan.problems) == (3, 2, 0, [])
    assert by_file.bring_in(ctx, SYSTEM, LINES) == 3
    assert there(ctx, goods["FEL-1"]) == [(GOES_WITH, goods["FEL-2"]), (ACCESSORIES, goods["NDL-4"])]
    assert (GOES_WITH, goods["FEL-1"]) in there(ctx, goods["FEL-2"]), "it holds both ways"
    again = by_file.plan(ctx, SYSTEM, by_file.take_out(ctx, SYSTEM))
    assert (again.new, again.there, again.problems) == ([], 4, []), "what goes out comes in unchanged"
    roll_back_newest(ctx)
    assert there(ctx, goods["FEL-1"]) == []


def test_lines_that_can_not_be_taken_are_named_and_nothing_is_brought_in(browser, ctx, goods):
    text = "FEL-1;Accessories;NDL-9\nFEL-1;Friends;NDL-4\nFEL-1;Accessories;FEL-1\nFEL-1;NDL-4\nFEL-1;Accessories;NDL-4"
    said = [one.message for one in by_file.plan(ctx, SYSTEM, text).problems]
    assert [re.search(r"\d+", one)[0] for one in sorted(said)] == ["1", "2", "3", "4"]
    refused = browser.write("/relations/lines", {"text": text})
    assert refused.status_code == 422
    assert "nothing has the code or SKU NDL-9" in unescape(refused.text)
    assert "FEL-1;Friends;NDL-4" in refused.text, "what was typed stays"
    assert there(ctx, goods["FEL-1"]) == []
    looked = browser.write("/relations/lines/look", {"text": LINES})
    assert "3 new relations of 2 products, 0 there already" in text_of(looked)
    browser.write("/relations/lines", {"text": LINES})
    assert "FEL-1,Accessories,NDL-4" in browser.get("/relations/lines.csv").text


CELLS = st.text(st.characters(blacklist_categories=["Cc", "Cs", "Zl", "Zp"]), min_size=1, max_size=8).map(str.strip)


@given(
    st.lists(st.tuples(*[CELLS.filter(lambda one: one and not set(one) & set('\t;,"'))] * 3), min_size=1, max_size=5)
)
def test_lines_are_read_whatever_parts_them(rows):
    for mark in ("\t", ";", ","):
        text = "\n".join(mark.join(row) for row in [("code", "kind", "other code"), *rows])
        found, problems = read_lines(text)
        assert problems == []
        assert found == [RelationLine(n, *row) for n, row in enumerate(rows, 2)]


@pytest.mark.parametrize("text", ["", "\x00", '"', "a,b", "x" * 5000, "[" * 2000, ";;", "\ufeff"])
def test_odd_lines_are_told_and_break_nothing(text):
    found, problems = read_lines(text)
    assert found == []
    assert all(one.message for one in problems)


# --- another in its place ------------------------------------------------------------------------------------


def test_another_product_is_put_in_the_place_of_one_wherever_it_is_referred_to(as_role, ctx, goods):
    wool, finer, needles, hook = (goods[one] for one in ("FEL-1", "FEL-2", "NDL-4", "HOOK-5"))
    kit = make_product(ctx, "KIT", name="Hat kit")
    variant = {one: products.read(ctx, SYSTEM, one).variants[0].id for one in (needles, hook)}
    kits.save(ctx, SYSTEM, kit, [kits.Wish(variant[needles], "2")], PricedBy.OWN, "")
    relate(ctx, wool, (ACCESSORIES, needles), (FINER, finer))
    relate(ctx, finer, (ACCESSORIES, needles), (ACCESSORIES, hook))
    relate(ctx, hook, (FINER, needles))
    set_status(ctx, needles, Status.ARCHIVED)
    spots = {one.name: one for one in replacing.spots(ctx, SYSTEM, needles, hook)}
    assert {name: one.then for name, one in spots.items()} == {
        "Fellside aran FEL-1": "",
        "Fellside aran FEL-2": "taken out: it has the other already",
        "Fellside aran HOOK-5": "taken out: it has the other already",
        "Hat kit": "",
    }
    editor, at = as_role(Role.EDITOR), f"/products/{needles}/relations/replace"
    assert "Put it in 2 places" in text_of(editor.get(at, params={"by": hook}))
    assert "referred to in 4 places" in text_of(editor.get(at, params={"q": "hook"}))
    stale = editor.write(at, {"by": str(hook), "shown": "3"})
    assert (stale.status_code, "Look again" in stale.text) == (422, True)
    assert "Nothing refers to it" in text_of(editor.write(at, {"by": str(hook), "shown": "4"}))
    assert there(ctx, wool) == [(FINER, finer), (ACCESSORIES, hook)]
    assert there(ctx, finer) == [(ACCESSORIES, hook)]
    assert there(ctx, hook) == []
    roll_back_newest(ctx)
    assert there(ctx, finer) == [(ACCESSORIES, needles), (ACCESSORIES, hook)]
    assert len(replacing.spots(ctx, SYSTEM, needles)) == 4


def test_programs_read_and_write_what_goes_with_a_product(client_of, ctx, goods):
    client, at = client_of(Role.EDITOR), f"/products/{goods['FEL-1']}/related"
    less = {"by": "percent", "amount": "10.00", "begins": "2026-01-01T00:00:00Z", "ends": None}
    wanted = [
        {"product_id": goods["NDL-4"], "kind": "Accessories", "less": less},
        {"product_id": goods["HOOK-5"], "kind": "accessories", "less": None},
    ]
    said = client.put(at, json={"related": wanted}).json()
    assert said["related"] == [wanted[0], {**wanted[1], "kind": "Accessories"}]
    assert client.put(at, json=said).json() == said, "what was read is written unchanged"
    refused = client.put(at, json={"related": [{"product_id": 1, "kind": "Friends"}]})
    assert (refused.status_code, "Friends" in refused.text) == (422, True)
    backwards = {**less, "ends": "2025-01-01T00:00:00Z"}
    assert client.put(at, json={"related": [{**wanted[0], "less": backwards}]}).status_code == 422
    assert client.get(at).json() == said
    assert client_of(Role.VIEWER).put(at, json={"related": []}).status_code == 403
