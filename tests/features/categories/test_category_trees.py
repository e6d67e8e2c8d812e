"""Trees of categories: typed, moved, hidden, deleted, by one person and by two at once, and rolled back."""

import threading

import pytest

from graupel.core import trees as rules
from graupel.core.categories import CategoryKind, CategoryValues
from graupel.core.errors import NotAllowed, NotFound, Refused
from graupel.core.products import Status
from graupel.core.roles import SYSTEM
from graupel.features.categories import counts, deleting, editing, service, store
from graupel.features.history import rolling_back
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products import service as products
from tests.making import jpeg, make_product, roll_back_newest
from tests.serving import app, as_role, browser, stranger

__all__ = ["app", "as_role", "browser", "stranger"]
MAIN, FOOT = -1, -2


def outline(ctx) -> list[str]:
    """All paths in order, as buyers would read them; and no tree is broken."""
    places = ctx.db.run(store.places)
    for siblings in rules.children(places).values():
        assert [places[one].position for one in siblings] == list(range(len(siblings)))
    return [one.path for one in service.read_tree(ctx)]


@pytest.fixture
def shop(ctx) -> dict[str, int]:
    """Yarn (Aran, Lace (Silk)), Needles; at the foot: Help. By name."""
    service.add(ctx, SYSTEM, "Yarn\n  Aran\n  Lace\n    Silk\nNeedles", MAIN)
    service.add(ctx, SYSTEM, "Help", FOOT)
    return {one.name: one.id for one in service.read_tree(ctx)}


def test_a_pasted_list_makes_a_branch_that_is_hidden_until_it_is_switched_on(ctx, shop):
    assert outline(ctx) == ["Yarn", "Yarn > Aran", "Yarn > Lace", "Yarn > Lace > Silk", "Needles", "Help"]
    tree = service.read_tree(ctx)
    assert not any(one.shown for one in tree)
    service.switch(ctx, SYSTEM, shop["Silk"], hidden=False)
    assert not service.read_tree(ctx).by_id[shop["Silk"]].shown, "a hidden one hides its branch"
    service.switch(ctx, SYSTEM, shop["Lace"], hidden=False)
    service.switch(ctx, SYSTEM, shop["Yarn"], hidden=False)
    assert [one.name for one in service.read_tree(ctx) if one.shown] == ["Yarn", "Lace", "Silk"]
    service.add(ctx, SYSTEM, "Sock", shop["Yarn"], before=shop["Lace"])
    assert outline(ctx)[1:4] == ["Yarn > Aran", "Yarn > Sock", "Yarn > Lace"]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("Aran", "of this name at this place"),
        ("New\nAran", "of this name at this place"),
        ("a > b", "without the sign >"),
        ("W" * 121, "at most 120"),
        (" \n", "Type a name"),
        ("\n".join("  " * n + "deep" for n in range(12)), "12 deep"),
    ],
)
def test_what_can_not_be_made_is_refused_whole(ctx, shop, text, says):
    before = outline(ctx)
    with pytest.raises(Refused, match=says):
        service.add(ctx, SYSTEM, text, shop["Yarn"])
    assert outline(ctx) == before


def test_a_branch_is_moved_whole_also_to_another_tree_and_back(ctx, shop):
    assert service.move(ctx, SYSTEM, [shop["Lace"]], FOOT, shop["Help"]) == 1
    assert outline(ctx) == ["Yarn", "Yarn > Aran", "Needles", "Lace", "Lace > Silk", "Help"]
    roll_back_newest(ctx)
    assert outline(ctx)[2] == "Yarn > Lace"
    service.move(ctx, SYSTEM, [shop["Needles"]], MAIN, shop["Yarn"])
    assert outline(ctx)[0] == "Needles"
    with pytest.raises(Refused, match="inside itself"):
        service.move(ctx, SYSTEM, [shop["Yarn"]], shop["Silk"])
    with pytest.raises(NotFound):
        service.move(ctx, SYSTEM, [shop["Yarn"]], 999)
    service.add(ctx, SYSTEM, "Silk", shop["Yarn"])
    with pytest.raises(Refused, match="of this name"):
        service.move(ctx, SYSTEM, [shop["Silk"]], shop["Yarn"])


