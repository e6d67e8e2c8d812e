"""Buyer choices: made once or in a product, asked with products, written by two, translated, taken back."""

import re
from decimal import Decimal

import pytest

from graupel.core import changes, choices
from graupel.core.attributes import AttributeKind
from graupel.core.choice_making import entry_texts, texts
from graupel.core.choices import Answer, Kind
from graupel.core.errors import NotAllowed, NotFound, Outdated, Refused
from graupel.core.resolve import inherited
from graupel.core.roles import SYSTEM, Role
from graupel.core.variants import label_of
from graupel.features.choices import reading, service, uses
from graupel.features.destinations import service as destinations
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import copying
from graupel.features.vocabulary import attributes
from graupel.features.vocabulary.attributes import Definition
from graupel.features.wording import service as wording
from tests.making import add_german, jpeg, make_product, roll_back_newest
from tests.programs import client_of
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "client_of", "stranger"]

D = Decimal
WRAP = {"name": "Gift wrap", "label": "Wrap it?", "kind": "one"}
ENTRIES = [{"label": "No", "state": "default"}, {"label": "Paper", "adds": "+2.50", "once": "yes", "weight": "20 g"}]


@pytest.fixture
def yarn(ctx) -> int:
    return make_product(ctx, "FEL-1")


@pytest.fixture
def wrap(ctx) -> int:
    return service.save(ctx, SYSTEM, None, WRAP, ENTRIES)


def one(ctx, choice_id):
    return reading.read(ctx, SYSTEM, choice_id).choice


def rows_of(ctx, choice_id):
    return service.flat(one(ctx, choice_id))["entries"]


def asked(ctx, product_id):
    return [found.name for found in ctx.db.run(lambda tx: reading.of_product(tx, product_id))]


def typed(ctx, choice_id, **changed):
    """The form of a choice as it stands there, with something else typed into it."""

    found = one(ctx, choice_id)
    return texts(found) | changed, [entry_texts(entry) for entry in found.entries]


def test_a_choice_is_kept_as_it_was_made(ctx, wrap):
    found = one(ctx, wrap)
    assert (found.name, found.label, found.kind) == ("Gift wrap", "Wrap it?", Kind.ONE)
    assert [entry.label for entry in found.entries] == ["No", "Paper"]
    assert choices.chosen([found], {wrap: Answer({found.entries[1].id: 1})}, D("9.80")).once == D("2.50")
    with pytest.raises(Refused, match="There is a choice “gift wrap” already"):
        service.save(ctx, SYSTEM, None, WRAP | {"name": "gift wrap"}, ENTRIES)
    with pytest.raises(Refused, match="at least one entry"):
        service.save(ctx, SYSTEM, None, WRAP | {"name": "Empty"}, [])


def test_entries_stay_who_they_are_when_a_choice_is_written_again(ctx, wrap):
    no, paper = (entry.id for entry in one(ctx, wrap).entries)
    raw, rows = typed(ctx, wrap, name="Wrapping")
    service.save(ctx, SYSTEM, wrap, raw, [rows[1] | {"label": "Fine paper"}, {"label": "Box"}, rows[0]])
    found = one(ctx, wrap)
    assert [(entry.id in (no, paper), entry.label) for entry in found.entries] == [
        (True, "Fine paper"), (False, "Box"), (True, "No"),
    ]  # fmt: skip
    assert found.entries[0].id == paper
    roll_back_newest(ctx)
    assert (one(ctx, wrap).name, [entry.id for entry in one(ctx, wrap).entries]) == ("Gift wrap", [no, paper])


def test_choices_are_asked_with_products_in_an_order_and_come_back_with_a_roll_back(ctx, yarn, wrap):
    day = service.save(ctx, SYSTEM, None, {"name": "Delivery day", "kind": "day", "ahead_days": "2"}, [])
    version = products.read(ctx, SYSTEM, yarn).version
    uses.ask(ctx, SYSTEM, yarn, [wrap, day], "Yarn")
    assert asked(ctx, yarn) == ["Gift wrap", "Delivery day"]
    assert products.read(ctx, SYSTEM, yarn).version > version, "it stands on the product's page"
    uses.ask(ctx, SYSTEM, yarn, [day, wrap, wrap, 999], "Yarn")
    assert asked(ctx, yarn) == ["Delivery day", "Gift wrap"]
    uses.ask(ctx, SYSTEM, yarn, [], "Yarn")
    assert asked(ctx, yarn) == []
    roll_back_newest(ctx)
    assert asked(ctx, yarn) == ["Delivery day", "Gift wrap"]
    assert [(found.choice.name, found.products) for found in reading.list_shared(ctx, SYSTEM)] == [
        ("Delivery day", 1), ("Gift wrap", 1),
    ]  # fmt: skip


