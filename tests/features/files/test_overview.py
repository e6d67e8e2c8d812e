"""What a dry run comes to: columns that change, prices that move, reasons of refusal; and its rows narrowed by each."""

from decimal import Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from graupel.core import price_bands
from graupel.core.roles import SYSTEM
from graupel.features.files import planned_rows
from tests.features.files.test_grouped import words
from tests.making import add_german, make_product, plan_file
from tests.serving import app, as_role, browser

__all__ = ["app", "as_role", "browser", "words"]
D = Decimal
amounts = st.decimals(min_value="0.01", max_value="9999", places=2)


@settings(max_examples=30)
@given(st.lists(st.tuples(amounts, amounts), min_size=1, max_size=20))
def test_bands_counted_by_sets_are_those_of_one_change(ctx, pairs):
    selects = " UNION ALL ".join(f"SELECT {number} AS n, {a} AS a, {b} AS b" for number, (a, b) in enumerate(pairs))
    sql = f"SELECT n, {price_bands.band_sql('x.a', 'x.b')} AS band FROM ({selects}) x ORDER BY n"
    found = [int(row["band"]) for row in ctx.db.run(lambda tx: tx.all(sql))]
    assert found == [price_bands.band_of(a, b) for a, b in pairs]


def test_bars_go_from_the_first_band_that_has_any_to_the_last():
    def band(before, after):
        return price_bands.band_of(D(before), D(after))

    assert [price_bands.label(band("10", after)) for after in ("4", "9.99", "10.01", "10.5", "25")] == [
        "below −50 %", "−5 to 0 %", "0 to +5 %", "+5 to +10 %", "+100 % and more",
    ]  # fmt: skip
    drawn = price_bands.bars({4: 1, 7: 50})
    assert [(one.count, one.share, one.rises) for one in drawn] == [
        (1, 2, False), (0, 0, True), (0, 0, True), (50, 100, True),
    ]  # fmt: skip
    assert (price_bands.moved({4: 1, 7: 50}), price_bands.bars({})) == ((50, 1), [])


def test_a_dry_run_tells_in_numbers_what_it_changes_and_is_narrowed_by_each(ctx, words, browser):
    add_german(ctx)
    for number in range(1, 6):
        make_product(ctx, f"A-{number}", name=f"Yarn {number}", price=D(10))
    text = (
        "sku,name,price,colour,name de,weight\nA-1,Yarn one,11,,,\nA-2,,9,Oat,,\nA-3,,10.20,,Garn,\nA-4,Yarn four,,,,\n"
        "A-5,,lots,,,\nB-1,,5,,,\nB-2,,6,,,\nB-3,Bee,5,,,much\n"
    )
    file = plan_file(ctx, text)
    colour = f"fact-{words['colour']}"
    overview = file.row["overview"]
    assert overview["fields"] == {"name": 2, "price": 3, colour: 1, "own-.de.name": 1}
    assert overview["bands"] == {"3": 1, "5": 1, "7": 1}
    assert [number for _, number, *_ in overview["reasons"]] == [2, 1, 1]
    assert overview["reasons"][0][0] == "name.missing"
    for by, lines in {
        "name": [2, 5],
        "price": [2, 3, 4],
        colour: [3],
        "own-.de.name": [4],
        "nonsense": [2, 3, 4, 5],
    }.items():
        assert [one.line for one in planned_rows.rows_of(ctx, SYSTEM, file, "changed", by=by).samples] == lines, by
    assert len(planned_rows.rows_of(ctx, SYSTEM, file, "refused", by="why-name.missing").samples) == 2
    page = browser.get(f"/files/{file.id}?show=changed").text
    assert all(
        said in page for said in ("<b>2</b> rise, <b>1</b> fall", "Rows that change one column", "Name in German")
    )
    narrowed = browser.get(f"/files/{file.id}?show=refused&by=why-name.missing").text
    assert narrowed.count("needs a name") >= 2
    assert browser.get(f"/files/{file.id}?show=changed&by=%27;DROP").status_code == 200
