"""Private attributes made shared, and attributes joined or removed."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from graupel.context import Context
from graupel.core import attributes as rules
from graupel.core import doubles
from graupel.core.attributes import Attribute
from graupel.core.errors import Refused
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.db.rows import picked
from graupel.features.history import service as history
from graupel.features.vocabulary import attributes, references, store
from graupel.features.vocabulary.choice_writing import CHOICE_FIELDS


def copy_within(
    tx: Tx, recorder: history.Recorder, attribute: Attribute, product_id: int
) -> tuple[int, dict[int, int]]:
    """A private attribute once more, for another product; returns its id, and of each choice the one it became."""
    values = {
        "product_id": product_id,
        "name": attribute.name,
        "kind": str(attribute.kind),
        "family": attribute.measure,
        "unit": attribute.unit if attribute.measure else None,
        "unit_fixed": int(attribute.unit_fixed),
        "help": attribute.help,
    }
    made = store.insert_attribute(tx, values)
    recorder.made("attribute", made, values)
    choices = {}
    for one in attribute.choices:
        told = {
            "attribute_id": made,
            "label": one.label,
            "code": one.code,
            "swatch": one.swatch,
            "swatch_media_id": one.swatch_media_id,
            "position": one.position,
        }
        choices[one.id] = store.insert_choice(tx, told)
        recorder.made("attribute_choice", choices[one.id], told)
    return made, choices


@dataclass(frozen=True)
class SharePlan:
    """What making a private attribute shared does: it becomes shared itself, or joins the shared one of its name."""

    attribute: Attribute
    into: Attribute | None
    joined: list[tuple[str, str]]
    added: list[str]


def plan_share(ctx: Context, actor: Actor, attribute_id: int) -> SharePlan:
    """The dry run of making an attribute shared. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan_share(tx, attribute_id))


def _plan_share(tx: Tx, attribute_id: int) -> SharePlan:
    attribute = attributes.load_one(tx, attribute_id, lock=True)
    if attribute.product_id is None:
        raise Refused.because("attribute.shared", f"{attribute.name} is shared already.")
    into_id = store.attribute_by_name(tx, attribute.name, None)
    if into_id is None:
        return SharePlan(attribute, None, [], [])
    into = attributes.load_one(tx, into_id, lock=True)
    if into.kind is not attribute.kind or into.measure != attribute.measure:
        raise Refused.because(
            "attribute.other_kind",
            f"The shared attribute {into.name} is of another kind "
            f"({rules.KIND_WORDS[into.kind].lower()}). Rename the private one first.",
        )
    pairs = _equal_choices(attribute, into)
    by_id = {choice.id: choice for choice in into.choices}
    return SharePlan(
        attribute,
        into,
        [(choice.label, by_id[pairs[choice.id]].label) for choice in attribute.choices if choice.id in pairs],
        [choice.label for choice in attribute.choices if choice.id not in pairs],
    )


def _equal_choices(attribute: Attribute, into: Attribute) -> dict[int, int]:
    """Choices that are equal but for case, accents and blanks: id -> id of the other attribute."""
    known = {doubles.fold(choice.label): choice.id for choice in into.choices}
    found = {choice.id: known.get(doubles.fold(choice.label)) for choice in attribute.choices}
    return {mine: theirs for mine, theirs in found.items() if theirs is not None}


def share(ctx: Context, actor: Actor, attribute_id: int) -> int:
    """Make a private attribute shared; returns the id under which it now is. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        plan = _plan_share(tx, attribute_id)
        with history.change_set(
            tx, actor, "attribute.share", f"Attribute made shared: {plan.attribute.name}"
        ) as recorder:
            if plan.into is None:
                _become_shared(tx, recorder, attribute_id)
                return attribute_id
            join_within(tx, recorder, attribute_id, plan.into.id, ctx.settings.language)
            remove_within(tx, recorder, attribute_id)
            return plan.into.id

    return ctx.db.run(work)


def _become_shared(tx: Tx, recorder: history.Recorder, attribute_id: int) -> None:
    row = store.attribute(tx, attribute_id)
    assert row is not None
    before = picked(row, attributes.CHANGED)
    recorder.changed("attribute", attribute_id, before, before | {"product_id": None}, row["version"] + 1)
    store.update_attribute(tx, attribute_id, before | {"product_id": None})


def join_within(tx: Tx, recorder: history.Recorder, gone: int, into: int, lang: str) -> None:
    """Put one attribute, with its choices, in the place of another of its kind."""
    references.replace(tx, recorder, "attribute", gone, into, lang)
    _join_choices(
        tx, recorder, attributes.load_one(tx, gone, lock=True), attributes.load_one(tx, into, lock=True), lang
    )


def _join_choices(tx: Tx, recorder: history.Recorder, attribute: Attribute, into: Attribute, lang: str) -> None:
    """Equal choices are joined; the others move over, behind those that are there."""
    pairs = _equal_choices(attribute, into)
    codes = {choice.code for choice in into.choices}
    position = max((choice.position + 1 for choice in into.choices), default=0)
    for row in store.choices(tx, [attribute.id]):
        if row["id"] in pairs:
            references.replace(tx, recorder, "attribute_choice", row["id"], pairs[row["id"]], lang)
            recorder.removed(
                "attribute_choice",
                row["id"],
                picked(row, CHOICE_FIELDS),
                row["version"] + 1,
            )
            store.delete_choice(tx, row["id"])
            continue
        before = picked(row, CHOICE_FIELDS)
        code = row["code"] if row["code"] not in codes else rules.suggest_code(row["label"], codes)
        after = before | {"attribute_id": into.id, "code": code, "position": position}
        codes.add(code)
        position += 1
        recorder.changed("attribute_choice", row["id"], before, after, row["version"] + 1)
        store.move_choice(tx, row["id"], after)


def remove_within(tx: Tx, recorder: history.Recorder, attribute_id: int) -> None:
    """Remove an attribute that nothing refers to, with its choices."""
    for row in store.choices(tx, [attribute_id]):
        recorder.removed("attribute_choice", row["id"], picked(row, CHOICE_FIELDS), row["version"] + 1)
        store.delete_choice(tx, row["id"])
    kept = store.attribute(tx, attribute_id)
    assert kept is not None
    recorder.removed("attribute", attribute_id, picked(kept, attributes.FIELDS), kept["version"] + 1)
    store.delete_attribute(tx, attribute_id)


def _record_removed(recorder: history.Recorder, row: Mapping[str, Any]) -> None:
    values = picked(row, CHOICE_FIELDS)
    recorder.removed("attribute_choice", row["id"], values, row["version"] + 1)
