"""With which products choices are asked, and in which order."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from graupel.context import Context
from graupel.core.declarations.choices import CHOICE_USE
from graupel.core.roles import Actor, Role
from graupel.db import Tx, declared
from graupel.features.choices import reading, service, store
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.variants.copying import Copied
from graupel.features.wording import service as wording


def ask(ctx: Context, actor: Actor, product_id: int, choice_ids: Sequence[int], name: str, marks: Marks = None) -> None:
    """Make the choices that are asked with a product these, in this order. ``name``: the product's.

    A private one that is no longer among them goes. Raises Outdated, NotFound.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        rows = store.uses(tx, [product_id], lock=True)
        known = {**reading.shared(ctx, tx), **{one.id: one for one in reading.of_product(tx, product_id)}}
        mine = {"choices": [str(one) for one in dict.fromkeys(choice_ids) if one in known]}
        theirs = {"choices": [str(row["buyer_choice_id"]) for row in rows]}
        both = meeting.bring_together(tx, {"product": [product_id]}, marks, mine, theirs, lambda _: "What is asked")
        wanted = [int(one) for one in both["choices"]]
        with history.change_set(tx, actor, "product.choices", f"Choices changed: {name}") as recorder:
            left = {row["buyer_choice_id"]: row for row in rows}
            for place, choice_id in enumerate(wanted):
                row = left.pop(choice_id, None)
                if row is None:
                    values = {"product_id": product_id, "buyer_choice_id": choice_id, "position": place}
                    recorder.made("choice_use", declared.insert(tx, CHOICE_USE, values), values)
                elif recorder.changed(
                    "choice_use", row["id"], {"position": row["position"]}, {"position": place}, row["version"] + 1
                ):
                    declared.update(tx, CHOICE_USE, row["id"], {"position": place})
            for choice_id, row in left.items():
                service.remove_use(tx, recorder, row)
                if known[choice_id].product_id == product_id:
                    service.remove_whole(tx, recorder, known[choice_id])

    ctx.db.run(work)


def copy(copied: Copied) -> None:
    """A copy asks what its original does; choices that are the original's alone it has for itself."""
    asked = reading.of_product(copied.tx, copied.original)
    own = {one.id: one for one in asked if one.product_id}
    made: dict[int, int] = {}
    entries: dict[int, int] = {}
    for one in own.values():
        bare = replace(one, product_id=copied.copy, when=None, when_entry=None)
        made[one.id], between = service.insert(copied.tx, copied.recorder, bare)
        entries |= between
    _copy_words(copied, "buyer_choice", made)
    _copy_words(copied, "choice_entry", entries)
    for one in own.values():
        if one.when is not None:
            waits = {"when_choice_id": made.get(one.when, one.when)}
            waits["when_entry_id"] = entries.get(one.when_entry or 0, one.when_entry)  # type: ignore[assignment]
            service.set_when(copied.tx, copied.recorder, made[one.id], waits)
    for place, one in enumerate(asked):
        values = {"product_id": copied.copy, "buyer_choice_id": made.get(one.id, one.id), "position": place}
        copied.recorder.made("choice_use", declared.insert(copied.tx, CHOICE_USE, values), values)


def _copy_words(copied: Copied, kind: str, made: Mapping[int, int]) -> None:
    """What buyers read in other languages."""
    for record_id, own in wording.of_records(copied.tx, kind, list(made)).items():
        words = {key: held.value for key, held in own.items()}
        sources = {key.rpartition(".")[2]: held.source for key, held in own.items() if held.source is not None}
        wording.save(copied.tx, copied.recorder, kind, made[record_id], words, sources)
