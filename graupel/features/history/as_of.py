"""Records as they were at moments, worked out backwards from the journal."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta

from graupel.core.past import State, Step, as_of
from graupel.db import Tx
from graupel.features.history import records, restoring, scope, store
from graupel.features.history.restoring import Difference, Wanted
from graupel.features.history.rows import StepRow
from graupel.features.history.scope import Held

#: A long act carries the moment at which it began: so much further back is looked.
LONGEST_ACT = timedelta(hours=6)
#: Before it there is no moment from which to look back so far.
_FIRST = datetime(1, 1, 2, tzinfo=UTC)


@dataclass(frozen=True)
class Past:
    """Records and all that belongs to them. ``held``: as it is now; ``then``: by moment, as it was, or will be;
    ``around``: by moments ahead, what else will be otherwise."""

    held: Held
    then: Mapping[datetime, Wanted]
    around: Mapping[datetime, Sequence[Difference]] = field(default_factory=dict)

    def between(self, at: datetime, other: datetime | None) -> list[Difference]:
        """What would have to be written at another moment, None for now, to have it as it was at the first."""
        if other is None:
            return restoring.differences(self.held, self.then[at])
        held = {key: (0, dict(state)) for key, state in self.then[other].items() if state is not None}
        return restoring.differences(held, self.then[at])


def of_records(tx: Tx, lang: str, kind: str, record_ids: Sequence[int], moments: Sequence[datetime]) -> Past:
    """Records of a kind with all that belongs to them; ``moments``: UTC."""
    ids = scope.whole(tx, kind, record_ids)
    rows = store.steps(tx, ids, since=_before(min(moments)))
    return _past(tx, lang, ids, rows, moments)


def gone_since(tx: Tx, kind: str, at: datetime, limit: int) -> list[int]:
    """The records of a kind that may have been there at a moment, UTC, and are not now: the highest ids first."""
    return store.gone_since(tx, records.kind_of(kind), _before(at), limit)


def with_ahead(past: Past, at: datetime, now: datetime, changes: Sequence[Difference]) -> Past:
    """The same with a moment ahead, at which these changes will be made; those of other records are ``around``."""
    states = dict(past.then[now])
    around: list[Difference] = []
    for one in changes:
        owner = records.kind_of(one.kind).record.owner
        above = (one.becomes or {}).get(owner)
        if (one.kind, one.id) not in states and not any(key == above for kind, key in states if f"{kind}_id" == owner):
            around.append(one)
            continue
        before = states.get((one.kind, one.id))
        whole = one.was is None or one.becomes is None
        states[one.kind, one.id] = one.becomes if whole else {**(before or {}), **(one.becomes or {})}
    return replace(past, then={**past.then, at: states}, around={**past.around, at: around})


def around(
    tx: Tx, lang: str, kinds: Sequence[str], at: datetime, most: int, narrowed: str, given: Mapping[str, object]
) -> list[Difference] | None:
    """What would have to be written to have all records of some kinds as they were at a moment; None where more than
    ``most`` changes were made since. ``narrowed``: SQL of a condition on rows r of the journal, with ``given``."""
    since = store.rows_since(tx, kinds, at.astimezone(UTC).replace(tzinfo=None), most + 1, narrowed, given)
    if len(since) > most:
        return None
    ids: dict[str, set[int]] = {}
    for row in since:
        ids.setdefault(row["record_kind"], set()).add(row["record_id"])
    told = {kind: sorted(some) for kind, some in ids.items()}
    rows = store.steps(tx, told, since=_before(at))  # of those a long act may have written last that began before
    return _past(tx, lang, told, rows, [at]).between(at, None)


def all_since(tx: Tx, lang: str, without: Collection[str], at: datetime, most: int) -> list[Difference] | None:
    """What would have to be written to have everything that people wrote as it was at a moment, but for records of the
    kinds ``without``; None where more than ``most`` changes were made since. What is packed is not among it."""
    kinds = [one.name for one in records.kinds() if one.reversible and not one.flows and one.name not in without]
    return around(tx, lang, kinds, at, most, "TRUE", {})


def one_by_one(changes: Iterable[Difference]) -> list[Difference]:
    """Differences that are made one after the other as one of each record; what comes and goes again is none."""
    found: dict[tuple[str, int], Difference] = {}
    for one in changes:
        before = found.get((one.kind, one.id))
        found[one.kind, one.id] = _after(before, one) if before else one
    return [one for one in found.values() if not (one.was is None and one.becomes is None)]


def _after(before: Difference, later: Difference) -> Difference:
    if before.becomes is None or later.becomes is None:
        return replace(later, was=before.was)
    was = None if before.was is None else {**(later.was or {}), **before.was}
    return replace(later, was=was, becomes={**before.becomes, **later.becomes})


def _past(
    tx: Tx, lang: str, ids: Mapping[str, Sequence[int]], rows: Sequence[StepRow], moments: Sequence[datetime]
) -> Past:
    held = scope.held(tx, lang, ids)
    steps: dict[tuple[str, int], list[Step]] = {}
    for row in rows:
        step = Step(row["made_at"].replace(tzinfo=UTC), row["change_set_id"], row["version"], row["was"], row["became"])
        steps.setdefault((row["record_kind"], row["record_id"]), []).append(step)
    keys = {*held, *steps}

    def then(key: tuple[str, int], at: datetime) -> State:
        return as_of(held[key][1] if key in held else None, steps.get(key, ()), at)

    return Past(held, {at: {key: then(key, at) for key in keys} for at in moments})


def _before(at: datetime) -> datetime:
    """As the database compares it."""
    return (max(at, _FIRST) - LONGEST_ACT).astimezone(UTC).replace(tzinfo=None)
