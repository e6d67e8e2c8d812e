"""What is prepared is not done; done later, it is what it would have been; and what was changed since stays."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import pytest

from graupel.core.attributes import AttributeKind, Fact
from graupel.core.errors import NotAllowed, Refused
from graupel.core.products import ProductValues, Status
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.features.bulk import service as bulk
from graupel.features.categories import service as categories
from graupel.features.destinations import terms as terms_of
from graupel.features.files import service as files
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.prepared import mails, service
from graupel.features.products import past, saving
from graupel.features.products import service as products
from graupel.features.today import service as today
from graupel.features.users import store as users_store
from graupel.features.variants import making
from graupel.features.vocabulary import attributes, joining
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.jobs import queue
from graupel.web.preparing import preparing
from tests.features.pricing.test_asked import on, sale
from tests.features.products.test_past import brand_of, lens, save
from tests.making import add_german, catalogue, make_product, plan_file, roll_back_newest, work_off
from tests.needles import colour, needles, size, wish
from tests.serving import app, as_role

__all__ = ["app", "as_role", "colour", "needles", "size"]

D = Decimal
OTHER = Actor(None, "Ida", Role.EDITOR)
#: What is worked out or counted beside, and when.
NOT_COMPARED = {"job", "unit_of_work", "prepared", "prepared_row", "change_set", "change_row", "recorded", "clock"}
NOT_COMPARED |= {"act", "held"}
NOT_THE_SAME = {"made_at", "changed_at", "version", "at", "change_set_id"}


def prepare(ctx, act):
    """Prepare what an act would do; returns the number of the prepared change."""
    with preparing() as found:
        act()
    return service.keep(ctx, SYSTEM, found)


def agree(ctx, number, at=None):
    version = service.read(ctx, SYSTEM, number).one["version"]
    service.agree(ctx, OTHER, number, version, at)


def everything(ctx):
    """All rows of all tables, but the record's own; ids as they are."""

    def work(tx):
        named = tx.all("SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()")
        names = sorted(row["name"] for row in named if row["name"] not in NOT_COMPARED)
        return {
            name: sorted(
                str({key: value for key, value in row.items() if key not in NOT_THE_SAME})
                for row in tx.all(f"SELECT * FROM `{name}`")
            )
            for name in names
        }

    return ctx.db.run(work)


def place(ctx):
    """The category in which the yarn stands."""
    return categories.make(ctx, SYSTEM, "Yarn > Aran").id


def differing(one, other):
    return {
        name: (sorted(set(one[name]) - set(other[name])), sorted(set(other[name]) - set(one[name])))
        for name in one
        if one[name] != other[name]
    }


ACTS = {
    "a product is saved": lambda ctx, yarn, colour, size: save(
        ctx,
        yarn,
        name="Fell",
        price=D("7.10"),
        brand="Fell Mill",
        tags=("warm", "new"),
        own={".de.name": "Fell-Garn"},
        facts={colour.id: Fact(choices=(colour.choices[1].id,))},
    ),
    "a draft is put live": lambda ctx, yarn, colour, size: save(ctx, yarn, status=Status.LIVE),
    "a product is made": lambda ctx, yarn, colour, size: saving.create(
        ctx, SYSTEM, ProductValues(name="New", sku="NEW-1", price=D("3.00"), category_id=place(ctx), status=Status.LIVE)
    ),
    "variants are made": lambda ctx, yarn, colour, size: making.make(
        ctx, SYSTEM, yarn, wish((colour, ["Heather", "Oat"]), (size, ["3 mm", "4 mm"]))
    ),
    "a category is made": lambda ctx, yarn, colour, size: categories.make(ctx, SYSTEM, "Yarn > Deep > Deeper"),
    "a brand is renamed": lambda ctx, yarn, colour, size: vocabulary.rename(
        ctx, SYSTEM, "brand", brand_of(ctx, "Carrow"), "Carrows", ["woolly"]
    ),
    "an attribute is made": lambda ctx, yarn, colour, size: attributes.make(
        ctx, SYSTEM, Definition("Care", AttributeKind.SEVERAL_CHOICES, choices=("By hand", "Dry flat"))
    ),
    "a sale is planned": lambda ctx, yarn, colour, size: sale(ctx, on(yarn), "5.00"),
    "a price rule is set": lambda ctx, yarn, colour, size: terms_of.save(
        ctx, SYSTEM, "", {"ending": ".90", "ending_way": "up"}
    ),
}


