"""What is done with reviews: a buyer writes one, somebody of the shop shows, answers, hides or reports it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal
from typing import Any

from graupel.context import Context
from graupel.core import reviews as rules
from graupel.core.declarations.reviews import REVIEW, REVIEW_SWITCH
from graupel.core.errors import NotFound, Refused
from graupel.core.phrases import phrase
from graupel.core.problems import Problem
from graupel.core.reviews import State, Written
from graupel.core.roles import SYSTEM, Actor, Role
from graupel.db import Tx, declared
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.products import service as products
from graupel.features.reviews import store
from graupel.features.reviews.rows import ListedRow, ReviewRow

PAGE, SHOWN = 40, 20
REASON_LENGTH = 300


@dataclass(frozen=True)
class Beside:
    """The reviews beside an article: whether buyers may write one, those that are shown, how many, and their mean."""

    allowed: bool = False
    reviews: Sequence[ReviewRow] = ()
    count: int = 0
    mean: Decimal | None = None


def beside(tx: Tx, product_id: int) -> Beside:
    """What an article shows of them; nothing where they are not allowed."""
    row = store.switch(tx, product_id)
    if row is None or not row["allowed"]:
        return Beside()
    counts = store.stars(tx, product_id)
    return Beside(True, store.shown(tx, product_id, SHOWN), sum(counts.values()), rules.mean(counts))


def write(ctx: Context, product_id: int, lang: str, who: bytes, raw: Mapping[str, str]) -> None:
    """Take a buyer's review in; it waits to be read. ``who``: by what one is known who writes many.

    Raises Refused with phrases in the buyer's language, at their fields; NotFound where none may be written.
    """
    written = rules.read(raw)
    wrong = rules.wrong(written)
    if wrong:
        raise Refused([Problem("review.field", phrase(words, lang, *at), name) for name, (words, at) in wrong.items()])

    def work(tx: Tx) -> None:
        if not beside(tx, product_id).allowed:
            raise NotFound("This article can't be reviewed.")
        now = ctx.now(tx).replace(tzinfo=None)
        if store.written_since(tx, who, now - timedelta(days=1)) >= rules.MOST_A_DAY:
            said = phrase("Please wait a day before you write another.", lang)
            raise Refused.because("review.many", said)
        product = products.load(ctx, tx, product_id)
        values = _values(product_id, lang, written)
        title = f"Review of {product.values.name}: {written.stars} of {rules.MOST_STARS}"
        with history.change_set(tx, SYSTEM, "review.written", title) as recorder:
            kept = {**values, "who": who, "made_at": now}
            recorder.made("review", store.insert(tx, kept), values)

    ctx.db.run(work)


def _values(product_id: int, lang: str, written: Written) -> dict[str, Any]:
    return {
        "product_id": product_id,
        "lang": lang,
        "name": written.name,
        "stars": written.stars,
        "said": written.text,
        "state": str(State.WAITING),
        "answer": "",
        "reason": "",
    }


# --- the shop reads them -------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Listed:
    """A page of reviews. ``before``: the id before which the next page begins, 0 where there is none."""

    reviews: Sequence[ListedRow]
    counts: Mapping[str, int]
    before: int


def list_reviews(ctx: Context, actor: Actor, state: str, before: int = 0) -> Listed:
    """Reviews from the newest on; ``state`` "" for all of them."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> Listed:
        rows = store.listed(tx, state, before, ctx.settings.language, PAGE + 1)
        return Listed(rows[:PAGE], store.counts(tx), rows[PAGE - 1]["id"] if len(rows) > PAGE else 0)

    return ctx.db.run(work)


def of_product(ctx: Context, actor: Actor, product_id: int) -> tuple[bool, Mapping[str, int]]:
    """Whether buyers may review a product, and how many reviews it has in each state."""
    actor.require(Role.VIEWER)

    def work(tx: Tx) -> tuple[bool, Mapping[str, int]]:
        row = store.switch(tx, product_id)
        return bool(row and row["allowed"]), store.counts(tx, product_id)

    return ctx.db.run(work)


def waiting(ctx: Context, actor: Actor) -> int:
    """How many reviews nobody has read."""
    actor.require(Role.VIEWER)
    return ctx.db.run(lambda tx: store.counts(tx).get(State.WAITING, 0))


_DID = {State.SHOWN: "shown", State.HIDDEN: "hidden", State.REPORTED: "reported", State.WAITING: "put back"}


def _did(before: Mapping[str, Any], after: Mapping[str, Any]) -> str:
    if after["state"] != before["state"]:
        return _DID[State(after["state"])]
    return "answered" if after["answer"] != before["answer"] else "noted"


def judge(
    ctx: Context, actor: Actor, review_id: int, state: State, answer: str, reason: str, marks: Marks = None
) -> None:
    """Show a review, hide it, or report it with a reason; and answer it. Raises Refused, Outdated, NotFound."""
    actor.require(Role.EDITOR)
    said, why = answer.strip(), " ".join(reason.split())
    problems = []
    if len(said) > rules.TEXT_LENGTH:
        problems.append(Problem("review.answer", f"At most {rules.TEXT_LENGTH:,} characters fit.", "answer"))
    if len(why) > REASON_LENGTH:
        problems.append(Problem("review.reason", f"At most {REASON_LENGTH} characters fit.", "reason"))
    if state is State.REPORTED and not why:
        problems.append(Problem("review.reason", "Say why it is reported, such as Insults a person.", "reason"))
    if problems:
        raise Refused(problems)
    mine = {"state": str(state), "answer": said, "reason": why}

    def work(tx: Tx) -> None:
        row = store.review(tx, review_id, lock=True)
        if row is None:
            raise NotFound("This review is not there any more.")
        theirs = {name: row[name] for name in mine}  # type: ignore[literal-required]
        now = meeting.bring_together(tx, {"review": [review_id]}, marks, mine, theirs, _label)
        title = f"Review of {row['name']} {_did(theirs, now)}"
        with history.change_set(tx, actor, "review.judge", title) as recorder:
            if recorder.changed("review", review_id, theirs, now, row["version"] + 1):
                declared.update(tx, REVIEW, review_id, now)

    ctx.db.run(work)


def _label(name: str) -> str:
    return REVIEW.field(name).label


def allow(ctx: Context, actor: Actor, product_id: int, allowed: bool) -> None:
    """Let buyers review a product, or no longer. Raises NotFound."""
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        product = products.load(ctx, tx, product_id, lock=True)
        row = store.switch(tx, product_id, lock=True)
        title = f"Reviews {'allowed' if allowed else 'no longer allowed'}: {product.values.name}"
        with history.change_set(tx, actor, "product.reviews", title) as recorder:
            if row is None:
                values = {"product_id": product_id, "allowed": int(allowed)}
                if allowed:
                    recorder.made("review_switch", declared.insert(tx, REVIEW_SWITCH, values), values)
            elif recorder.changed(
                "review_switch", row["id"], {"allowed": row["allowed"]}, {"allowed": int(allowed)}, row["version"] + 1
            ):
                declared.update(tx, REVIEW_SWITCH, row["id"], {"allowed": int(allowed)})

    ctx.db.run(work)
