"""What a merchant does with attributes and their choices."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any, TypeVar

from graupel.context import Context
from graupel.core import attributes as rules
from graupel.core import doubles, units
from graupel.core.attributes import Attribute, AttributeKind, Choice
from graupel.core.doubles import Double
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.db.rows import picked
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.vocabulary import choice_writing, references, service, store

T = TypeVar("T")

FIELDS = ("product_id", "name", "kind", "family", "unit", "unit_fixed", "help")
#: Those of them that a page changes.
CHANGED = ("product_id", "name", "unit", "unit_fixed", "help")


@dataclass(frozen=True)
class Definition:
    """What an attribute is to be. ``choices``: labels; ``product_id``: the product it is private to."""

    name: str
    kind: AttributeKind
    unit: str = ""
    help: str = ""
    choices: Sequence[str] = ()
    product_id: int | None = None


def read_definition(form: Mapping[str, str]) -> Definition:
    """From typed text. Raises Refused with all that is wrong."""
    problems: list[Problem] = []
    name, choices = "", []
    try:
        name = rules.parse_attribute_name(form.get("name", ""))
    except Refused as refusal:
        problems += refusal.problems
    kind = form.get("kind", "")
    if kind not in tuple(AttributeKind):
        problems.append(Problem("attribute.kind", "Choose what the values are.", "kind"))
    try:
        choices = rules.split_list(form.get("choices", "")) if kind in rules.WITH_CHOICES else []
    except Refused as refusal:
        problems += refusal.problems
    if problems:
        raise Refused(problems)
    return Definition(name, AttributeKind(kind), form.get("unit", ""), form.get("help", "").strip()[:200], choices)


def make(ctx: Context, actor: Actor, wanted: Definition) -> service.Made:
    """A new attribute with its choices. Raises Refused where one of this name is there."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> service.Made:
        with history.change_set(tx, actor, "attribute.make", f"Attribute made: {wanted.name}") as recorder:
            near = doubles.near(wanted.name, [row["name"] for row in store.attributes(tx, wanted.product_id)])
            return service.Made(make_within(tx, recorder, wanted), wanted.name, True, near)

    return naming_doubles(ctx, wanted.name, work)


def naming_doubles(ctx: Context, name: str, work: Callable[[Tx], T]) -> T:
    """Run ``work``; where a name, label or code is there already, say which. Raises Refused."""
    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        if error.key == "attribute_choice_code":
            raise Refused.because("choice.code_taken", "Two choices would have the same code.", "code") from error
        if error.key == "attribute_choice_label":
            raise Refused.because("choice.taken", "This choice is there already.", "label") from error
        raise Refused.because("attribute.taken", f"There is an attribute “{name}” already.", "name") from error


def make_within(tx: Tx, recorder: history.Recorder, wanted: Definition) -> int:
    """Make and record an attribute; returns its id."""
    family, unit = unit_of(wanted)
    values = {
        "product_id": wanted.product_id,
        "name": wanted.name,
        "kind": str(wanted.kind),
        "family": family,
        "unit": unit,
        "unit_fixed": 0,
        "help": wanted.help,
    }
    attribute_id = store.insert_attribute(tx, values)
    recorder.made("attribute", attribute_id, values)
    add_choices_within(tx, recorder, attribute_id, wanted.choices)
    return attribute_id


def unit_of(wanted: Definition) -> tuple[str | None, str | None]:
    """Family and unit of a number: the form gives them as "length:mm". Raises Refused."""
    if wanted.kind is not AttributeKind.NUMBER:
        return None, None
    key, _, sign = wanted.unit.partition(":")
    family = units.FAMILIES.get(key)
    unit = family.unit(sign) if family else None
    if family is None or unit is None:
        raise Refused.because("attribute.unit", "Choose the unit in which its numbers are shown.", "unit")
    return family.key, unit.sign


@dataclass(frozen=True)
class Added:
    """Choices that were made, labels that were there already, and those much like one that was."""

    made: list[Choice]
    there: list[str]
    doubles: list[Double] = field(default_factory=list)


