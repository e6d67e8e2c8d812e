"""What prepared changes register."""

from collections.abc import Mapping
from typing import Any

from graupel.context import Context
from graupel.core.roles import Actor
from graupel.features.history import rolling_back
from graupel.features.prepared import jobs, mails, providers, service
from graupel.features.prepared.providers import Provider
from graupel.jobs import handler, timekeeping
from graupel.jobs.timekeeping import Timed


def register(language: str) -> None:
    """Their moments, and roll backs, which are done by history."""
    timekeeping.register(Timed(service.CLOCK, "Prepared changes", jobs.next_after, jobs.arrive))
    handler(service.DO)(jobs.do)
    handler(mails.KIND)(mails.write)
    providers.register("rollback", Provider("Roll back", lambda number: f"/history/{number}", _roll_back))


def _roll_back(ctx: Context, actor: Actor, number: int, given: Mapping[str, Any]) -> int:
    return rolling_back.request(ctx, actor, number)
