"""Jobs: claimed once, survived by their rows, ended with their effect."""

import os
import signal
import subprocess
import sys
import threading
import time

import pytest

from graupel.core.errors import Cancelled, GraupelError, Refused, TryLater
from graupel.core.roles import SYSTEM
from graupel.features.files import service as files
from graupel.features.history import service as history
from graupel.features.jobs import service as jobs
from graupel.jobs import JobRequest, JobRun, Urgency, enqueue, handler, queue
from graupel.jobs.run import LeaseLost
from graupel.jobs.worker import Worker
from tests.making import catalogue, outcome, plan_file, work_off

BEHAVIOUR = {}


@handler("test.act")
def act(run: JobRun) -> None:
    BEHAVIOUR["act"](run)


def ask(ctx, act, **given):
    BEHAVIOUR["act"] = act
    return ctx.db.run(lambda tx: enqueue(tx, SYSTEM, JobRequest("test.act", "A test", **given)))


def finish(run):
    run.ctx.db.run(lambda tx: run.finish(tx, "Done."))


def state(ctx, job_id):
    return jobs.read(ctx, SYSTEM, job_id)["state"]


def test_a_job_written_in_a_transaction_that_fails_never_was(ctx):
    def work(tx):
        enqueue(tx, SYSTEM, JobRequest("test.act", "A test"))
        raise Refused.because("x", "no")

    with pytest.raises(Refused):
        ctx.db.run(work)
    assert not Worker(ctx).work_one()


