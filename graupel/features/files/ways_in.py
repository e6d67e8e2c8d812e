"""The two ways in which files come in: goods by sets, other records one by one. Each makes a dry run, applies it, and
tells its rows."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from graupel.core.record_files import RowsAre
from graupel.db import Tx
from graupel.features.files import goods
from graupel.features.files.records import planning as record_planning
from graupel.features.files.records import store as record_store
from graupel.features.files.rows import ImportFileRow
from graupel.features.history.service import Recorder
from graupel.features.products.batch import planned
from graupel.jobs import JobRun


@dataclass(frozen=True)
class WayIn:
    """``plan``: makes the dry run of a file at a path with so many lines, and returns what is kept of it; ``apply``:
    writes what it said, and returns rows by action. ``lines``: those of the rows of one action; ``told``: line, action
    and problems of all rows, or those of one action, in order."""

    plan: Callable[[JobRun, Tx, ImportFileRow, Path, int], dict[str, Any]]
    apply: Callable[[JobRun, Tx, ImportFileRow, Recorder], dict[str, int]]
    lines: Callable[[Tx, int, str], list[int]]
    told: Callable[[Tx, int, str], Iterator[dict[str, Any]]]


_GOODS = WayIn(goods.plan, goods.apply, planned.lines, planned.told)
_RECORDS = WayIn(record_planning.plan, record_planning.apply, record_store.lines, record_store.told)


def of(row: ImportFileRow) -> WayIn:
    """How a file comes in."""
    return _GOODS if row["rows_are"] == RowsAre.GOODS else _RECORDS