def test_a_choice_of_one_product_goes_with_it_until_it_is_made_reusable(ctx, yarn, wrap):
    own = service.save(ctx, SYSTEM, None, {"name": "Gift wrap", "kind": "line"}, [{"adds": "1"}], product_id=yarn)
    assert asked(ctx, yarn) == ["Gift wrap"], "it is asked at once, and may be called as a reusable one is"
    assert [found.choice.id for found in reading.list_shared(ctx, SYSTEM)] == [wrap]
    with pytest.raises(Refused, match="Rename this one first"):
        service.make_reusable(ctx, SYSTEM, own)
    raw, rows = typed(ctx, own, name="Initials")
    service.save(ctx, SYSTEM, own, raw, rows)
    service.make_reusable(ctx, SYSTEM, own)
    other = make_product(ctx, "FEL-2")
    uses.ask(ctx, SYSTEM, other, [own], "Other")
    uses.ask(ctx, SYSTEM, yarn, [], "Yarn")
    assert asked(ctx, other) == ["Initials"]
    private = service.save(ctx, SYSTEM, None, {"name": "Secret", "kind": "text"}, [], product_id=yarn)
    uses.ask(ctx, SYSTEM, yarn, [], "Yarn")
    with pytest.raises(NotFound):
        one(ctx, private)
    roll_back_newest(ctx)
    assert (asked(ctx, yarn), one(ctx, private).name) == (["Secret"], "Secret")


def test_a_deleted_product_takes_its_own_choices_along_and_back(ctx, wrap):
    draft = make_product(ctx, "DRAFT", status="draft")
    own = service.save(ctx, SYSTEM, None, {"name": "Words", "kind": "one"}, ENTRIES, product_id=draft)
    uses.ask(ctx, SYSTEM, draft, [own, wrap], "Draft")
    saving.delete(ctx, SYSTEM, draft)
    with pytest.raises(NotFound):
        one(ctx, own)
    assert one(ctx, wrap).name == "Gift wrap"
    roll_back_newest(ctx)
    assert asked(ctx, draft) == ["Words", "Gift wrap"]
    assert [entry.label for entry in one(ctx, own).entries] == ["No", "Paper"]


def test_a_copy_of_a_product_asks_the_same_and_has_its_own_choices_for_itself(ctx, yarn, wrap):
    add_german(ctx)
    own = service.save(ctx, SYSTEM, None, {"name": "Card", "kind": "one"}, ENTRIES, product_id=yarn)
    paper = one(ctx, own).entries[1].id
    when = {"name": "Words", "kind": "text", "when": f"{own}.{paper}"}
    words = service.save(ctx, SYSTEM, None, when, [{"adds": "1"}], product_id=yarn)
    uses.ask(ctx, SYSTEM, yarn, [words, wrap, own], "Yarn")

    def translate(tx):
        with history.change_set(tx, SYSTEM, "translate", "Translated") as recorder:
            wording.save(tx, recorder, "choice_entry", paper, {".de.label": "Papier"}, {"label": "Paper"})

    ctx.db.run(translate)
    made = copying.copy(ctx, SYSTEM, yarn)
    first, second, third = ctx.db.run(lambda tx: reading.of_product(tx, made))
    assert (first.name, second.id, third.name) == ("Words", wrap, "Card")
    assert {first.id, third.id} & {own, words} == set()
    assert (first.when, first.when_entry) == (third.id, third.entries[1].id)
    assert [entry.amount for entry in first.entries] == [D(1)]
    lens = destinations.read_all(ctx).lens("", "de")
    (german,) = ctx.db.run(lambda tx: reading.in_words(tx, [third], lens))
    assert german.entries[1].label == "Papier"
    service.remove(ctx, SYSTEM, own)
    assert one(ctx, third.id).name == "Card"


