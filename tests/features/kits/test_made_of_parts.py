"""Kits: made of parts, priced and weighed by them, sold as many as they make, bought, taken from stock, given back."""

import random
import re
import threading
from dataclasses import replace
from decimal import Decimal
from html import unescape

import pytest

from graupel.core import changes
from graupel.core.errors import NotAllowed, Outdated, Refused
from graupel.core.file_columns import ROW_FIELDS
from graupel.core.imports import FileRow, plan_row
from graupel.core.kits import PricedBy, makes
from graupel.core.orders import Report, Stack, Told
from graupel.core.products import Status
from graupel.core.resolve import DEFAULT_LENS
from graupel.core.roles import SYSTEM, Role
from graupel.core.stock import Reason
from graupel.core.tables import TableState
from graupel.features.assortments import service as assortments
from graupel.features.bulk import service as bulk
from graupel.features.delivery import service as delivery
from graupel.features.delivery.service import Stands
from graupel.features.destinations import service as destinations
from graupel.features.destinations import terms as destination_terms
from graupel.features.files import planned_rows
from graupel.features.history import service as history
from graupel.features.kits import reading, service
from graupel.features.kits.service import Wish
from graupel.features.orders import reading as orders
from graupel.features.orders import rules
from graupel.features.orders import service as reports
from graupel.features.orders.service import Reported
from graupel.features.products import saving, selling, table
from graupel.features.products import service as products
from graupel.features.stock import service as stock
from graupel.features.variants import copying
from tests.making import BUYER, add_outlet, make_product, plan_file, roll_back_newest, set_status, work_off
from tests.programs import client_of
from tests.serving import Browser, app, as_role, stranger

__all__ = ["app", "as_role", "client_of", "stranger"]
D = Decimal


@pytest.fixture
def goods(ctx):
    """By SKU: two wools of which one colour is picked, ribbon by the metre, and the kit."""
    rules.save(ctx, SYSTEM, {"transfer": "yes", "transfer_to": "Account 4711"})
    rows = [{"countries": "DE", "days": "1-2", "steps": "3.90", "free_from": ""}]
    delivery.save_promise(ctx, SYSTEM, None, {"name": "Parcel"}, rows, Stands(shop=True))
    made = {sku: make_product(ctx, sku, price=D(price), weight_g=100, stock=there) for sku, price, there in PARTS}
    made["KIT"] = make_product(ctx, "KIT", name="Hat kit", price=D(50), weight_g=None)
    return made


PARTS = (("MOSS", "9.80", 9), ("RUST", "10.30", 30), ("RIBBON", "4.20", 7))


def variant_of(ctx, product_id):
    return products.read(ctx, SYSTEM, product_id).variants[0]


def wishes(ctx, goods):
    """Four skeins of a picked colour, and 2.5 m of ribbon."""
    ids = {sku: variant_of(ctx, one).id for sku, one in goods.items()}
    return [Wish(ids["MOSS"], "4", "Colour"), Wish(ids["RUST"], "4", "colour"), Wish(ids["RIBBON"], "2.5")]


def say(ctx, goods, parts=None, priced_by=PricedBy.PARTS, percent="10", marks=None):
    wanted = wishes(ctx, goods) if parts is None else parts
    service.save(ctx, SYSTEM, goods["KIT"], wanted, priced_by, percent, marks)


@pytest.fixture
def kit(ctx, goods):
    say(ctx, goods)
    return goods["KIT"]


def read(ctx, product_id):
    return ctx.db.run(lambda tx: reading.of_product(ctx, tx, product_id, DEFAULT_LENS))


def reprice(ctx, product_id, price):
    values = products.read(ctx, SYSTEM, product_id).values
    saving.save(ctx, SYSTEM, product_id, replace(values, price=D(price)), None)


def most(ctx, product_id):
    return selling.read(ctx, products.read(ctx, SYSTEM, product_id)).sells[variant_of(ctx, product_id).id].most


# --- made of parts -------------------------------------------------------------------------------------------