@pytest.mark.parametrize("what", ACTS)
def test_what_is_prepared_changes_nothing_and_done_later_it_is_what_it_would_have_been(ctx, colour, size, what):
    add_german(ctx)
    yarn = make_product(ctx, "FEL-1", price=D("9.80"), brand="Carrow", tags=("summer",), status=Status.DRAFT)
    act = lambda: ACTS[what](ctx, yarn, colour, size)  # noqa: E731
    before = everything(ctx)
    number = prepare(ctx, act)
    assert differing(everything(ctx), before) == {}
    told = service.read(ctx, SYSTEM, number)
    assert told.rows
    assert not told.moved
    agree(ctx, number)
    later = everything(ctx)
    assert differing(later, before)
    done = service.read(ctx, SYSTEM, number).one
    change = history.read(ctx, SYSTEM, done["change_set_id"]).change_set
    assert (done["state"], change["title"], change["actor"]) == (
        "done",
        f"{told.one['title']} (prepared by Graupel)",
        "Ida",
    )
    roll_back_newest(ctx)
    if what in ("a draft is put live", "a product is made"):  # what was live once is not deleted any more
        assert any("'was_live': 1" in row for row in later["product"])
        return
    left = differing(everything(ctx), before)
    assert left.keys() <= {"refilled", "made_choice"}, left
    counted = len(later["product"]), len(later["variant"]), len(later["attribute_choice"]), len(later["category"])
    act()
    now = everything(ctx)
    assert (len(now["product"]), len(now["variant"]), len(now["attribute_choice"]), len(now["category"])) == counted


def test_what_somebody_changed_since_stays_and_is_shown_and_at_its_moment_too_much_of_it_refuses_all(ctx):
    yarn = make_product(ctx, "FEL-1", name="Fellside", mpn="A")
    by_hand = prepare(ctx, lambda: save(ctx, yarn, name="Fell", mpn="B", short_text="Soft."))
    by_itself = prepare(ctx, lambda: save(ctx, yarn, name="Fells", mpn="C"))
    save(ctx, yarn, mpn="Z")
    told = service.read(ctx, SYSTEM, by_hand)
    assert (told.values, told.moved, told.rests) == (3, 1, False)
    assert [one.now for one in told.rows[0].fields if one.label == "Part number"] == ["Z"]
    agree(ctx, by_hand)
    values = products.read(ctx, SYSTEM, yarn).values
    assert (values.name, values.mpn, values.short_text) == ("Fell", "Z", "Soft.")
    now = ctx.db.run(ctx.now)
    agree(ctx, by_itself, now + timedelta(hours=1))
    work_off(replace(ctx, ahead=timedelta(hours=2)))
    ended = service.read(ctx, SYSTEM, by_itself).one
    assert ended["state"] == "refused"
    assert "2 values of what this changes were changed since" in ended["reply"]
    assert products.read(ctx, SYSTEM, yarn).values.name == "Fell"


