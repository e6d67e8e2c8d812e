"""Large files that are no plain text: unpacked and read in the background, while their page waits."""

import io
import json
from dataclasses import replace

import pytest
import xlsxwriter

from graupel.core.roles import SYSTEM, Role
from graupel.features.files import lines, reading_aside, service, taking, telling
from graupel.jobs import queue
from graupel.jobs.worker import Worker
from graupel.tables import reading
from tests.making import work_off
from tests.serving import app, as_role

__all__ = ["app", "as_role"]


@pytest.fixture(autouse=True)
def all_files_are_large(monkeypatch):
    monkeypatch.setattr(reading_aside, "MOST_AT_ONCE", 0)


@pytest.fixture
def editor(as_role):
    return as_role(Role.EDITOR)


def workbook(**sheets):
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        for name, rows in sheets.items():
            sheet = book.add_worksheet(name)
            for number, cells in enumerate(rows):
                sheet.write_row(number, 0, cells)
    return out.getvalue()


GOODS = workbook(
    Spring=[["sku", "name", "price"], ["S-1", "Skein", 4.2], ["S-2", "Skein 2", 5]],
    Autumn=[["sku", "name"], ["A-1", "Hat"]],
)


def sent(editor, content, name="goods.xlsx"):
    headers = {"X-CSRF-Token": editor.csrf, "Content-Type": "application/octet-stream"}
    assert editor.post("/pieces?upload=k&offset=0", content=content, headers=headers).json()["there"] == len(content)
    answer = editor.write("/files", {"upload": "k", "file_name": name})
    assert answer.status_code == 204, answer.text
    return answer.headers["HX-Redirect"]


def polled(editor, address):
    return editor.get(f"{address}?waits=true", headers={"HX-Request": "true", "HX-Target": "what"})


def file_at(ctx, address):
    return service.read(ctx, SYSTEM, int(address.rpartition("/")[2]))


@pytest.mark.parametrize(
    "content",
    [
        GOODS,
        json.dumps([{"sku": "S-1", "name": "Skein", "price": 4.2}, {"sku": "S-2", "name": "S", "price": 5}]).encode(),
    ],
)
def test_its_page_waits_for_what_it_is_and_then_shows_its_dry_run(editor, ctx, content):
    address = sent(editor, content)
    page = editor.get(address).text
    assert ("Read goods.xlsx" in page, "?waits=true" in page, "What was read" in page) == (True, True, False)
    assert "Not read" in editor.get("/files").text
    assert "Read goods.xlsx" in polled(editor, address).text
    work_off(ctx)
    assert polled(editor, address).headers["HX-Refresh"] == "true"
    page = editor.get(address).text
    assert ("What was read" in page, "?waits=true" in page) == (True, False)
    file = file_at(ctx, address)
    assert (file.step, file.row["counts"]["new"], file.row["headers"]) == ("planned", 2, ["sku", "name", "price"])
    stands_in = reading.stands_in(taking.path_of(ctx, file.row), ctx.folder("uploads"), file.shape)
    assert lines.count(stands_in) == 3, "of so many lines it is told how many are read"


def test_of_one_that_cant_be_read_is_said_why_and_nothing_else_can_be_done_with_it(editor, ctx):
    address = sent(editor, GOODS[: len(GOODS) // 2])
    work_off(ctx)
    page = editor.get(address).text
    assert "it may be cut off" in page
    assert "Choose the file again" in page
    for what in ("plan", "shape", "rows-are", "apply"):
        answer = editor.write(f"{address}/{what}", {"rows_are": "brand", "part": "Spring", "column.0": "sku"})
        assert answer.status_code == 422, what
    assert file_at(ctx, address).step == "unread"


def test_who_waited_long_for_one_whose_columns_nobody_knows_is_told_by_mail(editor, ctx, monkeypatch):
    mailing = {"smtp_host": "127.0.0.1", "smtp_port": 1, "mail_from": "shop@skeinwright.example"}
    told = replace(ctx, settings=ctx.settings.model_copy(update=mailing))
    written = []
    monkeypatch.setattr(telling.mail, "send", lambda settings, to, subject, text, key: written.append((subject, text)))
    address = sent(editor, workbook(One=[["first", "second"], ["a", "b"]]))
    late = "UPDATE job SET made_at = made_at - INTERVAL %s SECOND"
    ctx.db.run(lambda tx: tx.run(late, [telling.LONG_SECONDS + 5]))
    work_off(told)
    ((subject, text),) = written
    assert subject == "A file was read: goods.xlsx"
    assert "Say what its columns are." in text
    assert file_at(ctx, address).step == "matching"


def test_another_sheet_of_it_is_read_aside_too_and_until_then_it_is_what_it_was(editor, ctx):
    address = sent(editor, GOODS)
    work_off(ctx)
    editor.write(f"{address}/shape", {"part": "Autumn", "header": "1"})
    waiting = file_at(ctx, address)
    assert (waiting.step, waiting.is_read, waiting.shape.part, waiting.row["state"]) == (
        "running", False, "Spring", "planned",
    )  # fmt: skip
    ctx.db.run(lambda tx: queue.want_cancel(tx, waiting.job["id"]))
    work_off(ctx)
    assert (file_at(ctx, address).step, file_at(ctx, address).shape.part) == ("planned", "Spring")
    editor.write(f"{address}/shape", {"part": "Autumn", "header": "1"})
    work_off(ctx)
    file = file_at(ctx, address)
    assert (file.step, file.shape.part, file.row["counts"]["new"]) == ("planned", "Autumn", 1)


def test_what_somebody_chose_meanwhile_counts(editor, ctx):
    address = sent(editor, GOODS)
    work_off(ctx)
    editor.write(f"{address}/shape", {"part": "Autumn", "header": "1"})
    file = file_at(ctx, address)
    service.request_plan(ctx, SYSTEM, file.id, file.rules)
    while Worker(ctx).work_one():
        pass
    file = file_at(ctx, address)
    assert (file.step, file.shape.part, file.row["counts"]["new"]) == ("planned", "Spring", 2)