@pytest.mark.concurrency
def test_two_who_move_into_each_other_at_once_leave_a_tree(ctx):
    """Each from a branch of its own: they write no row in common."""
    for _ in range(8):
        service.add(ctx, SYSTEM, "Left\n  A\nRight\n  B", MAIN)
        named = {one.name: one.id for one in service.read_tree(ctx)}
        said, together = [], threading.Barrier(2)

        def go(one, into, named=named, said=said, together=together):
            together.wait()
            try:
                service.move(ctx, SYSTEM, [named[one]], named[into])
                said.append("moved")
            except Refused:
                said.append("refused")

        both = [threading.Thread(target=go, args=pair) for pair in ("AB", "BA")]
        for thread in both:
            thread.start()
        for thread in both:
            thread.join()
        assert sorted(said) == ["moved", "refused"]
        assert len(outline(ctx)) == 4
        for top in ("Left", "Right"):
            deleting.delete(ctx, SYSTEM, named[top], with_branch=True)


def test_a_roll_back_that_would_make_a_circle_is_refused_and_gaps_are_closed(ctx, shop):
    service.move(ctx, SYSTEM, [shop["Lace"]], MAIN)
    moved = history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]
    service.move(ctx, SYSTEM, [shop["Yarn"]], shop["Lace"])
    with pytest.raises(Refused, match="inside itself"):
        ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, moved))
    service.move(ctx, SYSTEM, [shop["Yarn"]], MAIN)
    ctx.db.run(lambda tx: rolling_back.roll_back(ctx, tx, SYSTEM, moved))
    assert "Yarn > Lace > Silk" in outline(ctx)


def test_deleting_shows_and_asks_first_where_goods_and_branch_go(ctx, shop):
    lace = make_product(ctx, "L", category="Yarn > Lace")
    silk = make_product(ctx, "S", category="Yarn > Lace > Silk")
    plan = deleting.plan_deleting(ctx, SYSTEM, shop["Lace"], with_branch=True)
    assert (len(plan.going), plan.products, plan.needing, plan.into) == (2, 2, 2, None)
    with pytest.raises(Refused, match="Say where the 2 live products go"):
        deleting.delete(ctx, SYSTEM, shop["Lace"], with_branch=True)
    deleting.delete(ctx, SYSTEM, shop["Lace"], with_branch=False, into=shop["Aran"])
    assert outline(ctx) == ["Yarn", "Yarn > Aran", "Yarn > Silk", "Needles", "Help"]
    assert [products.read(ctx, SYSTEM, one).values.category_id for one in (lace, silk)] == [shop["Aran"], shop["Silk"]]
    roll_back_newest(ctx)
    assert outline(ctx)[3] == "Yarn > Lace > Silk"
    assert products.read(ctx, SYSTEM, lace).values.category_id == shop["Lace"]
    deleting.delete(ctx, SYSTEM, shop["Yarn"], with_branch=True, into=shop["Needles"])
    assert outline(ctx) == ["Needles", "Help"]
    roll_back_newest(ctx)
    assert len(outline(ctx)) == 6


def test_goods_that_need_no_category_are_asked_no_place(ctx, shop):
    """Drafts, and those that stand in it beside their main one."""
    draft = make_product(ctx, "D", category="Yarn > Lace", status=Status.DRAFT)
    beside = make_product(ctx, "B", category="Yarn > Aran", categories=(shop["Lace"],))
    plan = deleting.plan_deleting(ctx, SYSTEM, shop["Lace"], with_branch=True)
    assert (plan.products, plan.needing) == (2, 0)
    deleting.delete(ctx, SYSTEM, shop["Lace"], with_branch=True)
    assert products.read(ctx, SYSTEM, draft).values.category_id is None
    values = products.read(ctx, SYSTEM, beside).values
    assert (values.category_id, values.categories) == (shop["Aran"], ())
    roll_back_newest(ctx)
    assert products.read(ctx, SYSTEM, draft).values.category_id == shop["Lace"]
    assert products.read(ctx, SYSTEM, beside).values.categories == (shop["Lace"],)


