"""Relations brought in as lines, a code, a kind and a code, and taken out the same way. What is there already stays."""

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from graupel.context import Context
from graupel.core import cells, relations
from graupel.core.errors import Refused
from graupel.core.problems import Problem
from graupel.core.relations import RelationLine
from graupel.core.roles import Actor, Role
from graupel.core.showing import plural
from graupel.db import DuplicateKey, Tx
from graupel.features.history import service as history
from graupel.features.products.batch import lists as batch_lists
from graupel.features.relations import service, store


@dataclass(frozen=True)
class Meant:
    """A line that can be taken: with the ids that its codes stand for."""

    line: RelationLine
    product_id: int
    kind_id: int
    other_id: int


@dataclass(frozen=True)
class Plan:
    """What lines would do: ``new`` ones, how many are ``there`` already, and what can't be taken, by line."""

    new: Sequence[Meant] = ()
    there: int = 0
    problems: Sequence[Problem] = field(default_factory=tuple)

    @property
    def products(self) -> int:
        """How many products get something beside them."""
        return len({one.product_id for one in self.new})


def plan(ctx: Context, actor: Actor, text: str) -> Plan:
    """What lines would do."""
    actor.require(Role.EDITOR)
    return ctx.db.run(lambda tx: _plan(tx, text))


def _plan(tx: Tx, text: str) -> Plan:
    if len(text) > relations.MOST_TEXT:
        said = f"At most {relations.MOST_TEXT:,} characters are read at once. Bring it in parts."
        return Plan(problems=[Problem("relation.text", said, "text")])
    lines, problems = relations.read_lines(text)
    kinds = {row["name"].casefold(): row for row in store.kinds(tx)}
    ids = batch_lists.by_codes(tx, sorted({code.upper() for one in lines for code in (one.code, one.other)}))
    wrong = [(one, _why_not(one, ids, kinds)) for one in lines]
    meant = [
        Meant(one, ids[one.code.upper()], kinds[one.kind.casefold()]["id"], ids[one.other.upper()])
        for one, why in wrong
        if not why
    ]
    there = store.pairs(tx, sorted({one.product_id for one in meant}))
    unique = {(one.product_id, one.kind_id, one.other_id): one for one in reversed(meant)}
    new = [one for key, one in unique.items() if key not in there]
    told = [Problem("relation.line", f"Line {one.line}: {why}", "text", one.line) for one, why in wrong if why]
    return Plan(sorted(new, key=lambda one: one.line.line), len(unique) - len(new), [*problems, *told])


def _why_not(line: RelationLine, ids: Mapping[str, int], kinds: Mapping[str, object]) -> str:
    missing = [code for code in (line.code, line.other) if code.upper() not in ids]
    if missing:
        return f"nothing has the code or SKU {missing[0][:64]}."
    if line.kind.casefold() not in kinds:
        return f"there is no kind “{line.kind[:80]}”. Make it first, or write one that is there."
    return "it would stand beside itself." if ids[line.code.upper()] == ids[line.other.upper()] else ""


def bring_in(ctx: Context, actor: Actor, text: str) -> int:
    """Make the relations that lines name; returns how many are new. Raises Refused where a line can't be taken: then
    none is."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> int:
        found = _plan(tx, text)
        if found.problems:
            raise Refused(list(found.problems))
        known = {row["id"]: row for row in store.kinds(tx)}
        places = store.counts_of(tx, sorted({one.product_id for one in found.new}))
        title = f"Relations brought in: {plural(len(found.new), 'new one')}"
        with history.change_set(tx, actor, "relations.file", title) as recorder:
            made = set(store.pairs(tx, sorted({one.other_id for one in found.new})))
            for one in found.new:
                places[one.product_id] = place = places.get(one.product_id, 0) + 1
                if place > service.MOST:
                    said = f"Line {one.line.line}: a product has at most {service.MOST} related ones."
                    raise Refused.because("relation.many", said, "text")
                back = (one.other_id, one.kind_id, one.product_id)
                if (one.product_id, one.kind_id, one.other_id) not in made:
                    service.insert(tx, recorder, one.product_id, one.kind_id, one.other_id, place)
                    made.add((one.product_id, one.kind_id, one.other_id))
                if known[one.kind_id]["mutual"] and back not in made:
                    place_back = store.count_of(tx, one.other_id, one.kind_id)
                    service.insert(tx, recorder, one.other_id, one.kind_id, one.product_id, place_back)
                    made.add(back)
        return len(found.new)

    try:
        return ctx.db.run(work)
    except DuplicateKey as error:
        said = "Somebody made one of these relations at this moment. Look again what the lines do."
        raise Refused.because("relation.meanwhile", said, "text") from error


def take_out(ctx: Context, actor: Actor) -> str:
    """All relations as such lines, with a header; what is gone is left out."""
    actor.require(Role.VIEWER)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(relations.HEADER)
    for row in ctx.db.run(store.every):
        writer.writerow([cells.harmless(row[name]) for name in ("code", "kind", "other")])
    return out.getvalue()
