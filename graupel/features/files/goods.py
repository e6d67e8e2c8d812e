"""The dry run of a file of goods, and its applying."""

from pathlib import Path
from typing import Any

from graupel.core.columns import Matching, Rule
from graupel.core.file_facts import NewChoices
from graupel.core.file_pictures import PICTURES
from graupel.core.handling import Handling
from graupel.core.imports import RowReader
from graupel.db import Tx
from graupel.features.files import known, lines, picturing
from graupel.features.files.rows import ImportFileRow
from graupel.features.history import service as history
from graupel.features.products.batch import applying, numbering, planned, planning
from graupel.features.products.batch import overview as planned_overview
from graupel.features.products.batch.pictures import Pictures
from graupel.features.products.batch.spoken import spoken
from graupel.jobs import JobRun
from graupel.tables import reading
from graupel.tables.shapes import Shape


def plan(run: JobRun, tx: Tx, row: ImportFileRow, path: Path, total: int) -> dict[str, Any]:
    """Make the dry run; returns what is kept of it with the file. Raises Refused."""
    chosen = Matching.of(Rule.of(one) for one in row["rules"])
    table = reading.table(path, run.ctx.folder("uploads"), Shape.of(row["shape"]))
    there, new = known.load(run.ctx, tx), NewChoices()
    handling = Handling.of(row)
    reader = RowReader(chosen, run.ctx.settings.currency, there, new, handling.key_by)
    blocks = lines.blocks(row, table, reader, lambda done: run.progress("Reading", min(done, total), total))
    of, lang = spoken(chosen.rules, chosen.cleared, revive=handling.revive), run.ctx.settings.language
    planning.load(tx, row["id"], blocks, lang, handling=handling, of=of, known=there)
    run.progress("Comparing", total, total)
    leaves = frozenset(code for rule in chosen.rules.get(PICTURES, ()) for code in rule.left_out)
    pictures = Pictures(picturing.beside(run.ctx, row), leaves)
    products, variants = planning.plan(
        tx, row["id"], lang, handling=handling, as_of=row["counts_at"], of=of, known=there, new=new, pictures=pictures
    )
    reader.left_out.update({(PICTURES, code): number for code, number in pictures.left_out.items()})
    made = planned.new_words(tx, row["id"], there)
    counts = planned.counts(tx, row["id"])
    counts |= {"categories": sum(one.kind == "category" for one in made)}
    counts |= {"brands": sum(one.kind == "brand" for one in made)}
    counts |= {"choices": sum(one.kind in there.attributes for one in made)}
    counts |= {"archived": products + variants, "archived_variants": variants}
    makes = [[one.name, one.near, one.kind] for one in made]
    run.progress("Counting", total, total)
    overview = planned_overview.of(tx, row["id"], lang, of)
    overview["left_out"] = [[name, code, number] for (name, code), number in sorted(reader.left_out.items())]
    overview["of_cells"] = sorted(reader.met)
    return {"counts": counts, "makes": makes, "passed": table.passed, "overview": overview}


def apply(run: JobRun, tx: Tx, row: ImportFileRow, recorder: history.Recorder) -> dict[str, int]:
    """Write what the dry run said; returns how many rows of each kind there are now. Raises Refused."""
    chosen, handling = Matching.of(Rule.of(one) for one in row["rules"]), Handling.of(row)
    new = (row["counts"] or {}).get("new", 0)
    applying.apply(
        tx,
        recorder,
        row["id"],
        run.ctx.settings.language,
        handling=handling,
        progress=run.progress,
        ids=run.ctx.db.run(lambda other: numbering.reserve(other, new, new)),
        as_of=row["counts_at"],
        of=spoken(chosen.rules, chosen.cleared, revive=handling.revive),
    )
    return planned.counts(tx, row["id"])
