"""The history of one record: all that belongs to it, now or once; drawn over time; and pieces of an act put back."""

from decimal import Decimal

import pytest

from graupel.core.attributes import Fact
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import SYSTEM, Role
from graupel.features.history import one_record, pieces
from graupel.features.history import service as history
from graupel.features.history.pieces import Piece
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import setting
from tests.features.products.test_past import save
from tests.making import bring_in, make_product, roll_back_newest
from tests.needles import by_label, colour, needles, size
from tests.serving import app, as_role

__all__ = ["app", "as_role", "colour", "needles", "size"]

D = Decimal


def told(ctx, kind, record_id, field=""):
    """What happened, as (kind of record, what, field, before, after), the newest first."""
    found = one_record.read(ctx, SYSTEM, kind, record_id, field=field)
    return [
        (row.kind, row.action, *one) for act in found.acts for row in act.rows for one in row.fields or [("", "", "")]
    ]


def newest(ctx):
    return history.list_change_sets(ctx, SYSTEM).change_sets[0]["id"]


def test_what_belongs_to_a_record_is_told_with_it_also_when_it_is_gone(ctx, colour):
    yarn = make_product(ctx, "FEL-1", price=D("9.80"), facts={colour.id: Fact(choices=(colour.choices[0].id,))})
    other = make_product(ctx, "FEL-2", price=D("5.00"), tags=("summer",))
    save(ctx, yarn, facts={}, price=D("8.00"))
    said = told(ctx, "product", yarn)
    assert ("Variant", "changed", "Price", "9.80", "8.00") in said
    assert ("Fact", "removed", "Choice", "Heather", "(empty)") in said, "though nothing of it is there"
    assert ("Fact", "made", "Choice", "(empty)", "Heather") in said
    assert not any("FEL-2" in one for row in said for one in row)
    assert told(ctx, "product", yarn, "variant.price") == [
        ("Variant", "changed", "Price", "9.80", "8.00"),
        ("Variant", "made", "Price", "(empty)", "9.80"),
    ]
    assert told(ctx, "product", other, "fact") == []
    with pytest.raises(NotFound, match="There is no product 4711"):
        told(ctx, "product", 4711)
    with pytest.raises(NotFound, match="nothing of the kind"):
        told(ctx, "nothing", 1)


def test_the_history_of_a_word_has_its_choices_and_that_of_goods_from_a_file_begins_with_it(ctx, colour):
    assert ("Choice", "made", "Label", "(empty)", "Oat") in told(ctx, "attribute", colour.id)
    bring_in(ctx, "sku,name,price\nFEL-1,Fellside,9.80\n")
    yarn = ctx.db.run(lambda tx: tx.value("SELECT MAX(id) FROM product"))
    assert ("Product", "made", "Name", "(empty)", "Fellside") in told(ctx, "product", yarn)
    assert ("Variant", "made", "Price", "(empty)", "9.80") in told(ctx, "product", yarn)


def test_a_record_that_was_deleted_is_told_and_names_itself(ctx):
    yarn = make_product(ctx, "FEL-1", status="draft", name="Fellside")
    saving.delete(ctx, SYSTEM, yarn)
    found = one_record.read(ctx, SYSTEM, "product", yarn)
    assert (found.shown.title, found.is_there) == ("Fellside", False)
    assert found.acts[0].rows[0].action == "removed"


def test_prices_and_stock_are_drawn_as_they_were(ctx, needles):
    rust = by_label(ctx, needles)["Rust, 3 mm"].id
    for price in ("7.00", "9.00", "6.00"):
        setting.set_each(ctx, SYSTEM, needles, "price", {rust: D(price)})
    charts = {one.title: one.drawing for one in one_record.read(ctx, SYSTEM, "product", needles).charts}
    low, high = charts["Typed prices"].curves
    assert (low.name, low.last, high.name, high.last) == ("Price, lowest", D("6.00"), "Price, highest", D("6.40"))
    assert charts["Typed prices"].high == D("9.00")
    assert charts["On hand"].curves[0].last == D("7.00")
    (prices, *_) = one_record.read(ctx, SYSTEM, "variant", rust).charts
    assert [mark.value for mark in prices.drawing.curves[0].marks][-3:] == [D("7.00"), D("9.00"), D("6.00")]
    assert one_record.read(ctx, SYSTEM, "product", needles, field="variant.price").charts == []


