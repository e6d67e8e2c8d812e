"""Files that buyers download: they come in pieces, are given when paid, stamped, counted, ended and opened again."""

import io
import threading
from decimal import Decimal

import httpx
import pytest
import uvicorn
from pypdf import PdfReader, PdfWriter
from reportlab.pdfgen.canvas import Canvas

from graupel import main, pieces
from graupel.core import changes
from graupel.core.errors import NotAllowed, NotFound, Outdated, Refused
from graupel.core.orders import Stack, Told
from graupel.core.roles import SYSTEM, Role
from graupel.features.downloads import service
from graupel.features.orders import baskets, handling, placing, reading, rules
from graupel.features.orders.wares import Place
from graupel.features.products import service as products
from graupel.features.shop import windows
from tests.making import make_product, roll_back_newest
from tests.serving import app, as_role, stranger

__all__ = ["app", "as_role", "stranger"]
D = Decimal


def pdf(pages=3, *, turned=False, password=""):
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(300, 400))
    for number in range(pages):
        canvas.drawString(50, 200, f"Row {number + 1}")
        canvas.showPage()
    canvas.save()
    if not (turned or password):
        return out.getvalue()
    writer = PdfWriter(clone_from=PdfReader(io.BytesIO(out.getvalue())))
    if turned:
        for page in writer.pages:
            page.rotate(90)
    if password:
        writer.encrypt(password)
    again = io.BytesIO()
    writer.write(again)
    return again.getvalue()


@pytest.fixture
def pattern(ctx):
    rules.save(ctx, SYSTEM, {"transfer": "yes", "transfer_to": "Account 4711"})
    return make_product(ctx, "PAT-1", name="Hat pattern", delivered="downloaded", weight_g=None)


def come(ctx, actor, content, key="k"):
    path = pieces.path_of(ctx.settings.data_folder, str(actor.user_id), key)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content)
    return key


def make(ctx, product_id, content=None, name="hat.pdf", **said):
    made = service.make(ctx, SYSTEM, product_id, name, come(ctx, SYSTEM, pdf() if content is None else content))
    if said:
        detail = service.read(ctx, SYSTEM, made)
        service.save(ctx, SYSTEM, made, service.texts(detail.download.row) | said)
    return made


def order(ctx, product_id, viewer=None, secret="somebody"):
    """An order by transfer; returns its id."""
    window = windows.window(ctx)
    place = Place(window.seen, window.shop)
    variant = products.read(ctx, SYSTEM, product_id).variants[0].id
    baskets.put(ctx, place, secret, variant, "1", {}, {})
    buyer = {"mail": "ida@fell.example", "name": "Ida Fell"}
    total = f"{baskets.read(ctx, place, secret).total:f}"
    page = placing.place(ctx, place, secret, placing.Form(buyer, "transfer", total), viewer)
    return reading.read_page(ctx, page).row["id"]


def pay(ctx, order_id):
    handling.tell(ctx, SYSTEM, order_id, Told.PAID)
    return reading.read(ctx, SYSTEM, order_id).links


def link_of(ctx, product_id):
    (link,) = pay(ctx, order(ctx, product_id))
    return f"/shop/d/{link.row['secret']}"


def taken(ctx, order_id=None):
    found = reading.list_orders(ctx, SYSTEM, Stack.ALL, "", 0).orders[0]["id"] if order_id is None else order_id
    return [one.row["taken"] for one in reading.read(ctx, SYSTEM, found).links]


# --- coming in -----------------------------------------------------------------------------------------------