def add_choices(ctx: Context, actor: Actor, attribute_id: int, text: str) -> Added:
    """Add one choice, or a pasted list of them; says which look like others. Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    labels = rules.split_list(text)
    if not labels:
        raise Refused.because("choice.empty", "Type a choice, such as Heather, or paste a list.", "choices")

    def work(tx: Tx) -> Added:
        attribute = load_one(tx, attribute_id, lock=True)
        if not attribute.has_choices:
            raise Refused.because("choice.kind", f"{attribute.name} has no choices: it is no list.", "choices")
        title = f"Choices added to {attribute.name}: {', '.join(labels[:5])}"
        with history.change_set(tx, actor, "attribute.choices", title) as recorder:
            return add_choices_within(tx, recorder, attribute_id, labels)

    try:
        return ctx.db.run(work)
    except DuplicateKey:  # two at once: the second finds what the first made
        return ctx.db.run(work)


def add_choice(ctx: Context, actor: Actor, attribute_id: int, label: str) -> Choice:
    """One choice, made where it is not there (by case). Raises Refused, NotFound."""
    actor.require(Role.EDITOR)
    label = rules.parse_label(label)

    def work(tx: Tx) -> Choice:
        attribute = load_one(tx, attribute_id, lock=True)
        if not attribute.has_choices:
            raise Refused.because("choice.kind", f"{attribute.name} has no choices: it is no list.", "choices")
        known = next((c for c in attribute.choices if c.label.casefold() == label.casefold()), None)
        if known:
            return known
        with history.change_set(
            tx, actor, "attribute.choices", f"Choice added to {attribute.name}: {label}"
        ) as recorder:
            return add_choices_within(tx, recorder, attribute_id, [label]).made[0]

    return naming_doubles(ctx, label, work)


def list_private(ctx: Context, actor: Actor) -> list[Attribute]:
    """The private attributes of all products, the first 500."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: list(service.load_attributes(tx, store.private_attributes(tx)).values()))


def add_choices_within(
    tx: Tx, recorder: history.Recorder, attribute_id: int, labels: Sequence[str], *, compared: bool = True
) -> Added:
    """Add the labels that are not there yet, by case, at the end of the order; ``compared`` with those that are."""
    rows = store.choices(tx, [attribute_id])
    known = {row["label"].casefold(): row for row in rows}
    codes = {row["code"] for row in rows}
    position = max((row["position"] + 1 for row in rows), default=0)
    made, there, near = [], [], []
    for label in labels:
        if label.casefold() in known:
            there.append(known[label.casefold()]["label"])
            continue
        near += doubles.near(label, [row["label"] for row in rows]) if compared else []
        code = rules.suggest_code(label, codes)
        values = {
            "attribute_id": attribute_id,
            "label": label,
            "code": code,
            "swatch": None,
            "swatch_media_id": None,
            "position": position,
        }
        choice_id = store.insert_choice(tx, values)
        recorder.made("attribute_choice", choice_id, values)
        codes.add(code)
        made.append(Choice(choice_id, label, code, None, None, position))
        position += 1
    return Added(made, there, near)


def load_one(tx: Tx, attribute_id: int, *, lock: bool = False) -> Attribute:
    """An attribute with its choices. Raises NotFound."""
    row = store.attribute(tx, attribute_id, lock=lock)
    if row is None:
        raise NotFound(f"There is no attribute {attribute_id}.")
    return service.load_attributes(tx, [row])[attribute_id]


def with_choice(tx: Tx, choice_id: int) -> Attribute:
    """The attribute that has a choice, locked. Raises NotFound."""
    rows = store.choices_by_ids(tx, [choice_id])
    if not rows:
        raise NotFound(f"There is no choice {choice_id}.")
    return load_one(tx, rows[0]["attribute_id"], lock=True)


@dataclass(frozen=True)
class AttributeDetail:
    """An attribute with the use of it and of each of its choices, and names much like it."""

    attribute: Attribute
    version: int
    use: references.Use
    choice_uses: dict[int, int]
    doubles: list[tuple[int, Double]]


def read(ctx: Context, actor: Actor, attribute_id: int) -> AttributeDetail:
    """One attribute. Raises NotFound."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> AttributeDetail:
        attribute = load_one(tx, attribute_id)
        row = store.attribute(tx, attribute_id)
        assert row is not None
        others = {r["name"]: r["id"] for r in store.attributes(tx, attribute.product_id)}
        return AttributeDetail(
            attribute,
            row["version"],
            references.use_of(tx, "attribute", attribute_id, ctx.settings.language),
            references.product_counts(tx, "attribute_choice", ctx.settings.language),
            [(others[double.other], double) for double in doubles.near(attribute.name, others)],
        )

    return ctx.db.run(work)


def _same_family(row: Mapping[str, Any], unit: str) -> str | None:
    """Another unit of the same family: the numbers stay what they are."""
    if not row["family"]:
        return None
    family = units.FAMILIES[row["family"]]
    found = family.unit(unit.rpartition(":")[2])
    if found is None:
        raise Refused.because("attribute.unit", f"Choose a unit of {family.label.lower()}.", "unit")
    return found.sign


@dataclass(frozen=True)
class ChoiceTyped:
    """A choice as the attribute's page has it, in its place of the order."""

    id: int
    label: str
    code: str
    swatch: str | None = ""
    swatch_media_id: int | None = None