def test_what_a_choice_waits_for_can_be_taken_away_and_circles_can_not_be_made(ctx, wrap):
    paper = one(ctx, wrap).entries[1].id
    words = service.save(ctx, SYSTEM, None, {"name": "Message", "kind": "text", "when": f"{wrap}.{paper}"}, [])
    assert (one(ctx, words).when, one(ctx, words).when_entry) == (wrap, paper)
    raw, rows = typed(ctx, wrap)
    with pytest.raises(Refused, match="“Gift wrap” waits for “Message” waits for “Gift wrap”"):
        service.save(ctx, SYSTEM, wrap, raw | {"when": str(words)}, rows)
    with pytest.raises(Refused, match="“Message” is asked only with “Paper”"):
        service.save(ctx, SYSTEM, wrap, raw, rows[:1])
    service.remove(ctx, SYSTEM, wrap)
    assert one(ctx, words).when is None
    roll_back_newest(ctx)
    assert (one(ctx, words).when, one(ctx, words).when_entry) == (wrap, paper)


def test_two_who_write_a_choice_both_count_and_are_told_where_they_met(ctx, wrap):
    def marks():
        return changes.marks(service.flat(one(ctx, wrap)))

    mine, then = typed(ctx, wrap), marks()
    theirs = typed(ctx, wrap, help="Paper from old patterns")
    service.save(ctx, SYSTEM, wrap, *theirs, marks())
    service.save(ctx, SYSTEM, wrap, mine[0] | {"needed": "yes"}, [*mine[1], {"label": "Box"}], then)
    found = one(ctx, wrap)
    assert (found.help, found.needed, len(found.entries)) == ("Paper from old patterns", True, 3)
    with pytest.raises(Outdated, match="Help is now “Paper from old patterns”"):
        service.save(ctx, SYSTEM, wrap, mine[0] | {"help": "Plain paper"}, mine[1], then)
    assert one(ctx, wrap).help == "Paper from old patterns"
    product = make_product(ctx, "FEL-9")
    before = changes.marks({"choices": []})
    uses.ask(ctx, SYSTEM, product, [wrap], "Yarn", before)
    other = service.save(ctx, SYSTEM, None, WRAP | {"name": "Other"}, ENTRIES)
    with pytest.raises(Outdated):
        uses.ask(ctx, SYSTEM, product, [wrap, other], "Yarn", before)


def test_buyers_read_their_own_language(ctx, wrap):
    add_german(ctx)
    paper = one(ctx, wrap).entries[1].id

    def translate(tx):
        with history.change_set(tx, SYSTEM, "translate", "Translated") as recorder:
            wording.save(tx, recorder, "buyer_choice", wrap, {".de.label": "Einpacken?"}, {"label": "Wrap it?"})
            wording.save(tx, recorder, "choice_entry", paper, {".de.label": "Papier"}, {"label": "Paper"})

    ctx.db.run(translate)
    lens = destinations.read_all(ctx).lens("", "de")
    (found,) = ctx.db.run(lambda tx: reading.in_words(tx, [one(ctx, wrap)], lens))
    assert (found.shown_label, [entry.label for entry in found.entries]) == ("Einpacken?", ["No", "Papier"])