def test_a_file_comes_in_pieces_and_goes_on_after_a_break(as_role, ctx, pattern):
    editor = as_role(Role.EDITOR)
    content = pdf(40)
    key = "hat.pdf 1234"

    def piece(offset, size):
        headers = {"X-CSRF-Token": editor.csrf, "Content-Type": "application/octet-stream"}
        address = f"/pieces?upload={key}&offset={offset}"
        answer = editor.post(address, content=content[offset : offset + size], headers=headers)
        assert answer.status_code == 200, answer.text
        return answer.json()["there"]

    assert piece(0, 1000) == 1000
    assert editor.get("/pieces", params={"upload": key}).json() == {"there": 1000}
    assert piece(5000, 10) == 1000, "not behind what is there: it is told where that is"
    assert piece(0, 10) == 1000, "nor twice"
    assert piece(1000, len(content)) == len(content)
    came = {"upload": key, "file_name": "C:\\patterns\\hat.pdf", "product": str(pattern)}
    answer = editor.write("/downloads", came)
    assert "hat.pdf" in answer.text
    (used,) = ctx.db.run(lambda tx: service.of_product(tx, pattern))
    found = used.download
    assert (found.newest["file_name"], found.newest["bytes"], found.newest["pages"]) == ("hat.pdf", len(content), 40)
    given_out = editor.get(f"/downloads/{found.id}/versions/{found.newest['id']}")
    assert given_out.content == content
    assert editor.write("/downloads", came).status_code == 422, "what came once is taken once"


def test_an_empty_file_is_refused_and_a_viewer_brings_in_nothing(as_role, ctx, pattern):
    with pytest.raises(Refused, match="This file is empty, or did not come whole"):
        make(ctx, pattern, b"")
    viewer = as_role(Role.VIEWER)
    headers = {"X-CSRF-Token": viewer.csrf, "Content-Type": "application/octet-stream"}
    assert viewer.post("/pieces?upload=k&offset=0", content=b"x", headers=headers).status_code == 403
    with pytest.raises(NotAllowed):
        service.make(ctx, viewer.actor, pattern, "x", "k")


def test_downloads_of_a_product_are_put_in_order_and_two_meet(ctx, pattern):
    first, second = make(ctx, pattern), make(ctx, pattern, name="chart.pdf")
    marks = service.marks_of(ctx.db.run(lambda tx: service.of_product(tx, pattern)))

    def arrange(*ids, told=marks):
        wishes = [service.Wish(one, None) for one in ids]
        service.arrange(ctx, SYSTEM, pattern, wishes, "Hat", changes.marks(told) if told else None)

    def there():
        return [one.download.id for one in ctx.db.run(lambda tx: service.of_product(tx, pattern))]

    arrange(second, first)
    assert there() == [second, first]
    with pytest.raises(Outdated):
        arrange(first)
    arrange(first, told=None)
    assert there() == [first]
    roll_back_newest(ctx)
    assert there() == [second, first]


def test_what_is_said_of_a_download_is_checked_written_and_taken_back(ctx, pattern):
    made = make(ctx, pattern)
    with pytest.raises(Refused) as refusal:
        service.save(ctx, SYSTEM, made, {"name": "", "times": "0", "days": "x"})
    assert {one.field for one in refusal.value.problems} == {"name", "times", "days"}
    service.save(ctx, SYSTEM, made, {"name": "The pattern", "times": "3", "days": "30", "stamped": "yes"})
    row = service.read(ctx, SYSTEM, made).download.row
    assert (row["name"], row["times"], row["days"], row["stamped"], row["renews"]) == ("The pattern", 3, 30, 1, 0)
    roll_back_newest(ctx)
    assert service.read(ctx, SYSTEM, made).download.row["name"] == "hat.pdf"


# --- given ---------------------------------------------------------------------------------------------------


def test_it_is_given_when_paid_and_closed_when_cancelled(stranger, ctx, pattern):
    make(ctx, pattern)
    order_id = order(ctx, pattern)
    assert reading.read(ctx, SYSTEM, order_id).links == []
    (link,) = pay(ctx, order_id)
    assert reading.list_orders(ctx, SYSTEM, Stack.OPEN, "", 0).orders == [], "nothing of it is to be sent"
    secret = reading.read(ctx, SYSTEM, order_id).placed["secret"]
    page = stranger.get(f"/shop/o/{secret}").text
    assert f"/shop/d/{link.row['secret']}" in page
    handling.tell(ctx, SYSTEM, order_id, Told.CANCELLED)
    gone = stranger.get(f"/shop/d/{link.row['secret']}")
    assert (gone.status_code, "This download was closed." in gone.text) == (410, True)
    assert f"/shop/d/{link.row['secret']}" not in stranger.get(f"/shop/o/{secret}").text