def test_at_its_moment_it_is_done_by_itself_and_until_then_it_can_be_looked_at(ctx):
    yarn = make_product(ctx, "FEL-1", name="Fellside", price=D("9.80"))
    number = prepare(ctx, lambda: save(ctx, yarn, name="Winter Fellside", price=D("11.00")))
    now = ctx.db.run(ctx.now)
    with pytest.raises(Refused, match="That moment is over"):
        agree(ctx, number, now - timedelta(minutes=1))
    agree(ctx, number, now + timedelta(hours=2))
    before, after = now + timedelta(hours=1), now + timedelta(hours=3)
    assert past.read(ctx, SYSTEM, yarn, before, None, lens(ctx)).rows == []
    ahead = past.read(ctx, SYSTEM, yarn, after, None, lens(ctx))
    assert {(one.label, one.then, one.other) for row in ahead.rows for one in row.fields} == {
        ("Name", "Winter Fellside", "Fellside"),
        ("Price", "11.00", "9.80"),
    }
    assert ahead.then.look.values.name == "Winter Fellside"
    assert not ahead.is_restorable
    assert [row["id"] for row in service.of_records(ctx, SYSTEM, {"product": [yarn]})] == [number]
    work_off(replace(ctx, ahead=timedelta(hours=1)))
    assert products.read(ctx, SYSTEM, yarn).values.name == "Fellside"
    work_off(replace(ctx, ahead=timedelta(hours=2, minutes=1)))
    assert products.read(ctx, SYSTEM, yarn).values.name == "Winter Fellside"
    assert service.read(ctx, SYSTEM, number).one["state"] == "done"
    assert service.of_records(ctx, SYSTEM, {"product": [yarn]}) == []


def test_what_writes_many_records_is_done_in_the_background_as_it_was_seen(ctx, monkeypatch, as_role):
    monkeypatch.setattr(service, "AT_ONCE", 2)
    somebody = as_role(Role.EDITOR)
    goods = [make_product(ctx, f"FEL-{number}", brand="Carrow") for number in range(3)]
    vocabulary.make(ctx, SYSTEM, "brand", "Loom")
    carrow, loom = brand_of(ctx, "Carrow"), brand_of(ctx, "Loom")
    number = prepare(ctx, lambda: joining.join(ctx, SYSTEM, "brand", carrow, loom))
    save(ctx, goods[0], brand="Moss")
    agree(ctx, number)
    told = service.read(ctx, SYSTEM, number)
    assert (told.one["state"], told.job["state"], told.is_under_way) == ("agreed", "waiting", True)
    assert "Do the rest now" not in somebody.get(f"/prepared/{number}").text
    how_far = f"/prepared/{number}/progress"
    assert how_far in somebody.get(how_far).text, "it goes on asking"
    # Where its job is cancelled, it can be decided on again.
    ctx.db.run(lambda tx: queue.want_cancel(tx, told.job["id"]))
    work_off(ctx)
    assert not service.read(ctx, SYSTEM, number).is_under_way
    assert "Do the rest now" in somebody.get(f"/prepared/{number}").text
    agree(ctx, number)
    work_off(ctx)
    assert somebody.get(how_far).headers["HX-Refresh"] == "true"
    assert [products.read(ctx, SYSTEM, one).values.brand for one in goods] == ["Moss", "Loom", "Loom"]
    assert service.read(ctx, SYSTEM, number).one["state"] == "done"
    roll_back_newest(ctx)
    assert [products.read(ctx, SYSTEM, one).values.brand for one in goods] == ["Moss", "Carrow", "Carrow"]


def test_new_variants_and_other_records_are_seen_ahead_too(ctx, colour):
    yarn = make_product(ctx, "FEL-1", price=D("9.80"), brand="Carrow")
    number = prepare(ctx, lambda: making.make(ctx, SYSTEM, yarn, wish((colour, ["Heather", "Oat"]))))
    now = ctx.db.run(ctx.now)
    seen = past.read(ctx, SYSTEM, yarn, now + timedelta(seconds=5), None, lens(ctx), number)
    assert {row.kind for row in seen.rows} >= {"Differs by", "Variant"}
    renamed = prepare(ctx, lambda: vocabulary.rename(ctx, SYSTEM, "brand", brand_of(ctx, "Carrow"), "Carrows"))
    seen = past.read(ctx, SYSTEM, yarn, now + timedelta(seconds=5), None, lens(ctx), renamed)
    assert seen.rows == []
    assert seen.then.look.values.brand == "Carrows"