@pytest.mark.concurrency
def test_each_job_is_done_once_by_many_workers(ctx):
    done = []
    ids = [ask(ctx, lambda run: (done.append(run.job_id), finish(run))) for _ in range(30)]
    threads = [threading.Thread(target=work_off, args=[ctx]) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(done) == ids


def test_a_job_that_must_wait_is_tried_again_later_each_time_and_given_up_at_last(ctx):
    def away(run):
        raise TryLater("Nobody is there.", retry_after=30)

    job_id = ask(ctx, away, most_tries=2)
    work_off(ctx)
    job = jobs.read(ctx, SYSTEM, job_id)
    assert (job["state"], job["tries"]) == ("waiting", 1)
    assert 25 < (job["run_after"] - job["now"]).total_seconds() <= 30
    ctx.db.run(lambda tx: tx.run("UPDATE job SET run_after = UTC_TIMESTAMP(3)"))
    work_off(ctx)
    assert outcome(ctx, job_id) == ("failed", "Nobody is there. Given up after 2 tries.")
    jobs.try_again(ctx, SYSTEM, job_id)
    BEHAVIOUR["act"] = finish
    work_off(ctx)
    assert state(ctx, job_id) == "done"


@pytest.mark.parametrize(
    ("fault", "ends", "says"),
    [
        (GraupelError("Plainly no."), "failed", "Plainly no."),
        (ZeroDivisionError(), "failed", "ZeroDivisionError"),
        (Cancelled("Stopped."), "cancelled", "Stopped."),
    ],
)
def test_a_job_that_fails_says_why_and_the_worker_goes_on(ctx, fault, ends, says):
    def break_off(run):
        raise fault

    job_id = ask(ctx, break_off)
    work_off(ctx)
    ended, said = outcome(ctx, job_id)
    assert ended == ends
    assert says in said


def test_a_running_job_stops_at_its_next_report_when_that_is_wanted(ctx):
    def go_on(run):
        jobs.cancel(ctx, SYSTEM, run.job_id)
        run.progress("Half", 1, 2)

    job_id = ask(ctx, go_on)
    work_off(ctx)
    assert outcome(ctx, job_id) == ("cancelled", "Cancelled. Nothing was changed.")
    with pytest.raises(Refused):
        jobs.cancel(ctx, SYSTEM, job_id)


@pytest.mark.concurrency
def test_the_lease_of_a_long_job_is_kept_and_nobody_else_takes_it(ctx):
    begun, go = threading.Event(), threading.Event()

    def wait(run):
        begun.set()
        go.wait(20)
        finish(run)

    job_id = ask(ctx, wait)
    thread = threading.Thread(target=work_off, args=[ctx])
    thread.start()
    begun.wait(10)
    first = ctx.db.run(lambda tx: tx.value("SELECT lease_until FROM job WHERE id = %s", [job_id]))
    deadline = time.monotonic() + 10
    while ctx.db.run(lambda tx: tx.value("SELECT lease_until FROM job WHERE id = %s", [job_id])) == first:
        assert time.monotonic() < deadline
        assert not Worker(ctx).work_one()
        time.sleep(0.05)
    go.set()
    thread.join()
    assert state(ctx, job_id) == "done"


@pytest.mark.concurrency
def test_a_worker_that_lost_its_lease_can_not_finish_what_another_has_taken_over(ctx):
    effects = []

    def lose(run):
        ctx.db.run(lambda tx: tx.run("UPDATE job SET lease_owner = 'another' WHERE id = %s", [run.job_id]))

        def work(tx):
            tx.run("INSERT INTO category (name) VALUES ('half done')")
            run.finish(tx, "Done.")

        effects.append("tried")
        run.ctx.db.run(work)

    job_id = ask(ctx, lose)
    work_off(ctx)
    assert effects == ["tried"]
    assert state(ctx, job_id) == "running"
    assert ctx.db.run(lambda tx: tx.value("SELECT COUNT(*) FROM category")) == 0


def start_worker(ctx, folder):
    return subprocess.Popen(
        [sys.executable, "-m", "graupel.cli", "worker"],
        env={
            **os.environ,
            "GRAUPEL_DATABASE_URL": ctx.settings.database_url,
            "GRAUPEL_DATA_FOLDER": str(folder),
            "GRAUPEL_LEASE_SECONDS": "1",
            "GRAUPEL_LOG_LEVEL": "ERROR",
        },
        start_new_session=True,
    )


def wait_for(condition, seconds=60):
    deadline = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < deadline
        time.sleep(0.01)


@pytest.mark.concurrency
def test_a_worker_killed_in_the_middle_of_an_import_leaves_nothing_half_done_and_another_ends_it(ctx, tmp_path):
    lines = "".join(f"P-{n:05d},Wool number {n},{n % 90 + 1},100,Yarn > Shelf {n % 7},Soft.\n" for n in range(30_000))
    file = plan_file(ctx, "sku,name,price,weight,category,description\n" + lines)
    job_id = files.request_apply(ctx, SYSTEM, file.id, leave_out=False)
    doomed = start_worker(ctx, tmp_path)
    try:
        wait_for(lambda: jobs.read(ctx, SYSTEM, job_id)["progress"] > 0)
    finally:
        os.killpg(doomed.pid, signal.SIGKILL)
        doomed.wait()
    assert state(ctx, job_id) == "running"
    assert catalogue(ctx) == {}
    assert history.list_change_sets(ctx, SYSTEM).change_sets == []
    heir = start_worker(ctx, tmp_path)
    try:
        wait_for(lambda: state(ctx, job_id) != "running")
    finally:
        heir.send_signal(signal.SIGTERM)
        assert heir.wait(20) == 0
    assert outcome(ctx, job_id) == ("done", "30,000 made, 0 changed.")
    assert jobs.read(ctx, SYSTEM, job_id)["tries"] == 2
    assert len(catalogue(ctx)) == 30_000
    assert len(history.list_change_sets(ctx, SYSTEM).change_sets) == 1


@pytest.fixture
def at_work(ctx):
    """A worker in a thread, stopped at the end."""
    worker = Worker(ctx)
    thread = threading.Thread(target=worker.run)
    thread.start()
    yield worker
    worker.stop()
    thread.join(30)
    assert not thread.is_alive()


@handler("test.other")
def other(run: JobRun) -> None:
    BEHAVIOUR["other"](run)


def ask_other(ctx, act, **given):
    BEHAVIOUR["other"] = act
    return ctx.db.run(lambda tx: enqueue(tx, SYSTEM, JobRequest("test.other", "Another test", **given)))


def test_a_job_that_hangs_holds_up_no_other_kind_and_is_ended_by_cancelling_it(ctx, at_work):
    begun, go, lost = threading.Event(), threading.Event(), []

    def hang(run):
        begun.set()
        go.wait(30)
        try:
            finish(run)
        except LeaseLost as reason:
            lost.append(reason)
            raise

    hanging = ask(ctx, hang)
    assert begun.wait(10)
    waiting = ask(ctx, hang)
    quick = ask_other(ctx, finish)
    wait_for(lambda: state(ctx, quick) == "done")
    assert (state(ctx, hanging), state(ctx, waiting)) == ("running", "waiting")
    jobs.cancel(ctx, SYSTEM, waiting)
    jobs.cancel(ctx, SYSTEM, hanging)
    wait_for(lambda: state(ctx, hanging) == "cancelled")
    go.set()
    wait_for(lambda: lost)
    assert outcome(ctx, hanging) == ("cancelled", "Cancelled. What it was doing is not written.")


def test_what_a_person_waits_for_comes_first_and_what_runs_by_itself_last(ctx):
    order = []

    def note(run):
        order.append(run.payload["name"])
        finish(run)

    for name, urgency in (("by itself", Urgency.REST), ("offers", Urgency.OFFERS), ("a person", Urgency.PERSON)):
        ask(ctx, note, payload={"name": name}, urgency=urgency)
    work_off(ctx)
    assert order == ["a person", "offers", "by itself"]


def test_a_worker_survives_a_database_that_does_not_know_its_tables(ctx, at_work):
    ctx.db.run(lambda tx: tx.run("RENAME TABLE job TO job_away"))
    try:
        wait_for(lambda: at_work._faults >= 2)
    finally:
        ctx.db.run(lambda tx: tx.run("RENAME TABLE job_away TO job"))
    job_id = ask(ctx, finish)
    wait_for(lambda: state(ctx, job_id) == "done")


def test_alike_jobs_that_followed_each_other_are_gathered(ctx, editor):
    for title in ("Copy", "Copy", "Copy", "Other", "Copy"):
        ctx.db.run(lambda tx, t=title: queue.want_cancel(tx, enqueue(tx, editor, JobRequest("nothing.such", t))))
    gathered = jobs.board(ctx, editor).gathered
    assert [(job["title"], times) for job, times in gathered] == [("Copy", 1), ("Other", 1), ("Copy", 3)]