def test_goods_move_from_one_category_to_another_in_one_act(ctx, shop):
    one = make_product(ctx, "A", category="Yarn > Aran", categories=(shop["Needles"],))
    two = make_product(ctx, "B", category="Yarn > Lace", categories=(shop["Aran"],))
    assert deleting.move_goods(ctx, SYSTEM, shop["Aran"], shop["Needles"]) == 2
    values = [products.read(ctx, SYSTEM, key).values for key in (one, two)]
    assert [v.category_id for v in values] == [shop["Needles"], shop["Lace"]]
    assert values[1].categories == (shop["Needles"],)
    roll_back_newest(ctx)
    values = [products.read(ctx, SYSTEM, key).values for key in (one, two)]
    assert ([v.category_id for v in values], values[1].categories) == ([shop["Aran"], shop["Lace"]], (shop["Aran"],))


def test_a_search_finds_by_words_of_the_path_and_those_named_so_first(ctx, shop):
    tree = service.read_tree(ctx)
    assert [one.name for one in tree.search("lace")] == ["Lace", "Silk"]
    assert [one.name for one in tree.search("SILK yarn")] == ["Silk"]
    assert tree.search(" ") == [] == tree.search("velvet")


def test_products_are_counted_once_however_often_they_stand_below(ctx, shop):
    make_product(ctx, "A", category="Yarn > Aran", categories=(shop["Lace"], shop["Silk"]))
    make_product(ctx, "B", category="Yarn > Lace > Silk")
    found = counts.of(ctx)
    assert found.own == {shop["Aran"]: 1, shop["Lace"]: 1, shop["Silk"]: 2}
    assert (found.below[shop["Yarn"]], found.below[shop["Lace"]]) == (2, 2)


def test_texts_picture_and_tags_are_saved_and_rolled_back(ctx, editor, shop):
    picture = media.take(ctx, SYSTEM, "a.jpg", jpeg(60))
    key = shop["Lace"]
    values = CategoryValues(
        "Lace yarns", CategoryKind.GOODS, False, False, "", "<p>Fine</p>", "lace", "", "Lace", "Fine yarns",
        picture.id, "A ball", ("summer",),
    )  # fmt: skip
    editing.save(ctx, editor, key, values)
    assert editing.read(ctx, editor, key).values == values
    with pytest.raises(Refused, match="in use"):
        media.delete(ctx, editor, [picture.id])
    roll_back_newest(ctx)
    assert editing.read(ctx, editor, key).values == CategoryValues("Lace")


def test_a_viewer_looks_and_changes_nothing(ctx, viewer, shop):
    assert editing.read(ctx, viewer, shop["Yarn"])
    for act in (
        lambda: service.add(ctx, viewer, "New", MAIN),
        lambda: service.make_tree(ctx, viewer, "New"),
        lambda: service.move(ctx, viewer, [shop["Aran"]], MAIN),
        lambda: service.rename(ctx, viewer, shop["Aran"], "New"),
        lambda: service.switch(ctx, viewer, shop["Aran"], hidden=False),
        lambda: editing.save(ctx, viewer, shop["Aran"], CategoryValues("New"), 1),
        lambda: deleting.delete(ctx, viewer, shop["Aran"], with_branch=True),
        lambda: deleting.move_goods(ctx, viewer, shop["Aran"], shop["Lace"]),
    ):
        with pytest.raises(NotAllowed):
            act()


