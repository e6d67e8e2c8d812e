"""The goods of the demo shop. Names, people and codes are made up; GTINs begin with GS1's example prefix 952."""

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal

from graupel.core.identifiers import gtin_check_digit

COLOURS = {
    "Heather": ("HEA", "#8C7AA0"),
    "Juniper": ("JUN", "#3F6B57"),
    "Rust": ("RUS", "#A8552F"),
    "Oat": ("OAT", "#CDBE9C"),
    "Peat": ("PEA", "#4A3930"),
    "Gorse": ("GOR", "#C99A1E"),
    "Slate": ("SLA", "#5A6975"),
    "Foxglove": ("FOX", "#A94F83"),
    "Tarn": ("TAR", "#3C6A8C"),
    "Bilberry": ("BIL", "#4B3B63"),
}


@dataclass(frozen=True)
class Good:
    """One product of the demo shop. ``picture``: kind, colour, side in pixels; ``hall``: Ostlerby's category."""

    name: str
    sku: str
    category: str
    price: str | None
    weight_g: int | None
    brand: str
    mpn: str
    gtin: str | None
    description: str
    status: str
    picture: tuple[str, str, int] | None
    alt: str
    hall: str | None = None

    @property
    def amount(self) -> Decimal | None:
        """The price as a number."""
        return Decimal(self.price) if self.price else None


#: name, code, category, brand, price, grams, fibre, metres, needle, colours, hall
_YARNS = [
    (
        "Fellside aran",
        "FEL-AR",
        "Aran",
        "Carrow Mill",
        "9.80",
        100,
        "wool 88 %, linen 12 %",
        160,
        "4.5 to 5 mm",
        8,
        "H111",
    ),
    (
        "Lanternfish sock",
        "LAN-SO",
        "Sock",
        "Tarnlight",
        "18.50",
        100,
        "merino 75 %, polyamide 25 %",
        420,
        "2.25 to 2.75 mm",
        6,
        "H111",
    ),
    (
        "Moss stitch merino",
        "MOS-4P",
        "Four-ply",
        "Hobbin & Reel",
        "7.90",
        50,
        "merino 100 %",
        175,
        "3 to 3.5 mm",
        8,
        "H111",
    ),
    ("Quarry tweed", "QUA-TW", "Aran", "Carrow Mill", "12.00", 100, "wool 80 %, silk 20 %", 150, "5 mm", 6, "H111"),
    (
        "Saltmarsh linen",
        "SAL-DK",
        "Double knit",
        "Hobbin & Reel",
        "8.40",
        50,
        "linen 60 %, cotton 40 %",
        110,
        "4 mm",
        6,
        "H112",
    ),
    (
        "Tarnlight silk lace",
        "TAR-SL",
        "Lace",
        "Tarnlight",
        "24.00",
        50,
        "silk 55 %, alpaca 45 %",
        400,
        "2.5 to 3.5 mm",
        5,
        "H113",
    ),
    (
        "Winterberry bouclé",
        "WIN-BO",
        "Chunky",
        "Carrow Mill",
        "15.60",
        100,
        "alpaca 70 %, wool 30 %",
        90,
        "7 to 8 mm",
        5,
        None,
    ),
]
_NEEDLES = [
    ("Straight needles, birch", "NDL-ST", "Straight", "6.40", "#C9A26B", 40, [3.0, 3.5, 4.0, 4.5, 5.0, 6.0], "30 cm"),
    ("Circular needle, steel", "NDL-CI", "Circular", "8.90", "#8A969B", 22, [2.5, 3.0, 3.5, 4.0, 5.0], "80 cm"),
    ("Sock needles, bamboo, five", "NDL-DP", "Double-pointed", "7.20", "#B98F57", 18, [2.0, 2.5, 2.75, 3.0], "15 cm"),
]
_NOTIONS = [
    ("Horn buttons, 18 mm, six", "BUT-HORN-18", "5.40", "#7A5A3C", 14, "H132", "button"),
    ("Shell buttons, 12 mm, ten", "BUT-SHELL-12", "6.10", "#B9C4C4", 9, "H132", "button"),
    ("Walnut buttons, 23 mm, four", "BUT-WALN-23", "4.90", "#6B4A30", 12, "H132", "button"),
    ("Olive wood buttons, 20 mm, five", "BUT-OLIV-20", "5.80", "#A88A55", 13, "H132", "button"),
    ("Felted wool buttons, 25 mm, three", "BUT-FELT-25", "3.60", "#A94F83", 6, "H132", "button"),
]
_RIBBONS = [("Grosgrain ribbon, 16 mm", "RIB-GRO", "2.20"), ("Velvet ribbon, 9 mm", "RIB-VEL", "2.80")]
_PATTERNS = [
    ("Cable jumper “Scar Top”, pattern booklet", "PAT-SCAR", "#3F6B57"),
    ("Lace shawl “Low Tide”, pattern booklet", "PAT-LOWT", "#3C6A8C"),
    ("Two-needle mittens “Threshing Floor”, pattern booklet", "PAT-THRE", "#A8552F"),
    ("Child’s hat “Button Moss”, pattern booklet", "PAT-MOSS", "#C99A1E"),
]


class _Numbers:
    """Running GTINs."""

    def __init__(self) -> None:
        self._last = 10_000

    def next(self) -> str:
        self._last += 7
        body = f"952{self._last:09d}"
        return body + gtin_check_digit(body)


