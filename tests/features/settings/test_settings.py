"""What is in force in an installation, for its owners to read."""

from pathlib import Path

import graupel
from graupel.core.roles import Role
from graupel.features.settings import service
from graupel.settings import Settings
from tests.serving import app, as_role

__all__ = ["app", "as_role"]
NAMED = {name for _, group in service.GROUPS for name, *_ in group}


def test_every_setting_is_on_the_page_and_documented():
    example = (Path(graupel.__file__).parents[1] / ".env.example").read_text()
    assert set(Settings.model_fields) == NAMED
    assert [name for name in NAMED if f"#GRAUPEL_{name.upper()}=" not in example] == []


def test_an_owner_reads_them_and_no_secret_is_among_them(as_role, ctx):
    page = as_role(Role.OWNER).get("/settings").text
    assert f"<b>{ctx.settings.time_zone}</b>" in page
    assert f"<b>{ctx.settings.upload_megabytes} MB</b>" in page
    assert "GRAUPEL_UPLOAD_MEGABYTES" in page
    assert "set, not shown" in page
    assert ctx.settings.database_url not in page
    assert str(ctx.settings.data_folder) in page


def test_nobody_else_does(as_role):
    editor = as_role(Role.EDITOR)
    assert editor.get("/settings").status_code == 403
    assert 'href="/settings"' not in editor.get("/account").text
