"""What is wrong or otherwise meant in all rows of a file, mended for it and for the next ones with these columns."""

from collections.abc import Sequence
from dataclasses import replace

from graupel.context import Context
from graupel.core import columns, held_for, matching, slips
from graupel.core.columns import Rule
from graupel.core.errors import Refused
from graupel.core.handling import Handling
from graupel.core.held_for import HeldFor
from graupel.core.roles import Actor, Role
from graupel.features.files import known, profiles, service
from graupel.features.files.rows import ImportFileRow


def mend(ctx: Context, actor: Actor, file_id: int, kind: str, was: str, now: str) -> int:
    """Read a name that the file would make as one that is there, in all rows and in the next files with this column;
    makes the dry run anew and returns the job's id. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    row = service.read_row(ctx, file_id)
    if was not in matching.mendable(row["rules"], row["makes"] or []) or not now.strip():
        raise Refused.because("mend.none", "This name does not stand in the file any more. Load the page again.")
    rules = [Rule.of(one) for one in row["rules"]]
    of_lists = matching.is_list(kind, known.current(ctx))
    rules = [
        columns.mended(rule, was, now.strip(), of_lists=of_lists) if rule.field == kind else rule for rule in rules
    ]
    return _anew(ctx, actor, row, rules)


def mend_all(ctx: Context, actor: Actor, file_id: int, name: str, code: str, how: str) -> int:
    """Mend what is wrong with the cells of a column in all rows, and in the next files with it; makes the dry run anew
    and returns the job's id. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    row = service.read_row(ctx, file_id)
    before = [Rule.of(one) for one in row["rules"]]
    rules = slips.mended(before, name, code, how)
    if rules == before:
        raise Refused.because("mend.none", "This does not stand in the file any more. Load the page again.")
    return _anew(ctx, actor, row, rules)


def hold_for(ctx: Context, actor: Actor, file_id: int, wanted: HeldFor) -> int:
    """Say for which destination the prices of a file are and in which language its texts; makes the dry run anew and
    returns the job's id. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    row = service.read_row(ctx, file_id)
    before = [Rule.of(one) for one in row["rules"]]
    rules = held_for.meant(before, known.current(ctx, row["rows_are"]), wanted)
    if rules == before:
        said = "No column of this file can be for that alone. Match one to a price or a text first."
        raise Refused.because("held.none", said)
    # Not remembered for other files: the next one with a column “price” is of no shop alone. A profile keeps it.
    return _anew(ctx, actor, row, rules, remember=False)


def revive(ctx: Context, actor: Actor, file_id: int) -> int:
    """Let the archived goods that stand in a file be for sale again; makes the dry run anew and returns the job's id.
    Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    row = service.read_row(ctx, file_id)
    rules = [Rule.of(one) for one in row["rules"]]
    handling = replace(Handling.of(row), revive=True)
    return service.request_plan(ctx, actor, file_id, rules, handling, profile_id=row["profile_id"])


def _anew(ctx: Context, actor: Actor, row: ImportFileRow, rules: Sequence[Rule], *, remember: bool = True) -> int:
    """The dry run by these rules, which are kept for the next file and by the profile."""
    job_id = service.request_plan(ctx, actor, row["id"], rules, remember=remember, profile_id=row["profile_id"])
    if row["profile_id"]:
        profiles.learn(ctx, actor, row["profile_id"], row["id"])
    return job_id