def offered(ctx, number):
    """By field what a form names a piece of an act, and what it holds now."""
    detail = history.read(ctx, SYSTEM, number)
    found = pieces.beside(ctx, SYSTEM, detail.journalled)
    fields = {
        (row.kind, label): piece
        for row, beside in zip(detail.rows, found, strict=True)
        for (label, _, _), piece in zip(row.fields, beside.fields, strict=True)
    }
    return fields, {row.kind: one.whole for row, one in zip(detail.rows, found, strict=True) if one.whole}


def test_a_field_goes_back_by_itself_whatever_it_is_now_and_the_rest_of_the_act_stays(ctx):
    yarn = make_product(ctx, "FEL-1", price=D("9.80"), mpn="A", tags=("summer",))
    save(ctx, yarn, name="Other", mpn="B", tags=("winter",))
    number = newest(ctx)
    save(ctx, yarn, mpn="C")
    fields, whole = offered(ctx, number)
    assert fields["Product", "Part number"][0] == "C", "what stands there now is shown"
    assert fields["Product", "Name"][0] == ""
    assert set(whole) == {"Tag put on"}
    wanted = [Piece.read(fields["Product", "Part number"][1])]
    by = pieces.put_back(ctx, SYSTEM, number, wanted)
    values = products.read(ctx, SYSTEM, yarn).values
    assert (values.mpn, values.name, values.tags) == ("A", "Other", ("winter",))
    assert history.read(ctx, SYSTEM, by).change_set["title"].startswith("Put back in part: ")
    assert history.read(ctx, SYSTEM, number).change_set["rolled_back_by"] is None
    with pytest.raises(Refused, match="changed by somebody meanwhile"):
        pieces.put_back(ctx, SYSTEM, number, wanted)
    assert roll_back_newest(ctx)
    assert products.read(ctx, SYSTEM, yarn).values.mpn == "C"


def test_pieces_that_stand_only_together_go_together_and_made_goods_are_not_taken_away(ctx, colour, needles):
    yarn = make_product(ctx, "FEL-1", facts={colour.id: Fact(choices=(colour.choices[0].id,))})
    save(ctx, yarn, facts={colour.id: Fact(choices=(colour.choices[1].id,))}, own={".en.name": "x"})
    made, _ = offered(ctx, history.of_records(ctx, SYSTEM, {"product": [yarn]})[-1]["id"])
    assert not any(piece for (kind, _), (_, piece) in made.items() if kind in ("Product", "Variant"))
    _, whole = offered(ctx, history.of_records(ctx, SYSTEM, {"product": [needles]})[-1]["id"])
    assert "Variant" not in whole
    assert "Product" not in whole


def test_the_pages_show_it_and_put_back(ctx, as_role):
    yarn = make_product(ctx, "FEL-1", mpn="A")
    save(ctx, yarn, mpn="B")
    number = newest(ctx)
    me = as_role(Role.EDITOR)
    page = me.get(f"/history/of/product/{yarn}").text
    assert "As it was at a moment" in page
    page = me.get(f"/history/{number}").text
    piece = page.partition('name="piece" value="')[2].partition('"')[0]
    answer = me.write(f"/history/{number}/pieces", {"piece": piece})
    assert answer.status_code == 303
    assert products.read(ctx, SYSTEM, yarn).values.mpn == "A"
    again = me.write(f"/history/{number}/pieces", {"piece": piece})
    assert again.status_code == 422
    assert "changed by somebody meanwhile" in again.text
    page = me.get(f"/products/{yarn}/as-of").text
    assert "It was not there yet" in page
    assert me.get(f"/products/{yarn}/as-of?at=yesterday").status_code == 422
    assert as_role(Role.VIEWER).write(f"/history/{number}/pieces", {"piece": piece}).status_code == 403