def test_buyers_find_what_is_shown_and_links_where_they_lead(stranger, ctx, shop):
    make_product(ctx, "A", category="Yarn > Aran", name="Fellside")
    assert "Yarn" not in stranger.get("/shop").text
    for name in ("Yarn", "Aran"):
        service.switch(ctx, SYSTEM, shop[name], hidden=False)
    text = CategoryValues("Aran", CategoryKind.GOODS, False, description="<p>Thick and warm</p>", address_part="thick")
    editing.save(ctx, SYSTEM, shop["Aran"], text)
    help_values = CategoryValues("Help", CategoryKind.LINK, False, link="https://help.example/")
    editing.save(ctx, SYSTEM, shop["Help"], help_values)
    home = stranger.get("/shop").text
    assert f"/shop/c/{shop['Yarn']}-yarn" in home
    assert 'href="https://help.example/"' in home
    old = stranger.get(f"/shop/c/{shop['Aran']}-aran", follow_redirects=False)
    assert (old.status_code, old.headers["location"]) == (301, f"/shop/c/{shop['Aran']}-thick")
    page = stranger.get(f"/shop/c/{shop['Aran']}-thick").text
    assert "Thick and warm" in page
    assert "Fellside" in page
    assert stranger.get(f"/shop/c/{shop['Needles']}").status_code == 404


def test_the_pages_of_the_trees(browser, ctx, shop):
    page = browser.get("/categories").text
    assert '<span class="label" data-open>Yarn</span>' in page
    assert "Silk" not in page, "folded"
    assert "Silk" in browser.get(f"/categories?open={shop['Yarn']}.{shop['Lace']}").text
    assert "Yarn &gt; Lace &gt; Silk" in browser.get("/categories?q=lace si").text
    assert "Lace" in browser.get(f"/categories/{shop['Yarn']}/below").text
    assert browser.write("/categories/add", {"names": "Sock", "parent": str(shop["Yarn"])}).json()["made"]
    assert browser.write("/categories/add", {"names": "Sock", "parent": str(shop["Yarn"])}).status_code == 422
    assert browser.write("/categories/trees", {"name": "For shops"}).json()["made"]
    assert browser.write("/categories/trees", {"name": "For shops"}).status_code == 422
    assert "For shops" in browser.get("/categories").text
    wrong = {"name": "", "kind": "link", "link": "", "address_part": "Ä b"}
    answer = browser.write(f"/categories/{shop['Yarn']}", wrong)
    assert answer.status_code == 422
    assert 'value="Ä b"' in answer.text
    right = {"name": "Yarns", "kind": "goods", "shown": "yes", "in_navigation": "yes"}
    assert "Saved." in browser.write(f"/categories/{shop['Yarn']}", right).text
    assert "Yarns · " in browser.write(f"/categories/{shop['Yarn']}/preview", right).text
    assert "is deleted with it" in browser.get(f"/categories/{shop['Yarn']}/delete").text
    assert browser.write(f"/categories/{shop['Help']}/delete", {}).headers["hx-redirect"] == "/categories"
    assert browser.write(f"/categories/{shop['Aran']}/rename", {"name": "Thick"}).json() == {"name": "Thick"}
    assert browser.get("/categories/9999").status_code == 404


def test_many_paths_are_made_with_one_reading_of_the_trees_and_each_level_once(ctx, monkeypatch):
    there = service.make(ctx, SYSTEM, "Yarn > Aran").id
    readings, plain = [], service.load
    monkeypatch.setattr(service, "load", lambda tx: readings.append(1) or plain(tx))
    wanted = ["Yarn > Aran", "yarn > Lace", "Yarn > Lace > Silk", "Tools > Needles", "Yarn > Lace > Mohair", "Tools"]

    def work(tx):
        with history.change_set(tx, SYSTEM, "test", "Paths") as recorder:
            return service.make_paths(tx, recorder, wanted)

    made = ctx.db.run(work)
    assert len(readings) == 1
    assert made["Yarn > Aran"] == there
    paths = {one.id: one.path for one in service.read_tree(ctx)}
    assert {path: paths[key].lower() for path, key in made.items()} == {path: path.lower() for path in wanted}
    assert [one.name for one in service.read_tree(ctx).tops(1)] == ["Yarn", "Tools"]
    assert len(paths) == 7
