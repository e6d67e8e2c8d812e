"""The rows of a file's dry run, or of what it did: those of one kind, page by page."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from graupel.context import Context
from graupel.core.columns import Matching
from graupel.core.handling import Handling
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.files.records import store as record_store
from graupel.features.files.records.store import PlannedRow
from graupel.features.files.service import ImportFile
from graupel.features.history import owned, records
from graupel.features.history.service import RowShown
from graupel.features.products.batch import overview as planned_overview
from graupel.features.products.batch import planned
from graupel.features.products.batch import ways as batch_ways
from graupel.features.products.batch.spoken import spoken
from graupel.features.products.batch.ways import Gone

SHOWN_ROWS = 50
#: In which order rows are shown: what wants a look first.
SHOWN = ("moved", "refused", "archived", "odd", "changed", "new", "unchanged", "skipped")


@dataclass(frozen=True)
class ShownRecord:
    """A row of a file of records, with where its record is shown."""

    row: PlannedRow
    link: str = ""


@dataclass(frozen=True)
class PlanPage:
    """Rows of a dry run: those of one action, or "odd" or "moved" ones. ``next``: the line after which more stand,
    of goods that would be archived, ``gone``, how many stand before; ``by``: to which of them it is narrowed;
    ``beside``: by line, once they are written, what was changed beside the fields that are told."""

    shown: str
    search: str
    samples: list[planned.Sample]
    next: int | None
    gone: Sequence[Gone] = ()
    by: str = ""
    records: Sequence[ShownRecord] = ()
    beside: Mapping[int, Sequence[RowShown]] = field(default_factory=dict)


def rows_of(
    ctx: Context, actor: Actor, file: ImportFile, shown: str = "", search: str = "", after: int = 0, by: str = ""
) -> PlanPage:
    """A page of the dry run's rows; where nothing is asked for, of the first of SHOWN that has any.

    ``by``: those that change a column, by its name, or that are refused for a reason, "why-" before its code.
    """
    actor.require(Role.VIEWER)
    counts = file.row["counts"] or {}
    there = [one for one in SHOWN if counts.get(one)]
    asked = shown if shown in SHOWN else there[0] if there else "unchanged"
    lang, matched_by = ctx.settings.language, Matching.of(file.rules)
    done = file.row["state"] == "applied"  # what a column changed is not told from the catalogue any more
    by = by if by in _narrowing(file) and not (done and asked == "changed") else ""
    revives = Handling.of(file.row).revive
    narrowed = planned_overview.narrowed(by, spoken(matched_by.rules, matched_by.cleared, revive=revives))
    if file.known.records:
        return _of_records(ctx, file, asked, search, after, by)
    if asked == "archived":
        return _archived(ctx, file.id, search, after)
    found = ctx.db.run(
        lambda tx: planned.samples(
            tx,
            file.id,
            asked,
            lang,
            SHOWN_ROWS + 1,
            after,
            search,
            matched_by.cleared,
            file.known,
            narrowed,
            by,
            file.row["change_set_id"],
            revives,
        )
    )
    more = found[SHOWN_ROWS - 1].line if len(found) > SHOWN_ROWS else None
    told = ctx.db.run(lambda tx: _beside(tx, file, found[:SHOWN_ROWS])) if done and asked == "changed" else {}
    return PlanPage(asked, search, found[:SHOWN_ROWS], more, by=by, beside=told)


def _beside(tx: Tx, file: ImportFile, found: Sequence[planned.Sample]) -> dict[int, list[RowShown]]:
    """By line what the file changed of what belongs to its product, if the row speaks for it, and to its variant."""
    change_set_id = file.row["change_set_id"]
    if not change_set_id:
        return {}
    products = {one.product_id for one in found if one.speaks and one.product_id}
    variants = {one.variant_id for one in found if one.variant_id}
    of_product = owned.beside(tx, change_set_id, "product", sorted(products), but=("variant",))
    of_variant = owned.beside(tx, change_set_id, "variant", sorted(variants))
    return {
        one.line: [
            *(of_product.get(one.product_id or 0, ()) if one.speaks else ()),
            *of_variant.get(one.variant_id or 0, ()),
        ]
        for one in found
    }


def _narrowing(file: ImportFile) -> set[str]:
    """By what the rows of a dry run can be narrowed."""
    overview = file.row["overview"] or {}
    return {*overview.get("fields", ()), *(f"why-{code}" for code, *_ in overview.get("reasons", ()))}


def _of_records(ctx: Context, file: ImportFile, asked: str, search: str, after: int, by: str) -> PlanPage:
    code = by.removeprefix("why-") if by.startswith("why-") else ""

    def work(tx: Tx) -> list[ShownRecord]:
        found = record_store.page(tx, file.id, asked, SHOWN_ROWS + 1, after, search, "" if code else by, code)
        return [ShownRecord(row, _link(tx, row)) for row in found]

    found = ctx.db.run(work)
    more = found[SHOWN_ROWS - 1].row.line if len(found) > SHOWN_ROWS else None
    return PlanPage(asked, search, [], more, by=by, records=found[:SHOWN_ROWS])


def _link(tx: Tx, row: PlannedRow) -> str:
    """Where the record of a row is shown, "" where it is not there."""
    if row.record is None:
        return ""
    kind, record_id = row.record
    shown = records.kind_of(kind).describe(tx, [record_id]).get(record_id)
    return shown.link if shown else ""


def _archived(ctx: Context, file_id: int, search: str, after: int) -> PlanPage:
    lang = ctx.settings.language
    gone = ctx.db.run(lambda tx: batch_ways.gone(tx, file_id, lang, SHOWN_ROWS + 1, after, search))
    more = after + SHOWN_ROWS if len(gone) > SHOWN_ROWS else None
    return PlanPage("archived", search, [], more, gone[:SHOWN_ROWS])
