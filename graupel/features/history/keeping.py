"""Keeping the record for as long as is said; of what is older stays that it happened, and what it changed goes."""

from collections.abc import Callable, Mapping
from datetime import UTC, datetime, timedelta

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.keeping import GROUPS, parse
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx
from graupel.features.history import meeting, service, store
from graupel.features.history.meeting import Marks
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue_once

KIND = "history.thin"
#: So many rows go in one transaction, so that nobody waits for it.
AT_ONCE = 2_000

#: What is kept for ever whatever is said: who may do what, and for how long the record is kept.
ALWAYS = ("user.", "token.", "history.keeping")
#: Throws away some of what an area keeps of a change set; returns how many rows, 0 where none are left.
Forget = Callable[[Tx, int, int], int]
_FORGETTING: list[Forget] = []


def register(forget: Forget) -> None:
    """Have an area throw away what it keeps of a change set that is thinned."""
    if forget not in _FORGETTING:
        _FORGETTING.append(forget)


def read(ctx: Context, actor: Actor) -> Mapping[str, int | None]:
    """For how many days each group is kept, None for ever; by field of the record."""
    actor.require(Role.VIEWER)
    return ctx.db.run(_read)


def _read(tx: Tx, *, lock: bool = False) -> dict[str, int | None]:
    row = store.keeping(tx, lock=lock)
    return {group.field: row[group.field] for group in GROUPS}  # type: ignore[literal-required]


def save(ctx: Context, actor: Actor, texts: Mapping[str, str], marks: Marks = None) -> None:
    """Say for how long. Raises Refused, Outdated."""
    actor.require(Role.OWNER)
    wanted = parse(dict(texts))

    def work(tx: Tx) -> None:
        there, row = _read(tx, lock=True), store.keeping(tx)
        both = meeting.bring_together(tx, {"keeping": [row["id"]]}, marks, wanted, there, _label)
        with service.change_set(tx, actor, "history.keeping", "How long the record is kept") as recorder:
            if recorder.changed("keeping", row["id"], there, both, row["version"] + 1):
                store.keep(tx, row["id"], both)

    ctx.db.run(work)


def _label(field: str) -> str:
    return next(group.label for group in GROUPS if group.field == field)


def known_since(tx: Tx) -> datetime | None:
    """Since when all is known that people changed, UTC; None where all ever is."""
    flows = next(group for group in GROUPS if group.field == "flow_days")
    found = store.thinned_until(tx, flows.kinds)
    return found.replace(tzinfo=UTC) if found else None


def refuse_forgotten(tx: Tx, at: datetime) -> None:
    """Raises Refused where what was at a moment, UTC, is not known any more."""
    since = known_since(tx)
    if since and at < since:
        raise Refused.because(
            "moment.forgotten", f"What was then is not kept any more: the record goes back to {since:%Y-%m-%d}.", "at"
        )


# --- thinning ------------------------------------------------------------------------------------------------


def wake(tx: Tx) -> None:
    """Have it done in the background."""
    enqueue_once(tx, SYSTEM, JobRequest(KIND, "Thin the record", urgency=Urgency.REST))


def thin(run: JobRun) -> None:
    """Thin what is older than is said, a little at a time. For the worker."""
    number = 0
    while run.ctx.db.run(lambda tx: _some(run.ctx, tx)):
        number += 1
        run.progress("Thinning", number, 0)
    run.ctx.db.run(lambda tx: run.finish(tx, "Nothing older than is kept is left."))


def _some(ctx: Context, tx: Tx) -> bool:
    """Some rows of the oldest act that is due; False where none is."""
    one = _next(ctx, tx)
    if one is None:
        return False
    left = AT_ONCE - store.forget_rows(tx, one, AT_ONCE)
    for forget in _FORGETTING:
        left -= forget(tx, one, left) if left > 0 else 0
    if left > 0:
        store.set_thinned(tx, one)
    return True


def _next(ctx: Context, tx: Tx) -> int | None:
    now, held = ctx.now(tx).astimezone(UTC).replace(tzinfo=None), _read(tx)
    for group in GROUPS:
        days = held[group.field]
        others = [kind for one in GROUPS if one is not group for kind in one.kinds] if not group.kinds else []
        if days is not None and (
            one := store.next_to_thin(tx, now - timedelta(days=days), group.kinds, [*others, *ALWAYS])
        ):
            return one
    return None