def test_it_may_be_given_when_it_is_ordered(ctx, pattern):
    make(ctx, pattern)
    rules.save(ctx, SYSTEM, {"transfer": "yes", "transfer_to": "Account 4711", "gives_at": "ordered"})
    assert len(reading.read(ctx, SYSTEM, order(ctx, pattern)).links) == 1


def test_one_variant_s_file_is_not_given_with_another(ctx, pattern):
    made = make(ctx, pattern)
    variant = products.read(ctx, SYSTEM, pattern).variants[0].id
    given = ctx.db.run(lambda tx: service.of_variants(tx, {variant: pattern, variant + 1: pattern}))
    assert [one.id for one in given[variant]] == [made]
    assert given.keys() == {variant, variant + 1}
    service.arrange(ctx, SYSTEM, pattern, [service.Wish(made, variant)], "Hat")
    given = ctx.db.run(lambda tx: service.of_variants(tx, {variant: pattern, variant + 1: pattern}))
    assert [one.id for one in given.get(variant, [])] == [made]
    assert given.get(variant + 1, []) == []


def test_a_link_counts_what_was_sent_whole_and_ends(stranger, ctx, pattern):
    content = pdf(30)
    make(ctx, pattern, content, times="2")
    link = link_of(ctx, pattern)
    assert stranger.head(link).status_code == 200
    assert taken(ctx) == [0], "who only asks takes nothing"
    half = len(content) // 2
    first = stranger.get(link, headers={"Range": f"bytes=0-{half - 1}"})
    assert (first.status_code, first.headers["content-range"]) == (206, f"bytes 0-{half - 1}/{len(content)}")
    assert taken(ctx) == [0]
    rest = stranger.get(link, headers={"Range": f"bytes={half}-"})
    assert first.content + rest.content == content
    assert taken(ctx) == [1], "in two parts it is one download"
    assert stranger.get(link, headers={"Range": f"bytes={len(content)}-"}).status_code == 416
    assert stranger.get(link).content == content
    gone = stranger.get(link)
    assert (gone.status_code, "This download was used up." in gone.text) == (410, True)
    for wrong in (link[:-1] + ("A" if link[-1] != "A" else "B"), "/shop/d/x", f"/shop/d/{'é' * 32}"):
        assert stranger.get(wrong).status_code == 404


def test_a_link_ends_with_its_days_and_is_opened_again_by_hand(stranger, as_role, ctx, pattern):
    make(ctx, pattern, times="1", days="30")
    link = link_of(ctx, pattern)
    ctx.db.run(lambda tx: tx.run("UPDATE given_download SET until_at = until_at - INTERVAL 31 DAY"))
    gone = stranger.get(link)
    assert (gone.status_code, "This download has ended." in gone.text) == (410, True)
    found = reading.list_orders(ctx, SYSTEM, Stack.ALL, "", 0).orders[0]["id"]
    given = reading.read(ctx, SYSTEM, found).links[0].row["id"]
    editor = as_role(Role.EDITOR)
    assert "Open it again" in editor.get(f"/orders/{found}").text
    editor.write(f"/downloads/given/{given}/open")
    assert stranger.get(link).status_code == 200
    assert stranger.get(link).status_code == 410


def test_a_page_is_stamped_with_its_buyer(stranger, ctx, pattern):
    make(ctx, pattern, pdf(3, turned=True), stamped="yes")
    link = link_of(ctx, pattern)
    given = stranger.get(link).content
    pages = PdfReader(io.BytesIO(given)).pages
    assert len(pages) == 3
    for number, page in enumerate(pages):
        text = page.extract_text()
        assert f"Row {number + 1}" in text
        assert "Ida Fell, ida@fell.example, W" in text
    assert stranger.get(link).content == given, "the same copy each time, so that a break can be gone on from"


@pytest.mark.parametrize(
    ("content", "why"),
    [(pdf(2, password="secret"), "it is encrypted"), (b"%PDF-1.7 broken", "it can’t be read as a PDF")],
)
def test_a_pdf_that_can_not_be_stamped_is_given_as_it_is_and_that_is_said(
    stranger, as_role, ctx, pattern, content, why
):
    made = make(ctx, pattern, content, stamped="yes")
    assert stranger.get(link_of(ctx, pattern)).content == content
    viewer = as_role(Role.VIEWER)
    assert f"without a stamp: {why}" in viewer.get(f"/downloads/{made}").text
    newest = reading.list_orders(ctx, SYSTEM, Stack.ALL, "", 0).orders[0]["id"]
    assert f"not stamped: {why}" in viewer.get(f"/orders/{newest}").text


