"""With which products choices are asked, and in which order."""

from collections.abc import Sequence

from graupel.context import Context
from graupel.core.declarations.choices import CHOICE_USE
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.features.choices import reading, service, store
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks


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
                    recorder.made("choice_use", store.insert(tx, CHOICE_USE, values), values)
                elif recorder.changed(
                    "choice_use", row["id"], {"position": row["position"]}, {"position": place}, row["version"] + 1
                ):
                    store.update(tx, CHOICE_USE, row["id"], {"position": place})
            for choice_id, row in left.items():
                service.remove_use(tx, recorder, row)
                if known[choice_id].product_id == product_id:
                    service.remove_whole(tx, recorder, known[choice_id])

    ctx.db.run(work)