def test_viewers_only_look(ctx, viewer, yarn, wrap):
    assert reading.list_shared(ctx, viewer)
    for act in (
        lambda: service.save(ctx, viewer, wrap, WRAP, ENTRIES),
        lambda: service.remove(ctx, viewer, wrap),
        lambda: uses.ask(ctx, viewer, yarn, [wrap], "Yarn"),
        lambda: service.make_reusable(ctx, viewer, wrap),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_an_entry_is_shown_with_its_picture(browser, stranger, ctx):
    file = media.take(ctx, SYSTEM, "paper.jpg", jpeg(60))
    product_id = make_product(ctx, "FEL-1")
    raw = {"name": "Paper", "kind": "one", "looks": "swatches"}
    rows = [{"label": "Moss", "picture": f"{file.id}"}, {"label": "Rust", "picture": "4000000"}, {"label": "Plain"}]
    made = service.save(ctx, SYSTEM, None, raw, rows)
    uses.ask(ctx, SYSTEM, product_id, [made], "Wool")
    assert [one.media_id for one in ctx.db.run(lambda tx: reading.there(tx, made)).entries] == [file.id, None, None]
    article = stranger.get(f"/shop/p/{product_id}-x").text
    assert article.count(f'<img class="swatch" src="{file.face("thumb")}"') == 1
    page = browser.get(f"/choices/{made}").text
    assert re.findall(r'name="picture" data-typed value="(\d*)"', page)[:3] == [f"{file.id}", "", ""]
    assert "entries of choices" in browser.get(f"/media/{file.id}").text, "so it is not deleted by mistake"


# --- a choice or variants ------------------------------------------------------------------------------------


def test_a_choice_becomes_what_its_product_differs_by_and_that_a_choice_again(browser, ctx):
    attributes.make(ctx, SYSTEM, Definition("Size", AttributeKind.ONE_CHOICE, choices=["Small", "Large"]))
    product_id = make_product(ctx, "FEL-1", price=Decimal(10))
    rows = [{"label": "Small"}, {"label": "Large", "adds": "10 %"}, {"label": "Huge", "adds": "+2.50"}]
    made = service.save(ctx, SYSTEM, None, {"name": "Size", "kind": "one"}, rows)
    uses.ask(ctx, SYSTEM, product_id, [made], "Wool")
    page = browser.get(f"/products/{product_id}").text
    assert "“Size” is an attribute too." in page
    assert browser.write(f"/products/{product_id}/choices/{made}/vary").status_code == 204
    product = products.read(ctx, SYSTEM, product_id)
    prices = {
        label_of(product.axes, one.combination): inherited(one.price, product.values.price) for one in product.variants
    }
    assert prices == {"Small": Decimal(10), "Large": Decimal(11), "Huge": Decimal("12.50")}
    assert product.variants[0].sku == "FEL-1", "what was there is the first of them"
    assert ctx.db.run(lambda tx: reading.of_product(tx, product_id)) == []
    assert "Ask it as a choice instead" in browser.get(f"/products/{product_id}").text
    assert browser.write(f"/products/{product_id}/choices/of-axis").status_code == 204
    product = products.read(ctx, SYSTEM, product_id)
    (asked,) = ctx.db.run(lambda tx: reading.of_product(tx, product_id))
    assert (product.varies, product.values.price, asked.product_id) == (False, Decimal(10), product_id)
    assert [(one.label, one.amount) for one in asked.entries] == [
        ("Small", 0),
        ("Large", Decimal(1)),
        ("Huge", Decimal("2.50")),
    ]


def test_what_can_not_be_the_other_is_not_offered_and_refused(browser, ctx):
    product_id = make_product(ctx, "FEL-1", stock=4)
    text = service.save(ctx, SYSTEM, None, {"name": "Message", "kind": "text"}, [])
    uses.ask(ctx, SYSTEM, product_id, [text], "Wool")
    assert browser.write(f"/products/{product_id}/choices/{text}/vary").status_code == 422
    assert browser.write(f"/products/{product_id}/choices/of-axis").status_code == 422
    page = browser.get(f"/products/{product_id}").text
    assert "instead" not in page.split('id="choices"')[1].split("</section>")[0]


def test_programs_read_choices_and_say_with_which_products_they_are_asked(client_of, ctx):
    rows = [{"label": "Paper", "adds": "+2"}]
    wool, made = make_product(ctx, "FEL-1"), service.save(ctx, SYSTEM, None, {"name": "Wrap", "kind": "one"}, rows)
    client, at = client_of(Role.EDITOR), f"/products/{wool}/choices"
    (listed,) = client.get("/choices").json()
    (entry,) = listed["entries"]
    assert (listed["name"], entry["amount"], entry["adds_by"]) == ("Wrap", "2.00", "fixed")
    assert client.get(at).json() == []
    assert client.put(at, json={"choices": [made]}).json() == [listed]
    assert client.put(at, json={"choices": [made, 99]}).status_code == 422
    assert client.get(at).json() == [listed]
    assert client.put(at, json={"choices": []}).json() == []
    assert client_of(Role.VIEWER).put(at, json={"choices": [made]}).status_code == 403
