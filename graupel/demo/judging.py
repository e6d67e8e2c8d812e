"""What buyers wrote of the demo's goods: shown, answered, to be read."""

from collections.abc import Sequence

from graupel.context import Context
from graupel.core.products import Status
from graupel.core.reviews import State
from graupel.core.roles import Actor
from graupel.demo.goods import Good
from graupel.features.reviews import service

SAID = [
    (
        "Ida",
        "5",
        "Soft, and it keeps its shape after washing.",
        "en",
        State.SHOWN,
        "Thank you, Ida: that is the twist.",
    ),
    ("Anselm", "4", "Schöne Farbe, etwas heller als auf dem Bild.", "de", State.SHOWN, ""),
    ("Per", "2", "One skein of three had a knot.", "en", State.WAITING, ""),
]


def load(ctx: Context, editor: Actor, made: Sequence[tuple[int, Good]]) -> None:
    """Some yarns that buyers may review, and what they wrote of the first."""
    yarns = [key for key, good in made if good.kind == "Yarn" and good.status == Status.LIVE][:12]
    for product_id in yarns:
        service.allow(ctx, editor, product_id, True)
    for number, (name, stars, text, lang, state, answer) in enumerate(SAID if yarns else ()):
        who = bytes([number]) * 16
        service.write(ctx, yarns[0], lang, who, {"name": name, "stars": stars, "text": text})
        if state is not State.WAITING:
            written = service.list_reviews(ctx, editor, State.WAITING).reviews[0]
            service.judge(ctx, editor, written["id"], state, answer, "")