def test_it_is_sent_back_with_a_word_handed_in_again_and_withdrawn_and_two_who_decide_at_once_are_told(ctx):
    yarn = make_product(ctx, "FEL-1", name="Fellside")
    number = prepare(ctx, lambda: save(ctx, yarn, name="Fell"))
    version = service.read(ctx, SYSTEM, number).one["version"]
    with pytest.raises(Refused, match="Say in a word"):
        service.send_back(ctx, OTHER, number, version, " ")
    service.send_back(ctx, OTHER, number, version, "Too short a name")
    with pytest.raises(Refused, match="Meanwhile Ida said something of it"):
        service.agree(ctx, OTHER, number, version, None)
    one = service.read(ctx, SYSTEM, number).one
    assert (one["state"], one["reply"], one["decider"]) == ("back", "Too short a name", "Ida")
    assert [line.title for line in today.read(ctx, SYSTEM).waits if "Sent back" in line.title]
    service.hand_in(ctx, SYSTEM, number, one["version"], "It is how people call it")
    one = service.read(ctx, SYSTEM, number).one
    assert (one["state"], one["word"]) == ("waiting", "It is how people call it")
    assert today.read(ctx, SYSTEM).waits[0].title == "1 prepared change waits for a yes"
    service.withdraw(ctx, SYSTEM, number, one["version"])
    with pytest.raises(Refused, match="Meanwhile"):
        agree(ctx, number)
    assert products.read(ctx, SYSTEM, yarn).values.name == "Fellside"
    with pytest.raises(NotAllowed):
        service.agree(ctx, Actor(None, "Viewer", Role.VIEWER), number, 1, None)


def person(ctx, name, role):
    address = f"{name.lower()}@skeinwright.example"
    return Actor(ctx.db.run(lambda tx: users_store.insert_user(tx, address, name, role, "")), name, role)


def test_whom_it_concerns_is_told_by_mail_but_not_who_did_it(ctx, monkeypatch):
    una, ida, otto = (person(ctx, *who) for who in (("Una", Role.EDITOR), ("Ida", Role.EDITOR), ("Otto", Role.OWNER)))
    person(ctx, "Vera", Role.VIEWER)
    gone = person(ctx, "Gone", Role.EDITOR)
    ctx.db.run(lambda tx: tx.run("UPDATE user SET ended_at = UTC_TIMESTAMP(3) WHERE id = %s", [gone.user_id]))
    written = []
    monkeypatch.setattr(
        mails.mail, "send", lambda settings, to, subject, text, key: written.append((*to, subject, text))
    )
    mailing = {"smtp_host": "127.0.0.1", "smtp_port": 1, "mail_from": "shop@skeinwright.example"}
    told = replace(ctx, settings=ctx.settings.model_copy(update=mailing))

    def mailed(to, subject, words):
        """What was written since is this alone."""
        work_off(told)
        assert [one[0].partition("@")[0] for one in written] == to
        assert all(one[1].startswith(subject) and words in one[2] for one in written), written
        assert all(f"/prepared/{number}\n" in one[2] for one in written)
        written.clear()

    def version():
        return service.read(told, SYSTEM, number).one["version"]

    yarn = make_product(ctx, "FEL-1", name="Fellside")
    with preparing() as found:
        saving.save(ctx, una, yarn, replace(products.read(ctx, SYSTEM, yarn).values, name="Fell", mpn="B"), None)
    number = service.keep(told, una, found)
    service.hand_in(told, una, number, version(), "For spring")
    mailed(
        ["ida", "otto"],
        "A prepared change waits for a yes",
        "Name Fellside → Fell, Part number (empty) → B\n\nUna: For spring",
    )
    service.send_back(told, ida, number, version(), "Too short")
    mailed(["una"], "A prepared change was sent back", "Ida: Too short")
    at = ctx.db.run(ctx.now) + timedelta(hours=1)
    service.agree(told, otto, number, version(), at)
    mailed(["una"], "A prepared change was agreed to", f"on {at.astimezone(ctx.zone):%Y-%m-%d %H:%M}")
    save(ctx, yarn, name="Fells", mpn="C")
    told = replace(told, ahead=timedelta(hours=2))
    mailed(["una", "otto"], "A prepared change was not done", "2 values of what this changes were changed since")
    number = service.keep(told, una, found)
    service.withdraw(told, una, number, version())
    mailed([], "", "")


