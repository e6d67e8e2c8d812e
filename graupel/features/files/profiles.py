"""Profiles of files: kept from a file as it is matched, used for others, by whoever brings files in."""

from graupel.context import Context
from graupel.core import profiles as rules
from graupel.core.columns import Rule
from graupel.core.declarations.files import IMPORT_PROFILE
from graupel.core.errors import NotFound, Refused
from graupel.core.handling import Handling
from graupel.core.product_fields import one_line
from graupel.core.roles import Actor, Role
from graupel.db import Tx, declared
from graupel.features.files import store
from graupel.features.files.rows import ProfileRow
from graupel.features.history import service as history


def list_all(ctx: Context, actor: Actor) -> list[ProfileRow]:
    """All profiles, by name."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.profiles)


def by_name(ctx: Context, actor: Actor, name: str) -> ProfileRow:
    """A profile. Raises NotFound."""
    found = {row["name"].casefold(): row for row in list_all(ctx, actor)}
    row = found.get(name.strip().casefold())
    if row is None:
        known = ", ".join(one["name"] for one in found.values()) or "there are none"
        raise NotFound(f"There is no profile “{name[:80]}”; known: {known}.")
    return row


def keep(ctx: Context, actor: Actor, file_id: int, name: str) -> int:
    """Keep how a file is matched under a name, in the place of what that name held; returns the profile's id.

    Raises Refused, NotFound.
    """
    actor.require(Role.EDITOR)
    name = one_line(name, rules.NAME_LENGTH, "A name", "profile")
    if not name:
        raise Refused.because("profile.name", "A profile needs a name, such as Prices of Carrow Mill.", "profile")

    def work(tx: Tx) -> int:
        file = store.read(tx, file_id)
        if file is None:
            raise NotFound(f"There is no file {file_id}.")
        said = rules.kept(file["headers"], [Rule.of(one) for one in file["rules"]])
        values = {"name": name, "rules": said, **Handling.of(file).as_row()}
        there = next((row for row in store.profiles(tx) if row["name"].casefold() == name.casefold()), None)
        with history.change_set(tx, actor, "profile.keep", f"Profile of files kept: {name}") as recorder:
            profile_id = there["id"] if there else declared.insert(tx, IMPORT_PROFILE, values)
            if there is None:
                recorder.made("import_profile", profile_id, values)
            elif recorder.changed("import_profile", profile_id, there, there | values, there["version"] + 1):
                declared.update(tx, IMPORT_PROFILE, profile_id, values)
        store.change(tx, file_id, profile_id=profile_id)
        return profile_id

    return ctx.db.run(work)


def learn(ctx: Context, actor: Actor, profile_id: int, file_id: int) -> None:
    """Keep in a profile what was changed of a file that is read by it. Where it is gone there is nothing to keep."""
    name = next((row["name"] for row in list_all(ctx, actor) if row["id"] == profile_id), None)
    if name is not None:
        keep(ctx, actor, file_id, name)


def remove(ctx: Context, actor: Actor, profile_id: int) -> None:
    """Take a profile away; files that were read by it stay as they are. Raises NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        row = _there(tx, profile_id)
        with history.change_set(tx, actor, "profile.remove", f"Profile of files removed: {row['name']}") as recorder:
            values = {name: row[name] for name in IMPORT_PROFILE.columns()}  # type: ignore[literal-required]
            recorder.removed("import_profile", profile_id, values, row["version"])
            declared.delete(tx, IMPORT_PROFILE, profile_id)

    ctx.db.run(work)


def fitted(ctx: Context, profile_id: int, file_id: int) -> tuple[ProfileRow, list[Rule], list[str]]:
    """A profile, its rules for a file, and the headers that it knows and the file has not. Raises NotFound."""

    def work(tx: Tx) -> tuple[ProfileRow, list[Rule], list[str]]:
        row, file = _there(tx, profile_id), store.read(tx, file_id)
        if file is None:
            raise NotFound(f"There is no file {file_id}.")
        return row, *rules.fitted(row["rules"], file["headers"])

    return ctx.db.run(work)


def _there(tx: Tx, profile_id: int) -> ProfileRow:
    row = next((one for one in store.profiles(tx) if one["id"] == profile_id), None)
    if row is None:
        raise NotFound("This profile is not there any more.")
    return row