def test_a_new_version_goes_to_earlier_buyers_or_not(stranger, ctx, pattern):
    made = make(ctx, pattern, b"first", name="hat.txt")
    link = link_of(ctx, pattern)
    service.new_version(ctx, SYSTEM, made, "hat-2.txt", come(ctx, SYSTEM, b"second"))
    assert stranger.get(link).content == b"second"
    found = service.read(ctx, SYSTEM, made).download
    service.save(ctx, SYSTEM, made, service.texts(found.row) | {"renews": ""})
    assert stranger.get(link).content == b"first"
    assert [one["number"] for one in found.versions] == [2, 1]


def test_what_can_be_looked_into_before_is_for_everybody_and_nothing_else_is(stranger, ctx, pattern):
    made = make(ctx, pattern, pdf(5))
    look = f"/shop/look/{made}"
    assert stranger.get(look).status_code == 404
    found = service.read(ctx, SYSTEM, made).download
    service.save(ctx, SYSTEM, made, service.texts(found.row) | {"excerpt_pages": "2"})
    excerpt = stranger.get(look)
    assert excerpt.status_code == 200, excerpt.text
    assert len(PdfReader(io.BytesIO(excerpt.content)).pages) == 2
    page = stranger.get(f"/shop/p/{pattern}-x").text
    assert f'href="{look}"' in page
    errata = make(ctx, pattern, b"Row 3 is wrong", name="errata.txt", before_buying="yes")
    assert stranger.get(f"/shop/look/{errata}").content == b"Row 3 is wrong"
    assert [one.download.id for one in pay(ctx, order(ctx, pattern))] == [made], "what is free is not given again"


def test_a_trial_gets_its_downloads_too(ctx, editor, pattern):
    make(ctx, pattern)
    assert len(pay(ctx, order(ctx, pattern, editor))) == 1


def test_a_download_that_is_not_there_is_not_found(ctx):
    with pytest.raises(NotFound):
        service.read(ctx, SYSTEM, 99)


# --- several at once, over a real connection -----------------------------------------------------------------


@pytest.fixture
def served(ctx):
    """The address of a real server."""
    server = uvicorn.Server(uvicorn.Config(main.make_app(ctx), host="127.0.0.1", port=0, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        thread.join(0.02)
    port = server.servers[0].sockets[0].getsockname()[1]
    yield f"http://127.0.0.1:{port}"
    server.should_exit = True
    thread.join(20)


def browser(served, name):
    return httpx.Client(base_url=served, trust_env=False, headers={"User-Agent": name}, timeout=30)


def test_the_last_download_wanted_by_two_at_once_is_one_s(ctx, pattern, served):
    content = bytes(range(256)) * 120_000  # 30 MB: more than a connection holds
    make(ctx, pattern, content, name="film.bin", times="1")
    link = link_of(ctx, pattern)
    first, second = browser(served, "one"), browser(served, "two")
    with first.stream("GET", link) as under_way:
        assert under_way.status_code == 200
        busy = second.get(link)
        assert (busy.status_code, "being downloaded at this moment" in busy.text) == (409, True)
        got = b"".join(under_way.iter_bytes())
    assert got == content
    assert second.get(link).status_code == 410
    assert taken(ctx) == [1]


def test_who_is_cut_off_goes_on_and_that_is_one_download(ctx, pattern, served):
    content = bytes(range(256)) * 120_000
    make(ctx, pattern, content, name="film.bin", times="1")
    link = link_of(ctx, pattern)
    one = browser(served, "one")
    got = b""
    with one.stream("GET", link) as broken:
        for chunk in broken.iter_bytes():
            got += chunk
            if len(got) > 1_000_000:
                break
    assert taken(ctx) == [0], "what broke off does not count"
    rest = one.get(link, headers={"Range": f"bytes={len(got)}-"})
    assert (rest.status_code, got + rest.content == content) == (206, True)
    assert taken(ctx) == [1]
    assert one.get(link).status_code == 410