def goods() -> Iterator[Good]:
    """All goods, always the same."""
    numbers = _Numbers()
    yield from _yarns(numbers)
    yield from _needles(numbers)
    yield from _notions(numbers)
    yield from _paper(numbers)


def _yarns(numbers: _Numbers) -> Iterator[Good]:
    for name, code, category, brand, price, grams, fibre, metres, needle, count, hall in _YARNS:
        for place, (colour, (short, tone)) in enumerate(list(COLOURS.items())[:count]):
            draft = name.startswith("Winterberry") or (place == count - 1 and count > 6)
            text = (
                f"<p>{name} in {colour}: {fibre}, spun for garments that are worn for years and mended once or twice. "
                f"{metres} metres to {grams} grams.</p><ul><li>Needles {needle}</li><li>{fibre.capitalize()}</li>"
                f"<li>Wash by hand at 30 °C, dry flat</li></ul>"
            )
            if name.startswith("Quarry") and colour == "Oat":
                text = f"<p>A miracle of softness: {fibre}. {metres} metres to {grams} grams.</p>"
            yield Good(
                f"{name}, {colour}, {grams} g",
                f"{code}-{short}",
                f"Yarn > {category}",
                price,
                grams,
                brand,
                f"{code[:3]}{4400 + place}" if brand == "Carrow Mill" else "",
                None if name.startswith("Saltmarsh") and place > 3 else numbers.next(),
                text,
                "draft" if draft else "live",
                None
                if draft and place == 4
                else ("skein", tone, 420 if name.startswith("Moss") and place == 5 else 800),
                "" if place == 3 and not draft else f"Skein of {name.lower()} in the colour {colour}",
                hall,
            )


def _needles(numbers: _Numbers) -> Iterator[Good]:
    for name, code, category, price, tone, grams, sizes, length in _NEEDLES:
        for size in sizes:
            yield Good(
                f"{name}, {size:g} mm, {length}",
                f"{code}-{round(size * 100):03d}",
                f"Needles > {category}",
                price,
                grams,
                "Hobbin & Reel",
                f"HR-{code[-2:]}{round(size * 100)}",
                numbers.next(),
                f"<p>{name}, {size:g} mm thick and {length} long, with fine points and no seam to catch it.</p>",
                "live",
                ("needles", tone, 800),
                f"A pair of {name.lower()} of {size:g} mm",
                "H121",
            )


def _notions(numbers: _Numbers) -> Iterator[Good]:
    for name, sku, price, tone, grams, hall, kind in _NOTIONS:
        yield Good(
            name,
            sku,
            "Notions > Buttons",
            price,
            grams,
            "Skeinwright",
            f"SK-{sku[-5:]}",
            None,
            f"<p>{name}: sewn on with four holes, each a little different from the next. Sold as one card.</p>",
            "live",
            (kind, tone, 800),
            f"{name} seen from above",
            hall,
        )
    for name, code, price in _RIBBONS:
        for colour in ("Rust", "Tarn", "Gorse", "Bilberry"):
            short, tone = COLOURS[colour]
            yield Good(
                f"{name}, {colour}, by the metre",
                f"{code}-{short}",
                "Notions > Ribbon",
                price,
                8,
                "",
                "",
                None,
                f"<p>{name} in {colour}, cut to the metre you need.</p>",
                "live",
                ("ribbon", tone, 800),
                f"A roll of {name.lower()} in the colour {colour}",
                "H131",
            )


def _paper(numbers: _Numbers) -> Iterator[Good]:
    for name, sku, tone in _PATTERNS:
        yield Good(
            name,
            sku,
            "Patterns",
            "6.50",
            60,
            "Skeinwright",
            sku,
            numbers.next(),
            "<p>A printed booklet of twelve pages with charts, all sizes, and a list of the yarns in it.</p>",
            "live",
            ("booklet", tone, 800),
            f"Cover of the booklet {name.split(',')[0]}",
            "H142",
        )
    for name, sku, price, colour, status in (
        ("Mitten kit “Threshing Floor”, three colours", "KIT-THRE", "38.00", "Rust", "live"),
        ("Beginner’s scarf kit, needles and yarn", "KIT-SCARF", "29.50", "Heather", "live"),
        ("Lace shawl kit “Low Tide”", "KIT-LOWT", "64.00", "Tarn", "draft"),
    ):
        yield Good(
            name,
            sku,
            "Kits",
            price,
            320,
            "Skeinwright",
            sku,
            None,
            "<p>Everything in one basket: the yarn, the needles and the printed pattern.</p>",
            status,
            ("kit", COLOURS[colour][1], 800),
            f"Basket with the yarn of the {name.split('“')[0].strip().lower()}",
            "H141",
        )
    yield Good(
        "Dye day in the yard, one Saturday",
        "WS-DYE",
        "Workshops",
        "85.00",
        None,
        "Skeinwright",
        "",
        None,
        "<p>From nine to four with madder, weld and woad. You take home three skeins that you dyed yourself.</p>",
        "live",
        ("workshop", COLOURS["Rust"][1], 800),
        "A dye pot with yarn hanging over it",
    )
    yield Good(
        "Evening of mending, four Tuesdays",
        "WS-MEND",
        "Workshops",
        None,
        None,
        "Skeinwright",
        "",
        None,
        "",
        "draft",
        None,
        "",
    )