def test_it_costs_and_weighs_what_its_parts_do(ctx, goods, kit):
    found = variant_of(ctx, kit)
    assert (found.price, found.weight_g) == (D("44.73"), 650)
    assert [one.pick for one in read(ctx, kit).parts] == ["Colour", "Colour", ""], "written as in its first row"
    roll_back_newest(ctx)
    found = variant_of(ctx, kit)
    assert (found.price, found.weight_g, read(ctx, kit).parts) == (D(50), None, ())


def test_it_follows_its_parts_and_not_what_somebody_types(ctx, goods, kit):
    work_off(ctx)
    sets = len(history.list_change_sets(ctx, SYSTEM).change_sets)
    reprice(ctx, goods["MOSS"], "11.80")
    work_off(ctx)
    assert variant_of(ctx, kit).price == D("51.93")
    titles = [one["title"] for one in history.list_change_sets(ctx, SYSTEM).change_sets]
    assert (len(titles) - sets, titles[0]) == (2, "Kits cost and weigh what their parts do")
    with pytest.raises(Refused, match="It follows from the kit’s parts"):
        reprice(ctx, kit, "9")
    with pytest.raises(Refused, match="there is what its parts make"):
        saving.save(ctx, SYSTEM, kit, replace(products.read(ctx, SYSTEM, kit).values, stock=D(4)), None)
    say(ctx, goods, priced_by=PricedBy.OWN)
    reprice(ctx, kit, "9")
    reprice(ctx, goods["MOSS"], "12")
    work_off(ctx)
    assert variant_of(ctx, kit).price == D(9)


def test_a_part_without_a_price_leaves_what_was_typed(ctx, goods):
    reprice(ctx, goods["RIBBON"], "4.20")
    values = products.read(ctx, SYSTEM, goods["RIBBON"]).values
    saving.save(ctx, SYSTEM, goods["RIBBON"], replace(values, price=None, status=Status.DRAFT), None)
    say(ctx, goods)
    assert variant_of(ctx, goods["KIT"]).price == D(50)


@pytest.mark.parametrize(
    ("quantity", "pick", "percent", "field"),
    [
        ("0", "", "10", "part-0"),
        ("-1", "", "10", "part-0"),
        ("x", "", "10", "part-0"),
        ("1.234", "", "10", "part-0"),
        ("99999", "", "10", "part-0"),
        ("1", "x" * 81, "10", "part-0"),
        ("1", "", "100", "percent"),
        ("1", "", "-5", "percent"),
        ("1", "", "ten", "percent"),
    ],
)
def test_what_can_not_be_is_refused_at_its_field(ctx, goods, quantity, pick, percent, field):
    with pytest.raises(Refused) as refused:
        say(ctx, goods, [Wish(variant_of(ctx, goods["MOSS"]).id, quantity, pick)], percent=percent)
    assert [one.field for one in refused.value.problems] == [field]


def test_a_kit_is_no_part_of_a_kit(ctx, goods, kit):
    other = make_product(ctx, "SET")
    with pytest.raises(Refused, match="“Hat kit” is a kit"):
        service.save(ctx, SYSTEM, other, [Wish(variant_of(ctx, kit).id)], PricedBy.OWN, "")
    with pytest.raises(Refused, match="It is a part of “Hat kit”"):
        service.save(ctx, SYSTEM, goods["MOSS"], [Wish(variant_of(ctx, other).id)], PricedBy.OWN, "")
    with pytest.raises(Refused, match="part of itself"):
        service.save(ctx, SYSTEM, other, [Wish(variant_of(ctx, other).id)], PricedBy.OWN, "")


def test_two_at_once_put_no_kit_into_a_kit(ctx, goods):
    first, second = (make_product(ctx, sku) for sku in ("SET-1", "SET-2"))
    moss, ids = variant_of(ctx, goods["MOSS"]).id, {one: variant_of(ctx, one).id for one in (first, second)}
    refused, gate = [], threading.Barrier(2)

    def press(kit, part):
        gate.wait()
        try:
            service.save(ctx, SYSTEM, kit, [Wish(part)], PricedBy.OWN, "")
        except Refused as refusal:
            refused.append(refusal.problems[0].code)

    threads = [
        threading.Thread(target=press, args=(first, ids[second])),
        threading.Thread(target=press, args=(second, moss)),
    ]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert refused == ["kit.in_kit"]
    assert sum(bool(read(ctx, one).parts) for one in (first, second)) == 1


