"""Rows as they are read, held against the shapes that the code says they have."""

from functools import cache
from types import UnionType
from typing import Any, get_args, get_origin, get_type_hints

from graupel.db import Tx


@cache
def _columns(shape: type) -> dict[str, tuple[type, ...]]:
    """Which types each column may have."""
    return {name: _types(hint) for name, hint in get_type_hints(shape).items()}


def _types(hint: Any) -> tuple[type, ...]:
    if isinstance(hint, UnionType):
        return tuple(one for part in get_args(hint) for one in _types(part))
    return (get_origin(hint) or hint,)


def check(shape: type, row: dict[str, Any]) -> None:
    """Raises AssertionError where a row is not of a shape."""
    columns = _columns(shape)
    required: frozenset[str] = shape.__required_keys__  # type: ignore[attr-defined]
    assert required <= row.keys() <= columns.keys(), f"{shape.__name__}: {sorted(columns)} against {sorted(row)}"
    for name, value in row.items():
        assert isinstance(value, columns[name]), f"{shape.__name__}.{name} may not be {value!r}"


def hold() -> None:
    """Check every row that is read from now on."""
    read = Tx.rows

    def checked(tx: Tx, shape: type, sql: str, params: Any = None) -> list[Any]:
        rows = read(tx, shape, sql, params)
        for row in rows:
            check(shape, row)
        return rows

    Tx.rows = checked  # type: ignore[method-assign, assignment]
