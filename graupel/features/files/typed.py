"""The rules for a file's columns as they are typed, read."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from graupel.core import columns
from graupel.core.categories import CATEGORY_SEPARATOR
from graupel.core.columns import DayOrder, Empty, Rule
from graupel.core.errors import Refused
from graupel.core.file_columns import DECLARED, Known
from graupel.core.problems import Problem
from graupel.core.typed import number

LONGEST_SPLIT = 10
#: What of a rule is typed beside its field, by the names of the form.
PARTS = ("split", "part", "replaced", "joined", "unit", "decimal", "days", "empty")


@dataclass
class Typed:
    """The rules, and what is wrong with any, at the name of its field in the form."""

    rules: list[Rule] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)


def read(
    fields: Mapping[int, str],
    said: Mapping[str, Mapping[int, str]],
    extra: Sequence[Mapping[str, str]],
    width: int,
    known: Known = DECLARED,
    before: Sequence[Rule] = (),
) -> Typed:
    """``fields``: the field of each column, "" where it is left out; ``said``: by part of a rule what was typed for
    each column; ``extra``: further rules, each with field, column, fixed, split and part; ``width``: how many columns
    there are; ``known``: what they can go to; ``before``: the rules until now, of which mends of slips are kept."""
    found, mended = Typed(), {(rule.column, rule.field): rule for rule in before}
    for column, name in sorted(fields.items()):
        if name in known.fields and column < width:
            texts = {part: values[column] for part, values in said.items() if column in values}
            start = Rule(name, column)
            if kept := mended.get((column, name)):
                start = replace(start, levels=kept.levels, zeros=kept.zeros, left_out=kept.left_out, within=kept.within)
            _add(found, start, texts, f"_{column}")
    for place, one in enumerate(extra):
        name, at = one.get("field", ""), number(one.get("column", ""))
        if name not in known.fields:
            continue
        if one.get("column") and at is not None and at < width:
            _add(found, Rule(name, at), one, f"-extra-{place}")
        elif one.get("fixed", "").strip():
            text = one["fixed"].strip()
            if len(text) > columns.LONGEST_TEXT:
                long = f"A text for all rows has at most {columns.LONGEST_TEXT:,} signs."
                found.problems.append(Problem("rule.long", long, f"fixed-extra-{place}"))
            _add(found, Rule(name, None, fixed=text), {}, f"-extra-{place}")
    return found


def _add(found: Typed, start: Rule, texts: Mapping[str, str], at: str) -> None:
    rule = replace(start, joined=CATEGORY_SEPARATOR) if start.field == "category" else start
    for part in PARTS:
        text = texts.get(part, "")
        if not text or (not text.strip() and part not in ("split", "joined")):
            continue
        try:
            rule = _with(rule, part, text)
        except Refused as refusal:
            found.problems += [problem.at(field=f"{part}{at}") for problem in refusal.problems]
    found.rules.append(rule)


def _with(rule: Rule, part: str, text: str) -> Rule:
    """A rule with one more part as typed. Raises Refused."""
    if part == "replaced":
        return replace(rule, replaced=columns.read_replaced(text))
    if part == "part":
        return replace(rule, part=_place(text))
    if part == "days":
        return replace(rule, days=DayOrder(text) if text in tuple(DayOrder) else DayOrder.TOLD)
    if part == "empty":
        return replace(rule, empty=Empty(text) if text in tuple(Empty) else Empty.LEAVE)
    if part == "decimal":
        return replace(rule, decimal=text if text in (".", ",") else "")
    if len(text) > LONGEST_SPLIT:
        raise Refused.because("rule.long", f"At most {LONGEST_SPLIT} signs, please.")
    if part == "unit":
        return replace(rule, unit=text.strip())
    return replace(rule, split=text) if part == "split" else replace(rule, joined=text)


def _place(text: str) -> int:
    plain = text.strip().replace("−", "-")
    found = number(plain.removeprefix("-"))
    if not found or found > columns.MOST_PARTS:
        said = f"Which part, please: 1 for the first, -1 for the last, up to {columns.MOST_PARTS}."
        raise Refused.because("rule.part", said)
    return -found if plain.startswith("-") else found