def test_two_who_change_it_meet_and_a_viewer_changes_nothing(ctx, goods, kit, as_role):
    marks = changes.marks(service.flat(read(ctx, kit)))
    say(ctx, goods, percent="20", marks=marks)
    say(ctx, goods, wishes(ctx, goods)[:2], marks=marks)
    found = read(ctx, kit)
    assert (found.percent, len(found.parts)) == (D(20), 2), "each changed something else"
    with pytest.raises(Outdated):
        say(ctx, goods, wishes(ctx, goods)[1:], percent="20", marks=marks)
    with pytest.raises(NotAllowed):
        service.save(ctx, as_role(Role.VIEWER).actor, kit, [], PricedBy.OWN, "")


def test_a_copy_is_made_of_the_same(ctx, goods, kit):
    made = copying.copy(ctx, SYSTEM, kit)
    mine, its_own = read(ctx, kit), read(ctx, made)
    assert service.flat(mine) == service.flat(its_own)
    assert mine.parts[0].id != its_own.parts[0].id


# --- how many there are --------------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(6))
def test_by_sets_as_many_can_be_made_as_one_by_one(ctx, seed):
    dice = random.Random(seed)
    parts = []
    for n in range(8):
        more = {"sells": dice.choice([None, None, "never", "always"]), "at_zero": dice.choice([None, "go_on", "limit"])}
        more |= {"zero_limit": D(dice.randrange(5)), "held_back": D(dice.randrange(3))}
        parts.append(make_product(ctx, f"P-{n}", stock=dice.choice([None, 0, 3, 9, D("7.5")]), **more))
    if dice.random() < 0.5:
        set_status(ctx, parts[0], Status.ARCHIVED)
    kits = [make_product(ctx, f"K-{n}", at_zero=dice.choice([None, "hide", "go_on"])) for n in range(4)]
    for one in kits:
        chosen = dice.sample(parts, dice.randrange(1, 5))
        picks = [dice.choice(["", "", "Colour"]) for _ in chosen]
        wanted = [
            Wish(variant_of(ctx, part).id, str(dice.choice(["1", "2", "0.5", "2.5"])), pick)
            for part, pick in zip(chosen, picks, strict=True)
        ]
        service.save(ctx, SYSTEM, one, wanted, PricedBy.OWN, "")
    by_sets = selling.now_of(ctx, kits)
    for one in kits:
        product = products.read(ctx, SYSTEM, one)
        assert product.made == makes(read(ctx, one).parts)
        single, many = selling.read(ctx, product).sells[product.variants[0].id], by_sets[product.variants[0].id]
        assert (many.standing, many.ready, many.most) == (single.standing, single.ready, single.most)


def test_the_table_hears_of_it_when_a_part_is_gone(ctx, goods, kit):
    def had():
        rows = {row["id"]: row for row in table.read(ctx, SYSTEM, TableState.read({"had": ["yes"]})).rows}
        assert kit not in rows or rows[kit]["stock"] == most(ctx, kit)
        return kit in rows

    assert (had(), most(ctx, kit)) == (True, D(2))
    stock.book(ctx, SYSTEM, variant_of(ctx, goods["RIBBON"]).id, None, "=2", "", Reason.COUNTED)
    assert (had(), most(ctx, kit)) == (False, D(0))
    stock.book(ctx, SYSTEM, variant_of(ctx, goods["RIBBON"]).id, None, "=6", "", Reason.COUNTED)
    assert (had(), most(ctx, kit)) == (True, D(2))
    set_status(ctx, goods["RIBBON"], Status.ARCHIVED)
    assert (had(), most(ctx, kit)) == (False, D(0))


