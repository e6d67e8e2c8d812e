"""What the demo shop asks its buyers: each kind of choice at least once, with goods where it makes sense."""

from collections.abc import Sequence

from graupel.context import Context
from graupel.core.roles import Actor
from graupel.demo.goods import Good
from graupel.features.choices import reading, service, uses
from graupel.features.products import service as products

Made = Sequence[tuple[int, Good]]
Rows = Sequence[dict[str, str]]
NO = {"label": "No, thank you", "state": "default"}
#: Those that several products ask: the fields of each, its entries, and of how many goods of which kind.
SHARED: list[tuple[dict[str, str], Rows, dict[str, int]]] = [
    (
        {"name": "Ball or skein", "label": "Shall we wind it?", "looks": "buttons",
         "help": "A skein has to be wound before you knit; a ball can be used at once."},
        [{"label": "Leave the skein", "state": "default"}, {"label": "Wind a ball", "adds": "+1.20", "sku_code": "B"}],
        {"Yarn": 12},
    ),
    (
        {"name": "Gift wrap", "label": "Is it a present?", "help": "We use paper from old patterns."},
        [NO, {"label": "Wrapped in paper", "adds": "+2.50", "once": "yes", "weight": "20 g", "sku_code": "GP"},
         {"label": "In a box", "adds": "10 %", "once": "yes", "weight": "120 g", "sku_code": "GB"},
         {"label": "In a tin", "adds": "+6.00", "once": "yes", "weight": "180 g", "state": "sold_out"}],
        {"Yarn": 4, "Kit": 6, "Needles": 2},
    ),
    (
        {"name": "Ribbon round it", "label": "Which ribbon?", "looks": "swatches"},
        [{"label": "Rust", "swatch": "#B0412E"}, {"label": "Heather", "swatch": "#8C7AA0"},
         {"label": "Juniper", "swatch": "#1D5C57"}],
        {"Kit": 6},
    ),
    (
        {"name": "Message", "label": "Your words on the card", "kind": "text", "most": "200"},
        [], {"Yarn": 4, "Kit": 6},
    ),
    (
        {"name": "More buttons", "label": "A few more buttons?", "kind": "amounts", "most": "12"},
        [{"label": "Horn", "adds": "+0.60", "weight": "3 g"}, {"label": "Shell", "adds": "+0.80", "weight": "2 g"}],
        {"Kit": 3},
    ),
    (
        {"name": "Day of the workshop", "label": "When will you come?", "kind": "day", "needed": "yes",
         "ahead_days": "3", "within_days": "120", "closed_weekdays": "56",
         "message": "Choose the day on which you will come."},
        [], {"Workshop": 3},
    ),
    (
        {"name": "What to bring", "label": "What will you bring?", "kind": "several", "most": "3"},
        [{"label": "A fleece of my own", "adds": "-4.00"}, {"label": "An apron", "state": "default"},
         {"label": "Gloves"}],
        {"Workshop": 3},
    ),
    (
        {"name": "Picture of your swatch", "label": "A picture of your swatch", "kind": "file",
         "file_kinds": "jpg, jpeg, png", "megabytes": "8", "help": "So that we can look at it before you come."},
        [], {"Workshop": 2},
    ),
    (
        {"name": "Chest in cm", "label": "Your chest, in cm", "kind": "number", "least": "40", "most": "180"},
        [], {"Pattern": 3},
    ),
]  # fmt: skip


def load(ctx: Context, editor: Actor, made: Made) -> None:
    """All that the pages of choices can show."""
    asked: dict[int, list[int]] = {}
    for fields, rows, goods in SHARED:
        wait = {"Message": "Gift wrap", "Ribbon round it": "Gift wrap"}.get(fields["name"])
        raw = fields | ({"when": _paper(ctx, editor, wait)} if wait else {})
        choice_id = service.save(ctx, editor, None, raw, rows)
        for kind, count in goods.items():
            for product_id in [key for key, good in made if good.kind == kind][:count]:
                asked.setdefault(product_id, []).append(choice_id)
    for product_id, choice_ids in asked.items():
        uses.ask(ctx, editor, product_id, choice_ids, products.read(ctx, editor, product_id).values.name)
    needles = next((key for key, good in made if good.kind == "Needles"), None)
    if needles:
        raw = {"name": "Initials", "label": "Initials on the needles", "kind": "line", "most": "3"}
        service.save(ctx, editor, None, raw, [{"adds": "+3.00", "sku_code": "I"}], product_id=needles)


def _paper(ctx: Context, actor: Actor, name: str) -> str:
    """A choice, where it is answered with its second entry."""
    found = next(one.choice for one in reading.list_shared(ctx, actor) if one.choice.name == name)
    return f"{found.id}.{found.entries[1].id}"
