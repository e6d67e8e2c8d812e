"""The graupel command: most of it within the process of the tests, which takes seconds less than one of its own."""

import csv
import os
import subprocess
import sys

import pytest
from typer.testing import CliRunner

from graupel import cli
from graupel.core.columns import Rule
from graupel.core.roles import SYSTEM, Role
from graupel.db import Database, dump
from graupel.features.files import profiles
from graupel.features.files import service as files
from graupel.features.users import service as users
from graupel.features.users.access import Visitor
from tests.making import catalogue, make_product


@pytest.fixture
def environment(ctx, tmp_path):
    return {
        "GRAUPEL_DATABASE_URL": ctx.settings.database_url,
        "GRAUPEL_DATA_FOLDER": str(tmp_path),
        "GRAUPEL_LOG_LEVEL": "CRITICAL",
    }


@pytest.fixture
def graupel(environment):
    def run(*arguments, given=None, **further):
        return CliRunner().invoke(cli.app, arguments, given, env={**environment, **further})

    return run


@pytest.fixture
def program(environment, tmp_path):
    """The command in a process of its own."""

    def run(*arguments, given=None, **further):
        return subprocess.run(
            [sys.executable, "-m", "graupel.cli", *arguments],
            input=given,
            env={**os.environ, **environment, **further},
            text=True,
            capture_output=True,
            timeout=60,
            cwd=tmp_path,
        )

    return run


def test_a_person_is_added_and_signs_in_and_gets_a_token(ctx, graupel, program):
    added = program("user", "add", "Edda@example.com", "--name", "Edda", "--role", "owner", given="a-long-password\n")
    assert added.returncode == 0, added.stderr
    assert users.sign_in(ctx, "edda@example.com", "a-long-password", Visitor("127.0.0.1"))
    secret = graupel("token", "add", "edda@example.com", "--name", "Till", "--role", "editor").stdout.strip()
    assert users.identify_token(ctx, secret).role is Role.EDITOR
    assert "can sign in already" in graupel("user", "add", "edda@example.com", given="a-long-password\n").stderr
    assert "Nobody signs in as" in graupel("token", "add", "x@example.com", "--name", "Till").stderr


def test_a_file_is_brought_in_by_a_profile(ctx, graupel, tmp_path):
    path = tmp_path / "goods.csv"
    path.write_text("Nr;Was;Netto\nNEW-1;Wool;0,05\n")
    with path.open("rb") as content:
        file_id = files.take(ctx, SYSTEM, path.name, content)
    rules = [Rule("sku", 0), Rule("name", 1), Rule("weight_g", 2, unit="kg")]
    files.request_plan(ctx, SYSTEM, file_id, rules)
    profiles.keep(ctx, SYSTEM, file_id, "Loom list")
    looked = graupel("import", str(path), "--profile", "loom list", "--dry-run")
    assert (looked.exit_code, "1 new" in looked.stdout, catalogue(ctx)) == (0, True, {}), looked.stderr
    assert "known: Loom list" in graupel("import", str(path), "--profile", "Other").stderr
    assert "Brought in." in graupel("import", str(path), "--profile", "Loom list").stdout
    assert catalogue(ctx)["NEW-1"][4] == 50


def test_everything_goes_to_one_file_and_comes_back_only_into_an_empty_database(ctx, graupel, tmp_path):
    make_product(ctx, "FEL-1")
    path = tmp_path / "all.zip"
    made = graupel("backup", str(path))
    assert (made.exit_code, "rows and" in made.stdout) == (0, True), made.stderr
    again = graupel("restore", str(path))
    assert (again.exit_code, "The database is not empty" in again.stderr) == (1, True)
    beside = {"GRAUPEL_DATABASE_URL": f"{ctx.settings.database_url}_beside"}
    back = graupel("restore", str(path), **beside)
    assert (back.exit_code, "Brought back" in back.stdout) == (0, True), back.stderr
    taken_out = tmp_path / "out.jsonl"
    assert graupel("export", str(taken_out), **beside).exit_code == 0
    assert '"sku": "FEL-1"' in taken_out.read_text()
    assert "A file ends in" in graupel("export", str(tmp_path / "out.pdf")).stderr
    db = Database(beside["GRAUPEL_DATABASE_URL"])
    dump.drop(db, db.run(dump.tables))
    db.close()


def test_a_file_is_looked_at_first_and_brought_in_when_asked_to(ctx, graupel, tmp_path):
    path = tmp_path / "goods.csv"
    path.write_text("sku,name,price\nFEL-1,Fellside,9.80\nFEL-2,,1\n")
    looked = graupel("import", str(path))
    assert "1 new" in looked.stdout
    assert "line 3: “FEL-2” is new and needs a name." in looked.stdout
    assert catalogue(ctx) == {}
    refused = graupel("import", str(path), "--apply")
    assert refused.exit_code == 1
    assert "Correct the file" in refused.stderr
    assert graupel("import", str(path), "--apply", "--leave-out").exit_code == 0
    assert set(catalogue(ctx)) == {"FEL-1"}


def test_the_catalogue_is_written_to_a_file(ctx, graupel, tmp_path):
    make_product(ctx, "FEL-1")
    assert graupel("export", str(tmp_path / "out.csv")).stdout.endswith("out.csv: 1\n")
    with (tmp_path / "out.csv").open(newline="") as file:
        (row,) = csv.DictReader(file)
    told = {name: text for name, text in row.items() if text}
    assert told == {
        "sku": "FEL-1", "name": "Fellside aran FEL-1", "price": "9.80", "weight": "100 g", "category": "Yarn > Aran",
        "status": "live",
    }  # fmt: skip


def test_brands_come_in_and_go_out_by_a_command_that_says_what_rows_are(ctx, graupel, tmp_path):
    path = tmp_path / "names.csv"
    path.write_text("Name,Label\nCarrow Mill,x\n,y\n")
    done = graupel("import", str(path), "--rows", "brand", "--apply", "--leave-out")
    assert "1 new" in done.stdout, done.output
    assert "line 3: This row says nothing of “Brand”" in done.stdout
    written = graupel("export", str(tmp_path / "out.csv"), "--of", "brand")
    assert written.stdout.endswith("out.csv: 1\n"), written.output
    assert (tmp_path / "out.csv").read_text() == "brand,new name,tags\nCarrow Mill,Carrow Mill,\n"
    assert "beside goods alone" in graupel("export", str(tmp_path / "out.zip"), "--of", "brand").stderr
    assert "There is no lens" in graupel("export", str(tmp_path / "out.csv"), "--lens", "zz").stderr


def test_without_a_database_each_command_says_what_to_set(graupel, program):
    answer = program("migrate", GRAUPEL_DATABASE_URL="")
    assert answer.returncode == 1
    assert answer.stderr.startswith("Set GRAUPEL_DATABASE_URL")
    assert "up to date" in graupel("migrate").stdout


def test_help_names_every_command(graupel):
    text = graupel("--help").stdout
    assert all(
        word in text for word in ("demo", "serve", "worker", "standins", "migrate", "import", "export", "user", "token")
    )
