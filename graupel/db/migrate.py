"""The numbered migrations of plain SQL. Each statement can be run again: DDL commits by itself."""

import importlib
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlencode

from graupel.db.nodes import connect_options

FOLDER = Path(__file__).parent / "migrations"


def _backend(url: str) -> Any:
    options = connect_options(url)
    beside: dict[str, object] = {n: options[n] for n in ("unix_socket", "ssl_disabled") if n in options}
    address = (
        f"mysql://{quote(options['user'])}:{quote(options['password'])}@{options['host']}:{options['port']}"
        f"/{options['database']}?{urlencode(beside)}"
    )
    return importlib.import_module("yoyo").get_backend(address)


def migrate(url: str) -> list[str]:
    """Bring the database up to date; returns the names of the migrations that were applied."""
    backend = _backend(url)
    with backend.lock():
        todo = backend.to_apply(_migrations())
        backend.apply_migrations(todo)
        return [migration.id for migration in todo]


def pending(url: str) -> list[str]:
    """The migrations that are still to be applied."""
    return [migration.id for migration in _backend(url).to_apply(_migrations())]


def _migrations() -> Any:
    return importlib.import_module("yoyo").read_migrations(str(FOLDER))