def test_the_editor_names_what_is_not_to_be_had_and_says_where_it_is_in(as_role, ctx, goods, kit):
    set_status(ctx, goods["RIBBON"], Status.ARCHIVED)
    editor = as_role(Role.EDITOR)
    page = text_of(editor.get(f"/products/{kit}"))
    assert "Kit 3 parts, none can be made" in page
    assert "1 part is not to be had any more." in page
    assert "It is in Hat kit" in text_of(editor.get(f"/products/{goods['MOSS']}"))
    found = editor.get(f"/products/{kit}/kit/find", params={"q": "moss"})
    assert "MOSS" in found.text
    assert "Nothing that a kit can be made of" in editor.get(f"/products/{kit}/kit/find", params={"q": "kit"}).text


def test_what_was_typed_stays_where_it_can_not_be_taken(as_role, ctx, goods, kit):
    parts = read(ctx, kit).parts
    data = {"variants": [parts[2].variant_id, parts[0].variant_id], "quantities": ["many", "3"], "picks": ["", "Wool"]}
    answer = as_role(Role.EDITOR).write(f"/products/{kit}/kit", data | {"priced_by": "own", "percent": "7"})
    assert answer.status_code == 422
    values = re.findall(r'name="(?:variants|quantities|picks|percent)"[^>]* value="([^"]*)"', answer.text)
    both = re.findall(r'value="([^"]*)"[^>]*', answer.text)
    assert {"many", "3", "Wool", "7"} <= {*values, *both}
    assert "is no quantity" in unescape(answer.text)


# --- bought --------------------------------------------------------------------------------------------------


def text_of(answer):
    return re.sub(r"\s+", " ", unescape(re.sub(r"<[^>]+>", " ", answer.text)))


def put(browser, ctx, product_id, n="1", picked=0):
    """Into the basket, with what stands first in the pick of a kit, or another."""
    path = browser.get(f"/shop/p/{product_id}-x").url.path
    parts = [one for one in read(ctx, product_id).parts if one.pick]
    answers = {f"c{-parts[0].id}": str(-parts[picked].id)} if parts else {}
    given = {"v": str(variant_of(ctx, product_id).id), "n": n, **answers}
    return browser.post(f"{path}/basket", data=given)


def order(browser, shown=None):
    browser.post("/shop/basket", data={"do": "change", **BUYER})
    if shown is None:
        shown = re.search(r'name="shown" value="([\d.]+)"', browser.get("/shop/basket").text)[1]
    data = {"do": "order", "shown": shown, "pays_by": "transfer", **BUYER}
    return browser.post("/shop/basket", data=data, follow_redirects=False)


def held(ctx, goods):
    found = {sku: variant_of(ctx, one) for sku, one in goods.items() if sku != "KIT"}
    return {sku: (one.stock, one.reserved) for sku, one in found.items()}


def newest(ctx):
    return orders.read(ctx, SYSTEM, orders.list_orders(ctx, SYSTEM, Stack.ALL, "", 0).orders[0]["id"])


def test_a_buyer_picks_and_the_parts_are_taken_and_given_back(stranger, as_role, ctx, goods, kit):
    page = stranger.get(f"/shop/p/{kit}-x")
    assert "Contains 2.5 × Fellside aran RIBBON" in text_of(page)
    assert "Fellside aran RUST +€1.80" in text_of(page)
    put(stranger, ctx, kit, n="2", picked=1)
    assert "Contains 2.5 × Fellside aran RIBBON" in text_of(stranger.get("/shop/basket"))
    assert order(stranger).status_code == 303
    found = newest(ctx)
    assert found.positions[0].row["piece"] == D("46.53")
    assert held(ctx, goods) == {"MOSS": (9, 0), "RUST": (30, 8), "RIBBON": (7, 5)}
    editor, at = as_role(Role.EDITOR), f"/orders/{found.row['id']}"
    assert "2.5 × Fellside aran RIBBON" in text_of(editor.get(at)), "so it can be packed"
    editor.write(f"{at}/paid")
    assert held(ctx, goods) == {"MOSS": (9, 0), "RUST": (22, 0), "RIBBON": (2, 0)}
    editor.write(f"{at}/returned", {"back-RUST": "3"})
    assert held(ctx, goods)["RUST"] == (25, 0)


