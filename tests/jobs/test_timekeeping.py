"""What changes by the clock happens at its moment, in its order, once, whatever becomes of the workers."""

import threading
from dataclasses import replace
from datetime import datetime, time, timedelta

import pytest

from graupel.core.errors import TryLater
from graupel.core.roles import SYSTEM
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.jobs import timekeeping
from graupel.jobs.run import handlers
from graupel.jobs.timekeeping import Timed
from tests.making import work_off

DAY = timedelta(days=1)


@pytest.fixture
def bells(ctx):
    """An area with moments at which it makes a brand: what a change by the clock needs."""
    moments, rung = [], []

    def next_after(ctx, tx, after):
        return min((moment for moment in moments if moment > after), default=None)

    def arrive(ctx, tx, moment):
        if "stuck" in rung:
            raise TryLater("Not yet.")
        with history.change_set(tx, SYSTEM, "bell", f"Rung at {moment:%d}") as recorder:
            recorder.made("brand", tx.insert("INSERT INTO brand (name) VALUES (%s)", [str(moment)]), {"name": "x"})
        rung.append(moment)

    timekeeping.register(Timed("bells", "Rings", next_after, arrive))
    yield moments, rung
    timekeeping._TIMED.pop("bells")
    handlers().pop("time.bells")


def now(ctx) -> datetime:
    return ctx.db.run(ctx.now)


def plan(ctx, moments, moment):
    moments.append(moment)
    ctx.db.run(lambda tx: timekeeping.plan(ctx, tx, "bells", moment))


def brands(ctx):
    return ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM brand"))


def waiting(ctx, kind="time.bells"):
    return ctx.db.run(lambda tx: tx.all("SELECT run_after FROM job WHERE kind = %s AND state = 'waiting'", [kind]))


def test_nothing_happens_before_its_moment_and_all_that_was_missed_in_its_order_once(ctx, bells):
    moments, rung = bells
    first = now(ctx) + DAY
    for days in (2, 0, 1):
        plan(ctx, moments, first + days * DAY)
    work_off(ctx)
    assert rung == []
    assert len(waiting(ctx)) == 1
    work_off(replace(ctx, ahead=timedelta(days=1, minutes=1)))
    assert rung == [first]
    late = replace(ctx, ahead=timedelta(days=30))
    work_off(late)
    work_off(late)
    assert rung == [first, first + DAY, first + 2 * DAY]
    assert brands(ctx) == 3
    assert waiting(ctx) == []


def test_a_nearer_moment_wakes_earlier_and_one_that_fails_is_tried_again_whole(ctx, bells):
    moments, rung = bells
    far, near = now(ctx) + 9 * DAY, now(ctx) + DAY
    plan(ctx, moments, far)
    work_off(ctx)
    plan(ctx, moments, near)
    assert waiting(ctx)[0]["run_after"] == near.replace(tzinfo=None)
    rung.append("stuck")
    work_off(replace(ctx, ahead=DAY + timedelta(minutes=1)))
    assert brands(ctx) == 0
    rung.clear()
    work_off(replace(ctx, ahead=DAY + timedelta(hours=2)))
    assert rung == [near]
    assert brands(ctx) == 1


@pytest.mark.concurrency
def test_two_workers_at_once_do_each_moment_once(ctx, bells):
    moments, rung = bells
    for minutes in range(1, 20):
        plan(ctx, moments, now(ctx) + timedelta(minutes=minutes))
    ctx.db.run(lambda tx: timekeeping._sleep_until(tx, timekeeping._TIMED["bells"], now(ctx)))  # a job too many
    late = replace(ctx, ahead=DAY)
    threads = [threading.Thread(target=work_off, args=[late]) for _ in range(3)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    # A transaction that the database sends back is run again, and rings again; what it wrote is there once.
    assert list(dict.fromkeys(rung)) == sorted(set(rung))
    assert len(set(rung)) == brands(ctx) == 19


def test_what_is_due_every_night_is_done_once_after_nights_that_were_missed_and_is_planned_again(ctx):
    done = []
    timekeeping.daily("tidy", "Tidies", time(2, 0), lambda tx: done.append(1))
    try:
        timekeeping.keep_awake(ctx)
        work_off(ctx)
        assert done == []
        week = replace(ctx, ahead=timedelta(days=7))
        work_off(week)
        work_off(week)
        assert done == [1]
        timekeeping.keep_awake(ctx)
        planned = ctx.db.run(
            lambda tx: tx.all("SELECT run_after FROM job WHERE kind = 'time.tidy' AND state = 'waiting'")
        )
        assert len(planned) == 1
        assert timedelta(0) < planned[0]["run_after"] - now(week).replace(tzinfo=None) <= timedelta(hours=25)
    finally:
        timekeeping._TIMED.pop("tidy")
        handlers().pop("time.tidy")


def test_what_sleeps_stands_apart_from_work_that_waits(ctx, bells):
    plan(ctx, bells[0], now(ctx) + DAY)
    board = jobs.board(ctx, SYSTEM)
    assert ([job["title"] for job in board.asleep], board.running, board.counts) == (["Rings"], [], {})
