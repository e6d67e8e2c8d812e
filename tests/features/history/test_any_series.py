"""Any series of acts, deletions and roll backs of several records: the dry run holds, and the way back is complete."""

from contextlib import suppress
from dataclasses import replace
from decimal import Decimal

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from graupel.core.attributes import AttributeKind
from graupel.core.errors import NotFound, Refused
from graupel.core.products import ProductValues, Status
from graupel.core.roles import SYSTEM
from graupel.features.categories import deleting
from graupel.features.categories import service as categories
from graupel.features.history import journal, records, rolling_back
from graupel.features.history import service as history
from graupel.features.products import saving
from graupel.features.products import service as products
from graupel.features.variants import making, taking
from graupel.features.vocabulary import attributes, joining
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.attributes import Definition
from graupel.features.wording import service as wording
from tests.making import bring_in
from tests.needles import wish

WORDS = ["Fellside", "Quarry", "Tarn"]


def everything(ctx, *, placed=False):
    """All that the journal knows, by kind and id, as it stands in the tables; ``placed``: with places of siblings."""

    def work(tx):
        found = {}
        for kind in records.kinds():
            if not kind.fields:
                continue
            now = journal.json_object(
                [journal.json_field(n, c) for n, c in kind.fields.items() if placed or n != "position"]
            )
            rows = tx.all(f"SELECT {kind.key} AS id, {now} AS now FROM {kind.table}", {"lang": "en"})
            found |= {(kind.name, row["id"]): row["now"] for row in rows}
        return found

    return ctx.db.run(work)


def change_sets(ctx):
    """The ids of all change sets, the newest first."""
    return ctx.db.run(lambda tx: [row["id"] for row in tx.all("SELECT id FROM change_set ORDER BY id DESC")])


class Shop:
    """Somebody at work: each act has two numbers, which choose among what is there."""

    def __init__(self, ctx):
        self.ctx = ctx

    def ids(self, table):
        return self.ctx.db.run(lambda tx: [row["id"] for row in tx.all(f"SELECT id FROM {table} ORDER BY id")])

    def one(self, table, number):
        ids = self.ids(table)
        if not ids:
            raise NotFound("nothing is there yet")
        return ids[number % len(ids)]

    def make(self, a, b):
        path = "Yarn" if a % 2 else f"Yarn > {WORDS[b % 3]}"
        sku = f"S-{len(change_sets(self.ctx))}-{self.ids('change_set')[-1:] or 0}".replace("[", "").replace("]", "")
        category = categories.make(self.ctx, SYSTEM, path).id
        values = ProductValues(
            name=WORDS[a % 3], sku=sku, brand=WORDS[b % 3], status=Status.DRAFT, tags=(WORDS[a % 3],)
        )
        saving.create(self.ctx, SYSTEM, replace(values, category_id=category))

    def bring_in(self, a, b):
        known = self.ctx.db.run(lambda tx: tx.value("SELECT sku FROM variant ORDER BY id LIMIT 1"))
        number = self.ids("change_set")[-1]
        rows = f"F-{number}-1,{WORDS[a % 3]},5,Yarn > {WORDS[b % 3]}\nF-{number}-2,{WORDS[b % 3]},,\n"
        bring_in(self.ctx, f"sku,name,price,category\n{rows}{known},{WORDS[a % 3]},{b},\n", leave_out=True)

    def save(self, a, b):
        product_id = self.one("product", a)
        values = products.read(self.ctx, SYSTEM, product_id).values
        given = [
            {"name": WORDS[b % 3]},
            {"brand": WORDS[b % 3], "mpn": f"M-{b % 2}"},
            {"tags": (WORDS[b % 3],)},
            {"price": Decimal(b % 3), "short_text": WORDS[a % 3]},
            {"category_id": self.one("category", b), "brand": ""},
        ][b % 5]
        saving.save(self.ctx, SYSTEM, product_id, replace(values, **given), None)

    def delete(self, a, b):
        saving.delete(self.ctx, SYSTEM, self.one("product", a))

    def vary(self, a, b):
        colour = attributes.read(self.ctx, SYSTEM, self.one("attribute", 0)).attribute
        product_id = self.one("product", a)
        product = products.read(self.ctx, SYSTEM, product_id)
        if product.axes:
            keep = product.variants[b % len(product.variants)].combination[0]
            plan = taking.plan_dropping(self.ctx, SYSTEM, product_id, colour.id, keep)
            taking.drop_axis(self.ctx, SYSTEM, product_id, colour.id, keep, plan.signature)
        else:
            making.make(self.ctx, SYSTEM, product_id, wish((colour, [WORDS[a % 3], WORDS[(a + 1) % 3]])))

    def category(self, a, b):
        one = self.one("category", a)
        [
            lambda: categories.rename(self.ctx, SYSTEM, one, f"{WORDS[b % 3]} {b}"),
            lambda: categories.add(self.ctx, SYSTEM, f"{WORDS[b % 3]}\n  Aran", one),
            lambda: deleting.delete(self.ctx, SYSTEM, one, with_branch=True, into=self.one("category", b)),
            lambda: categories.move(self.ctx, SYSTEM, [one], self.one("category", b)),
        ][b % 4]()

    def word(self, a, b):
        kind = ["brand", "tag"][a % 2]
        into = self.one(kind, b) if b % 3 == 0 else None
        joining.join(self.ctx, SYSTEM, kind, self.one(kind, a), into)

    def translate(self, a, b):
        product_id, text = self.one("product", a), ["", "Wolle", "Garn"][b % 3]

        def work(tx):
            with history.change_set(tx, SYSTEM, "translate", "Translated") as recorder:
                wording.save(tx, recorder, "product", product_id, {".de.name": text}, {"name": "Wool"})

        self.ctx.db.run(work)

    def roll_back(self, a, b):
        number = change_sets(self.ctx)[a % len(change_sets(self.ctx))]
        foreseen = rolling_back.plan(self.ctx, SYSTEM, number)
        before = everything(self.ctx, placed=True)
        done = self.ctx.db.run(lambda tx: rolling_back.roll_back(self.ctx, tx, SYSTEM, number))
        assert replace(done, by=None) == replace(foreseen, by=None)
        assert bool(done.by) == bool(done.back)
        assert (everything(self.ctx, placed=True) != before) == bool(done.back)


ACTS = ["make", "bring_in", "save", "save", "delete", "vary", "category", "word", "translate", "roll_back", "roll_back"]
series = st.lists(st.tuples(st.sampled_from(ACTS), st.integers(0, 30), st.integers(0, 30)), min_size=3, max_size=12)


@settings(max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(series)
def test_what_is_announced_is_done_and_all_of_it_in_reverse_gives_the_beginning(ctx, acts):
    if not change_sets(ctx):
        attributes.make(ctx, SYSTEM, Definition("Colour", AttributeKind.COLOUR, choices=WORDS))
        vocabulary.make(ctx, SYSTEM, "tag", "Kept")
    beginning, last = everything(ctx), change_sets(ctx)[0]
    shop = Shop(ctx)
    for act, a, b in [("make", 0, 1), *acts]:
        with suppress(Refused, NotFound):
            getattr(shop, act)(a, b)
    for number in [one for one in change_sets(ctx) if one > last]:
        done = ctx.db.run(lambda tx, number=number: rolling_back.roll_back(ctx, tx, SYSTEM, number))
        assert (done.stay, done.part) == (0, 0), done.kept
    assert everything(ctx) == beginning
