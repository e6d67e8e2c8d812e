"""What is done at set times for a person, changed: it is done for whoever saved it last."""

from collections.abc import Mapping
from typing import Any

from graupel.core.records import Record
from graupel.db import Tx, declared
from graupel.features.history import meeting
from graupel.features.history.meeting import Marks
from graupel.features.history.service import Recorder

#: For whom it is done: of that two people can't be of different minds.
PERSON = "person"


def change(
    tx: Tx,
    recorder: Recorder,
    record: Record,
    record_id: int,
    theirs: Mapping[str, Any],
    version: int,
    mine: Mapping[str, Any],
    marks: Marks,
) -> bool:
    """Write what somebody saved, with what others alone changed since the page with these ``marks`` was made; returns
    whether anything is otherwise. ``theirs``: the record as it is, locked. Raises Outdated."""
    now = meeting.bring_together(
        tx,
        {record.name: [record_id]},
        marks,
        _chosen(mine),
        _chosen(theirs),
        lambda name: record.field(name).label,
    ) | {PERSON: mine[PERSON]}
    if not recorder.changed(record.name, record_id, theirs, now, version + 1):
        return False
    declared.update(tx, record, record_id, now)
    return True


def _chosen(values: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in values.items() if name != PERSON}