def flat(attribute: Attribute) -> dict[str, Any]:
    """What the page of an attribute shows, as plain data; choices under "choice-12", and their order."""
    plain: dict[str, Any] = {"name": attribute.name, "help": attribute.help, "unit": attribute.unit}
    plain["unit_fixed"] = int(attribute.unit_fixed)
    plain |= {f"choice-{c.id}": [c.label, c.code, c.swatch, c.swatch_media_id] for c in attribute.choices}
    return plain | {"order": [choice.id for choice in attribute.choices]}


def save(
    ctx: Context,
    actor: Actor,
    attribute_id: int,
    name: str | None = None,
    help_text: str = "",
    unit: str = "",
    choices: Sequence[ChoiceTyped] = (),
    marks: Marks = None,
    *,
    unit_fixed: bool = False,
) -> None:
    """Name, explanation and shown unit of an attribute; labels, codes, swatches and order of its choices.

    ``unit_fixed``: its numbers are always read in that unit. ``name``: None leaves it, explanation and unit; choices
    that are not named keep theirs; the kind stays. What others alone changed since the page was made stays theirs.
    Raises Refused, NotFound, Outdated.
    """
    actor.require(Role.EDITOR)
    clean = None if name is None else rules.parse_attribute_name(name)
    typed = _read_choices(choices)

    def work(tx: Tx) -> None:
        attribute = load_one(tx, attribute_id, lock=True)
        row = store.attribute(tx, attribute_id)
        assert row is not None
        there = flat(attribute)
        mine = (
            there
            if clean is None
            else there
            | {
                "name": clean,
                "help": help_text.strip()[:200],
                "unit": _same_family(row, unit),
                "unit_fixed": int(unit_fixed),
            }
        )
        mine = mine | {f"choice-{one.id}": [one.label, one.code, one.swatch, one.swatch_media_id] for one in typed}
        if typed:
            mine["order"] = [one.id for one in typed]
        label = partial(_label, attribute)
        both = meeting.bring_together(tx, {"attribute": [attribute_id]}, marks, mine, there, label)
        _refuse_gone(attribute, typed)
        with history.change_set(tx, actor, "attribute.change", f"Attribute changed: {both['name']}") as recorder:
            write(tx, recorder, attribute, both)

    naming_doubles(ctx, clean or "", work)


def write(tx: Tx, recorder: history.Recorder, attribute: Attribute, wanted: Mapping[str, Any]) -> None:
    """Make an attribute and its choices what is wanted, as ``flat`` has it, and record it; ``attribute``: as it is.
    Raises Refused."""
    row = store.attribute(tx, attribute.id, lock=True)
    assert row is not None
    before = picked(row, CHANGED)
    after = before | picked(wanted, CHANGED[1:])
    if recorder.changed("attribute", attribute.id, before, after, row["version"] + 1):
        store.update_attribute(tx, attribute.id, after)
    choice_writing.write(tx, recorder, attribute, wanted)


def _label(attribute: Attribute, name: str) -> str:
    """What a field of ``flat`` is called."""
    labels = {f"choice-{one.id}": f"Choice “{one.label}”" for one in attribute.choices}
    return labels.get(name) or {"help": "Explanation", "order": "The order", "unit_fixed": "Always in this unit"}.get(
        name, name.capitalize()
    )


def _read_choices(choices: Sequence[ChoiceTyped]) -> list[ChoiceTyped]:
    """Choices as they are kept. Raises Refused with all that is wrong; a problem's row is the place in the list."""
    found, problems = [], []
    for row, one in enumerate(choices, start=1):
        try:
            label, code = rules.parse_label(one.label), rules.parse_code(one.code)
            swatch = rules.parse_swatch(one.swatch or "")
            found.append((row, ChoiceTyped(one.id, label, code, swatch, one.swatch_media_id)))
        except Refused as refusal:
            problems += [p.at(row=row) for p in refusal.problems]
    problems += _twice(found)
    if problems:
        raise Refused(problems)
    return [one for _, one in found]


def _refuse_gone(attribute: Attribute, typed: Sequence[ChoiceTyped]) -> None:
    there = {choice.id for choice in attribute.choices}
    for one in typed:
        if one.id not in there:
            raise Refused.because("choice.gone", f"“{one.label}” is not there any more. Load the page again.")


def _twice(choices: Sequence[tuple[int, ChoiceTyped]]) -> list[Problem]:
    seen: set[tuple[str, str]] = set()
    problems = []
    for row, one in choices:
        for what, value in (("label", one.label), ("code", one.code)):
            if (what, value) in seen:
                problems.append(Problem(f"choice.{what}_twice", f"Two choices have the {what} {value}.", what, row))
            seen.add((what, value))
    return problems