def test_bulk_edits_files_and_roll_backs_are_prepared_by_their_dry_runs(ctx):
    yarn = make_product(ctx, "FEL-1", name="Fellside", tags=("winter",))
    save(ctx, yarn, name="Fell")
    number = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    edit = bulk.request_plan(ctx, SYSTEM, "tag_on", "summer", ids=[yarn])
    file = plan_file(ctx, "sku,name,price\nNEW-1,New,5\n")
    acts = {
        "bulk": prepare(ctx, lambda: bulk.request_apply(ctx, SYSTEM, edit)),
        "file": prepare(ctx, lambda: files.request_apply(ctx, SYSTEM, file.id, leave_out=False)),
        "rollback": prepare(ctx, lambda: rolling_back.request(ctx, SYSTEM, number)),
    }
    work_off(ctx)
    assert set(catalogue(ctx)) == {"FEL-1"}
    assert [service.read(ctx, SYSTEM, one).link for one in acts.values()] == [
        f"/products/bulk/{edit}",
        f"/files/{file.id}",
        f"/history/{number}",
    ]
    for one in acts.values():
        agree(ctx, one)
    work_off(ctx)
    assert set(catalogue(ctx)) == {"FEL-1", "NEW-1"}
    values = products.read(ctx, SYSTEM, yarn).values
    assert (values.name, set(values.tags)) == ("Fellside", {"winter", "summer"})
    assert {service.read(ctx, SYSTEM, one).one["state"] for one in acts.values()} == {"done"}
    again = plan_file(ctx, "sku,name,price\nNEW-2,New,5\n")
    twice = [prepare(ctx, lambda: files.request_apply(ctx, SYSTEM, again.id, leave_out=False)) for _ in range(2)]
    agree(ctx, twice[0])
    work_off(ctx)
    with pytest.raises(Refused, match="brought in already"):
        agree(ctx, twice[1])
    assert service.read(ctx, SYSTEM, twice[1]).one["state"] == "refused"


def test_what_holds_at_once_is_not_prepared(ctx):
    yarn = make_product(ctx, "FEL-1", stock=5)
    with pytest.raises(Refused, match="“Stock” holds as soon as it is said"), preparing():
        save(ctx, yarn, stock=D(7))
    assert products.read(ctx, SYSTEM, yarn).values.stock == 5


def test_a_refused_save_is_told_as_ever_and_what_changes_nothing_prepares_nothing(ctx, as_role):
    yarn = make_product(ctx, "FEL-1", name="Fellside")
    me = as_role(Role.EDITOR)
    answer = me.write(f"/products/{yarn}?prepare=1", {"name": "", "sku": "FEL-1", "version": "1", "seen": "{}"})
    assert answer.status_code in (409, 422)
    assert "X-Prepared" not in answer.headers
    assert service.listed(ctx, SYSTEM) == ([], [])


def test_who_prepares_all_that_they_save_is_told_so_until_they_stop(ctx, as_role):
    yarn = make_product(ctx, "FEL-1", name="Fellside", brand="Carrow")
    brand = brand_of(ctx, "Carrow")
    me = as_role(Role.EDITOR)
    back = f"/products/{yarn}"
    assert me.write("/prepared/mode", {"on": "1", "back": back}).headers["location"] == back
    assert "You are preparing." in me.get("/products").text
    answer = me.write(f"/vocabulary/brands/{brand}", {"name": "Carrows"})
    place = answer.headers["HX-Redirect"]
    assert answer.status_code == 204
    page = me.get(place).text
    assert "Waits for a yes" in page
    assert brand_of(ctx, "Carrow") == brand
    version = page.partition('name="version" value="')[2].partition('"')[0]
    assert me.write(place, {"what": "agree", "version": version}).status_code == 303
    assert brand_of(ctx, "Carrows") == brand, "there it is decided, not prepared once more"
    assert me.write(place, {"what": "agree", "version": version}).status_code == 422
    me.write("/prepared/mode", {"back": "//elsewhere.example"})
    assert "You are preparing." not in me.get("/products").text
    me.write(f"/vocabulary/brands/{brand}", {"name": "Fell"})
    assert brand_of(ctx, "Fell") == brand
