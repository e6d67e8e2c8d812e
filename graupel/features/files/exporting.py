"""The catalogue as a table that can be brought in again."""

import csv
import io
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from graupel import storage
from graupel.context import Context
from graupel.core.cells import harmless
from graupel.core.imports import COLUMNS
from graupel.core.quantities import format_money, format_weight
from graupel.core.records import Field, FieldKind
from graupel.core.roles import Actor, Role
from graupel.core.stock import show
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.products import table_store


def _cell(column: Field, row: Mapping[str, Any], tree: categories.Tree) -> str:
    """A field as it is written, so that it can be read again."""
    value = row[column.name]
    match column.kind:
        case FieldKind.REF:
            return tree.path(value)
        case FieldKind.MONEY:
            return format_money(value)
        case FieldKind.WEIGHT:
            return format_weight(value)
        case FieldKind.QUANTITY:
            return show(value)
    return "" if value is None else str(value)


def export(ctx: Context, actor: Actor, path: Path) -> int:
    """Write the catalogue as CSV that can be brought in again; returns the number of rows."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> int:
        tree = categories.load(tx)
        count = 0
        with storage.aside(path) as raw:
            file = io.TextIOWrapper(raw, "utf-8", newline="")
            writer = csv.writer(file)
            writer.writerow([*(column.file.headers[0] for column in COLUMNS.values() if column.file), "status"])
            for row in table_store.export_rows(tx, ctx.settings.language):
                writer.writerow([*(harmless(_cell(column, row, tree)) for column in COLUMNS.values()), row["status"]])
                count += 1
            file.flush()
            file.detach()
        return count

    return ctx.db.run(work)
