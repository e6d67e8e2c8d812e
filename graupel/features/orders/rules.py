"""How orders go: said once, for all shops."""

from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core.declarations.stock import ORDER_RULES
from graupel.core.errors import Refused
from graupel.core.order_forms import PaysBy, is_mail
from graupel.core.problems import Problem
from graupel.core.roles import Actor, Role
from graupel.db import Tx, declared
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.orders import placed_store as store
from graupel.features.orders.after import GIVES_AT
from graupel.features.orders.rows import OrderRulesRow


def read(ctx: Context, actor: Actor) -> OrderRulesRow:
    """What is said once."""
    actor.require(Role.VIEWER)
    return ctx.db.run(store.rules)


def ways(ctx: Context, tx: Tx, total: Decimal) -> Sequence[PaysBy]:
    """How an order of this amount can be paid, that which is confirmed at once first."""
    if not total:
        return [PaysBy.NOTHING]
    found = [PaysBy.TILL] if ctx.settings.till_address else []
    return [*found, PaysBy.TRANSFER] if store.rules(tx)["transfer"] else found


def values_of(row: OrderRulesRow) -> dict[str, Any]:
    """What a page shows of them, as plain data."""
    return {name: row[name] for name in ORDER_RULES.columns()}  # type: ignore[literal-required]


def save(ctx: Context, actor: Actor, raw: Mapping[str, str], marks: Marks = None) -> None:
    """Write how orders go. Raises Refused, Outdated."""
    actor.require(Role.OWNER)
    mails = [one.strip() for one in raw.get("mails", "").split(",") if one.strip()]
    problems = [Problem("mail.form", f"“{one[:60]}” is no mail address.", "mails") for one in mails if not is_mail(one)]
    to = raw.get("transfer_to", "").strip()
    if len(to) > 500:
        problems.append(Problem("order.transfer", "At most 500 characters fit here.", "transfer_to"))
    if raw.get("transfer") and not to:
        message = "Say to where buyers transfer, such as the name and number of an account."
        problems.append(Problem("order.transfer", message, "transfer_to"))
    if len(", ".join(mails)) > 500:
        problems.append(Problem("mail.many", "At most 500 characters of addresses fit here.", "mails"))
    if problems:
        raise Refused(problems)
    mine: dict[str, Any] = {"transfer": int(bool(raw.get("transfer"))), "transfer_to": to, "mails": ", ".join(mails)}
    mine["gives_at"] = raw.get("gives_at") if raw.get("gives_at") in GIVES_AT else "paid"

    def work(tx: Tx) -> None:
        row = store.rules(tx, lock=True)
        theirs = values_of(row)
        now = meeting.bring_together(tx, {"order_rules": [row["id"]]}, marks, mine, theirs, _label)
        with history.change_set(tx, actor, "order.rules", "How orders go changed") as recorder:
            if recorder.changed("order_rules", row["id"], theirs, now, row["version"] + 1):
                declared.update(tx, ORDER_RULES, row["id"], now)

    ctx.db.run(work)


def _label(name: str) -> str:
    return ORDER_RULES.field(name).label