def test_in_another_currency_a_kit_and_its_picks_follow_the_shop_s_rate(stranger, ctx, goods, kit):
    work_off(ctx)
    shop = add_outlet(ctx, currency="CHF")
    assortments.set_shows_all(ctx, SYSTEM, destinations.read_shop(ctx, SYSTEM, shop), True)
    destination_terms.save(ctx, SYSTEM, f"s{shop}", {"rate": "2"})
    page = text_of(stranger.get(f"/shop/outlet/p/{kit}-x"))
    assert "89,46" in page, "twice 44.73"
    assert "3,60" in page, "the other colour costs twice 1.80 more"


def test_a_cancelled_order_gives_all_parts_back(stranger, as_role, ctx, goods, kit):
    put(stranger, ctx, kit)
    order(stranger)
    assert held(ctx, goods)["MOSS"] == (9, 4)
    as_role(Role.EDITOR).write(f"/orders/{newest(ctx).row['id']}/cancelled")
    assert held(ctx, goods) == {"MOSS": (9, 0), "RUST": (30, 0), "RIBBON": (7, 0)}


def test_of_two_who_want_the_last_part_one_gets_it(app, ctx, goods, kit):
    stock.book(ctx, SYSTEM, variant_of(ctx, goods["RIBBON"]).id, None, "=3", "", Reason.COUNTED)
    buyers = [Browser(app, base_url="http://127.0.0.1") for _ in range(2)]
    put(buyers[0], ctx, kit)
    put(buyers[1], ctx, goods["RIBBON"])
    for one in buyers:
        one.post("/shop/basket", data={"do": "change", **BUYER})
    seen = [re.search(r'name="shown" value="([\d.]+)"', one.get("/shop/basket").text)[1] for one in buyers]
    answers, gate = {}, threading.Barrier(2)

    def press(number):
        gate.wait()
        answers[number] = order(buyers[number], seen[number])

    threads = [threading.Thread(target=press, args=[number]) for number in range(2)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    assert sorted(one.status_code for one in answers.values()) == [303, 409]
    assert held(ctx, goods)["RIBBON"][1] in (D(1), D("2.5"))


def test_a_kit_and_its_part_in_one_basket_share_what_is_there(stranger, ctx, goods, kit):
    put(stranger, ctx, goods["RIBBON"], n="5")
    said = put(stranger, ctx, kit, n="2")
    assert "Hat kit is sold out" in text_of(said), "not enough ribbon is left for it"
    lines = re.findall(r'class="goods".*?<a href="[^"]+">([^<]+)</a>', stranger.get("/shop/basket").text)
    assert lines == ["Fellside aran RIBBON"]


def test_what_another_shop_front_reports_takes_the_parts(ctx, goods, kit):
    def tell(code, told, **lines):
        return reports.take(ctx, SYSTEM, Reported("", code, "1", Report(told, lines)))

    tell("r1", Told.ORDERED, KIT=D(2), MOSS=D(1))
    assert held(ctx, goods) == {"MOSS": (9, 9), "RUST": (30, 0), "RIBBON": (7, 5)}
    assert tell("r1", Told.ORDERED, KIT=D(2), MOSS=D(1)).repeated
    tell("r2", Told.PAID)
    tell("r3", Told.RETURNED, KIT=D(1))
    assert held(ctx, goods) == {"MOSS": (4, 0), "RUST": (30, 0), "RIBBON": (4.5, 0)}


def test_programs_read_an_order_and_tell_what_became_of_it(stranger, client_of, ctx, goods, kit):
    put(stranger, ctx, kit, n="2")
    order(stranger)
    client = client_of(Role.EDITOR)
    (listed,) = client.get("/orders", params={"stack": "pay"}).json()["items"]
    assert (listed["number"], listed["paid"], listed["name"]) == (newest(ctx).row["code"], False, "Ida Fell")
    at = f"/orders/{listed['id']}"
    said = client.get(at).json()
    (line,) = said["lines"]
    assert (line["sku"], line["piece"], line["amount"]) == ("KIT", "44.73", "89.46")
    assert {one["sku"]: one["quantity"] for one in line["parts"]} == {"MOSS": "8", "RIBBON": "5"}
    assert line["chosen"][0]["said"] == "2.5 × Fellside aran RIBBON"
    assert (said["buyer"]["town"], said["totals"]["total"]) == ("Fellside", "93.36")
    assert {one["sku"]: one["reserved"] for one in said["stock"]} == {"MOSS": "8.00", "RIBBON": "5.00"}
    for _ in range(2):
        assert client.post(f"{at}/told", json={"told": "paid"}).json()["paid"] is True
    assert held(ctx, goods)["MOSS"] == (1, 0), "told twice it is paid once"
    too_many = client.post(f"{at}/told", json={"told": "returned", "lines": [{"sku": "MOSS", "quantity": 9}]})
    assert (too_many.status_code, too_many.headers["content-type"]) == (422, "application/problem+json")
    client.post(f"{at}/told", json={"told": "returned", "lines": [{"sku": "MOSS", "quantity": 3}]})
    assert held(ctx, goods)["MOSS"] == (4, 0)
    assert client.get("/orders", params={"stack": "pay"}).json() == {"items": [], "next_before": None}
    assert client.get("/orders/4000000000").status_code == 404
    assert client_of(Role.VIEWER).post(f"{at}/told", json={"told": "sent"}).status_code == 403


def test_programs_say_what_a_kit_is_made_of_and_read_how_many_there_are(client_of, ctx, goods):
    client, at = client_of(Role.EDITOR), f"/products/{goods['KIT']}/kit"
    assert client.get(at).json()["parts"] == []
    parts = [{"sku": "moss", "quantity": "2", "pick": "Colour"}, {"sku": "RUST", "pick": "Colour"}]
    said = client.put(at, json={"parts": parts, "priced_by": "parts", "percent": "10"}).json()
    assert [(one["sku"], one["quantity"]) for one in said["parts"]] == [("MOSS", "2.00"), ("RUST", "1.00")]
    assert (said["ready"], said["most"]) == ("30", "30")
    assert variant_of(ctx, goods["KIT"]).price == D("17.64")
    refused = client.put(at, json={"parts": [{"sku": "NONE"}]})
    assert (refused.status_code, "Nothing has the SKU NONE" in refused.text) == (422, True)
    assert client.put(at, json={"parts": [{"sku": "KIT"}]}).status_code == 422
    assert client_of(Role.VIEWER).put(at, json={"parts": []}).status_code == 403
    assert client.get("/products/4000000000/kit").status_code == 404


def test_what_follows_from_parts_is_written_neither_by_a_file_nor_for_many(ctx, goods, kit):
    work_off(ctx)
    file = plan_file(ctx, "sku,price,stock,weight\nKIT,99,,\nMOSS,12,,\n")
    (row,) = planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples
    assert (row.sku, [one.code for one in row.plan.problems]) == ("KIT", ["kit.price"])
    current = dict.fromkeys(ROW_FIELDS) | {"price": D("44.73"), "follows": ("price", "stock")}
    by_rule = plan_row(FileRow(row.line, "KIT", {"price": D(99)}), current, live=False)
    assert by_rule.problems == row.plan.problems
    assert file.row["counts"]["changed"] == 1
    file = plan_file(ctx, "sku,stock\nKIT,4\nMOSS,3\n")
    (row,) = planned_rows.rows_of(ctx, SYSTEM, file, "refused").samples
    assert [(one.code, one.row) for one in row.plan.problems] == [("kit.stock", 2)]

    plan = bulk.read(ctx, SYSTEM, bulk.request_plan(ctx, SYSTEM, "price", "+10 %", ids=[kit, goods["MOSS"]]))
    assert (plan.counts, list(plan.reasons.values())) == ({"changed": 1, "refused": 1}, [1])
