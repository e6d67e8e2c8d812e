"""The columns that a person chose for the table, and views of it that were given names."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import parse_qs

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Role
from graupel.core.tables import DEFAULT_COLUMNS, TableState, read_columns
from graupel.db import DuplicateKey, Tx

NAME_LENGTH = 60


@dataclass(frozen=True)
class KeptView:
    """A view under a name. ``query``: the address' query without page."""

    id: int
    name: str
    query: str


def columns_of(ctx: Context, actor: Actor) -> tuple[str, ...]:
    """The columns that a person chose."""
    found = ctx.db.run(lambda tx: tx.value("SELECT columns FROM table_columns WHERE user_id = %s", [actor.user_id]))
    return read_columns(str(found).split(",")) if found else DEFAULT_COLUMNS


def with_columns(state: TableState, columns: tuple[str, ...]) -> TableState:
    """A state whose address carries its columns, or these, so that whoever is given it sees the same."""
    return replace(state, columns=state.columns or columns)


def choose_columns(ctx: Context, actor: Actor, names: Iterable[str]) -> None:
    """Keep the columns of a person; looking is enough for choosing how to look."""
    actor.require(Role.VIEWER)
    chosen = ",".join(read_columns(names))
    ctx.db.run(
        lambda tx: tx.run(
            "INSERT INTO table_columns (user_id, columns) VALUES (%s, %s) ON DUPLICATE KEY UPDATE columns = %s",
            [actor.user_id, chosen, chosen],
        )
    )


def views(ctx: Context, actor: Actor) -> list[KeptView]:
    """All views by name."""
    actor.require(Role.VIEWER)
    rows = ctx.db.run(lambda tx: tx.all("SELECT id, name, query FROM saved_view ORDER BY name"))
    return [KeptView(row["id"], row["name"], row["query"]) for row in rows]


def save_view(ctx: Context, actor: Actor, name: str, query: str) -> int:
    """Keep a search with its facets, sorting and the person's columns under a name. Raises Refused."""
    actor.require(Role.EDITOR)
    name = one_line(name, NAME_LENGTH, "A view's name", "view")
    if not name:
        raise Refused.because("view.name", "A view needs a name, such as Without pictures.", "name")
    plain = TableState.read(parse_qs(query)).of_a_view()
    if len(plain) > 2000:
        raise Refused.because("view.long", "So much is chosen that it can't be kept under a name.", "name")
    columns = ",".join(columns_of(ctx, actor))

    def work(tx: Tx) -> int:
        return tx.insert("INSERT INTO saved_view (name, query, columns) VALUES (%s, %s, %s)", [name, plain, columns])

    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        raise Refused.because("view.taken", f"There is a view “{name}” already.", "name") from error


def open_view(ctx: Context, actor: Actor, view_id: int) -> str:
    """The query of a view with its columns, which become the person's. Raises NotFound."""
    actor.require(Role.VIEWER)
    row: dict[str, Any] | None = ctx.db.run(lambda tx: tx.one("SELECT * FROM saved_view WHERE id = %s", [view_id]))
    if row is None:
        raise NotFound("This view is not there any more.")
    columns = row["columns"].split(",")
    choose_columns(ctx, actor, columns)
    return with_columns(TableState.read(parse_qs(row["query"])), read_columns(columns)).query()


def delete_view(ctx: Context, actor: Actor, view_id: int) -> None:
    """Drop a view; the products stay as they are."""
    actor.require(Role.EDITOR)
    ctx.db.run(lambda tx: tx.run("DELETE FROM saved_view WHERE id = %s", [view_id]))
