"""The goods of the demo shop. Names, people and codes are made up; GTINs begin with GS1's example prefix 952."""

from collections.abc import Iterator
from decimal import Decimal

from graupel.demo.goods import Good, Shot
from graupel.demo.vocabulary import COLOURS, SIZES

#: Place names for lines of yarn and what they are spun of: weight, price of 100 g, metres, needle, fibres.
_PLACES = [
    "Fellside", "Lanternfish", "Moss stitch", "Quarry", "Saltmarsh", "Tarnlight", "Winterberry", "Drystone", "Sheepwash",
    "Haywain", "Millrace", "Cairn", "Thornhedge", "Peatcutter", "Larkrise", "Stonecrop", "Wetherlam", "Curlew",
    "Bellwether", "Foldgate", "Scree", "Marram", "Oxbow", "Ashlar", "Gillflower", "Candlewick", "Hollowway", "Ploughstar",
    "Rookery", "Waymark", "Tidewrack", "Copperbeck",
]  # fmt: skip
_SPUN = [
    ("aran", "Aran", "9.80", 160, ("Wool", "Linen")),
    ("sock", "Sock", "18.50", 420, ("Merino", "Polyamide")),
    ("merino", "Four-ply", "15.80", 350, ("Merino",)),
    ("tweed", "Aran", "12.00", 150, ("Wool", "Silk")),
    ("linen", "Double knit", "16.80", 220, ("Linen", "Cotton")),
    ("silk lace", "Lace", "48.00", 800, ("Silk", "Alpaca")),
    ("bouclé", "Chunky", "15.60", 90, ("Alpaca", "Wool")),
    ("mohair", "Lace", "22.40", 700, ("Mohair", "Silk")),
    ("cotton", "Double knit", "11.20", 210, ("Cotton",)),
]  # fmt: skip
_MAKERS = ["Carrow Mill", "Tarnlight", "Hobbin & Reel", "Skeinwright", "Ambry Wool"]
#: Where the goods of a maker come from, where that is known.
ORIGINS = {"Carrow Mill": "IE", "Hobbin & Reel": "PT", "Skeinwright": "IE", "Ambry Wool": "PE"}
_NEEDLES = [
    ("Straight needles", "Straight", "6.40", 40, "#C9A26B", ("20 cm", "30 cm", "40 cm")),
    ("Circular needle", "Circular", "8.90", 22, "#8A969B", ("40 cm", "60 cm", "80 cm", "100 cm")),
    ("Sock needles, five", "Double-pointed", "7.20", 18, "#B98F57", ("15 cm", "20 cm")),
    ("Crochet hook", "Hooks", "5.20", 14, "#A8793F", ("15 cm",)),
]
_WOODS = ["Birch", "Bamboo", "Steel", "Brass", "Plum wood"]
_BUTTONS = [
    ("Horn", "#7A5A3C", "5.40"), ("Shell", "#B9C4C4", "6.10"), ("Walnut", "#6B4A30", "4.90"), ("Brass", "#B08D3E", "7.30"),
    ("Birch", "#D9C39A", "3.60"),
]  # fmt: skip
_SHAPES = ["Round buttons", "Square buttons", "Toggle buttons", "Rimmed buttons", "Four-hole buttons", "Leaf buttons"]
_RIBBONS = ["Grosgrain", "Velvet", "Satin", "Linen", "Herringbone", "Picot"]
_GARMENTS = [
    "Cable jumper", "Lace shawl", "Two-needle mittens", "Child’s hat", "Ribbed socks", "Yoke cardigan", "Moss waistcoat",
    "Cabled blanket", "Fair hat and mittens", "Slip-stitch cowl",
]  # fmt: skip
_TITLES = ["Scar Top", "Low Tide", "Threshing Floor", "Button Moss", "Hay Meadow", "First Frost", "Long Barrow"]
_KITS = ["Mitten kit", "Scarf kit for beginners", "Lace shawl kit", "Hat kit", "Cushion kit", "Sock kit"]
_CLASSES = [
    "Dye day in the yard", "Evening of mending", "First stitches", "Spinning on a spindle", "Lace for the patient",
    "Socks in a weekend", "Steeks without fear", "Colour from the hedge",
]  # fmt: skip


def goods() -> Iterator[Good]:
    """All goods, always the same: about 300 products with some 2,500 variants."""
    yield from _yarns()
    yield from _needles()
    yield from _buttons()
    yield from _ribbons()
    yield from _patterns()
    yield from _kits()
    yield from _boxes()
    yield from _workshops()


def _yarns() -> Iterator[Good]:
    colours = list(COLOURS)
    for number in range(76):
        place = _PLACES[number % len(_PLACES)]
        spun, weight, price, metres, fibres = _SPUN[(number * 5) % len(_SPUN)]
        name = f"{place} {spun}"
        first = (number * 7) % len(colours)
        shades = tuple((colours + colours)[first : first + 8 + number % 9])
        putups = ("50 g", "100 g") if number % 4 == 0 else ("50 g",) if weight in ("Lace", "Four-ply") else ("100 g",)
        maker = "Ambry wool" if number == 44 else _MAKERS[number % len(_MAKERS)]  # a slip for the near-doubles
        amount = Decimal(price) if putups[-1] == "100 g" else Decimal(price) / 2
        axes = (("Colour", shades), ("Put-up", putups)) if len(putups) > 1 else (("Colour", shades),)
        draft = number % 13 == 12
        code = f"{place[:3]}-{spun[:2]}-{number:02d}".upper().replace("É", "E")
        yield Good(
            f"{name}, {' and '.join(fibres).lower()} yarn",
            code,
            "Yarn",
            f"Yarn > {weight}",
            str(amount.quantize(Decimal("0.01"))),
            100 if putups[-1] == "100 g" else 50,
            maker,
            f"{place[:2].upper()}{4400 + number}" if number % 3 else "",
            number % 5 != 4,
            f"{'An' if weight == 'Aran' else 'A'} {weight.lower()} yarn of {' and '.join(fibres).lower()}, {metres} metres to 100 grams.",
            _yarn_text(name, fibres, metres, number),
            ("Knits up evenly, also in the round", f"{metres} metres to 100 grams", "Mended more easily than replaced"),
            "draft" if draft else "live",
            tuple(
                Shot(
                    "skein",
                    COLOURS[shade][1],
                    "" if draft and place_ else f"Skein of {name} in the colour {shade}",
                    360 if place_ else 520,
                    shade if number % 3 == 0 else "",
                )
                for place_, shade in enumerate(shades[: 1 if number % 3 else 4])
            ),
            {
                "Yarn weight": (weight,),
                "Fibre": fibres,
                "Metres per 100 g": (f"{metres} m",),
                "Wash at": ("30 °C",) if number % 2 else ("86 °F",),
                "Care": ("By hand", "Dry flat") if number % 2 else ("Machine, wool", "Dry flat", "No bleach"),
                **({"Dyed by hand": ("yes",)} if number % 6 == 0 else {}),
            },
            ("summer",)
            if "Linen" in fibres or "Cotton" in fibres
            else ("winter",)
            if weight in ("Aran", "Chunky")
            else (),
            ("New in",) if number % 9 == 0 else (),
            axes,
            7 if number % 8 == 0 else 0,
            {"50 g": str((Decimal(price) * Decimal("0.55")).quantize(Decimal("0.01")))} if len(putups) > 1 else {},
            str((amount * Decimal("0.52")).quantize(Decimal("0.01"))),
            str((amount * Decimal("1.2")).quantize(Decimal("0.1"))) + "0" if number % 11 == 5 else None,
            number + 1,
            {"Lace": "H113", "Double knit": "H112"}.get(weight, "H111"),
            ("film", "link") if number == 9 else (),
        )


def _yarn_text(name: str, fibres: tuple[str, ...], metres: int, number: int) -> str:
    if number == 3:
        return f"<p>A miracle of softness: {' and '.join(fibres).lower()}.</p>"
    return (
        f"<p>{name} is spun of {' and '.join(fibres).lower()} for garments that are worn for years and mended once or "
        f"twice. The thread is round and holds its twist, so that cables stand out and lace stays open.</p>"
        f"<h3>Before you begin</h3><ul><li>Knit a swatch and wash it</li><li>{metres} metres to 100 grams</li>"
        f"<li>Skeins of one lot belong into one garment</li></ul>"
        f"<table><thead><tr><th>Needles</th><th>Stitches to 10 cm</th></tr></thead><tbody><tr><td>one size finer</td>"
        f"<td>24</td></tr><tr><td>as on the label</td><td>21</td></tr></tbody></table>"
    )


def _needles() -> Iterator[Good]:
    for number in range(40):
        name, category, price, grams, tone, lengths = _NEEDLES[number % 4]
        wood = _WOODS[(number // 4) % 5]
        maker = _MAKERS[(number // 8) % 5]
        count = 4 + (number * 3) % 8
        sizes = tuple(SIZES[:count]) if number % 2 else tuple(SIZES[-count:])
        axes = (("Needle size", sizes), ("Needle length", lengths)) if len(lengths) > 1 else (("Needle size", sizes),)
        code = f"ND-{category[:2]}-{wood[:2]}-{number:02d}".upper()
        yield Good(
            f"{name}, {wood.lower()}, {maker}",
            code,
            "Needles",
            f"Needles > {category}",
            price,
            grams,
            maker,
            f"N{number:03d}",
            number % 3 != 2,
            f"{name} of {wood.lower()}, with fine points and no seam to catch the thread.",
            f"<p>{name} of {wood.lower()}: turned, sanded and waxed by hand, with points fine enough for lace. They warm "
            "in the hand, and the size is burnt in where it can still be read after years.</p>",
            ("Sizes burnt in", "Waxed, not varnished"),
            "live" if number % 10 else "draft",
            (Shot("needles", tone, f"{name} of {wood.lower()}"),) if number % 9 else (),
            {"Material": (wood,)},
            ("tools",),
            (),
            axes,
            5 if number % 3 == 0 else 0,
            {"8 mm": str(Decimal(price) + 2), "10 mm": str(Decimal(price) + 3)} if "10 mm" in sizes else {},
            str((Decimal(price) * Decimal("0.45")).quantize(Decimal("0.01"))),
            None,
            200 + number,
            "H122" if category == "Hooks" else "H121",
        )


def _buttons() -> Iterator[Good]:
    for number in range(60):
        shape = _SHAPES[number % 6]
        material, tone, price = _BUTTONS[(number // 6) % 5]
        several = number % 3 == 0
        finish = ("", ", polished", ", raw")[number // 30 % 3] or ("" if number < 30 else ", polished")
        yield Good(
            f"{shape}, {material.lower()}{finish}, card of six",
            f"BT-{material[:2]}-{shape[:2]}-{number:02d}".upper(),
            "Button",
            "Notions > Buttons",
            price,
            14,
            "Skeinwright",
            f"SK-{number:03d}",
            number % 4 != 0,
            f"{shape} of {material.lower()}, six on a card.",
            f"<p>{shape} of {material.lower()}: each a little different from the next, sewn on with two or four holes. "
            "Sold as a card of six, with one to spare.</p>"
            if number % 7
            else "",
            (),
            "live" if number % 15 else "archived",
            (Shot("button", tone, f"{shape} of {material.lower()} seen from above" if number % 6 else ""),)
            if number % 8
            else (),
            {"Material": (material,), **({} if several else {"Across": ("18 mm",)})},
            (),
            (),
            (("Across", ("15 mm", "18 mm", "23 mm")),) if several else (),
            0,
            {"23 mm": str(Decimal(price) + 1)} if several else {},
            str((Decimal(price) * Decimal("0.4")).quantize(Decimal("0.01"))),
            None,
            None if number % 5 == 0 else 300 + number,
            "H132",
            ("model",) if number == 3 else (),
        )


def _ribbons() -> Iterator[Good]:
    colours = list(COLOURS)
    for number in range(30):
        weave = _RIBBONS[number % 6]
        width = (6, 9, 16, 25, 40)[number // 6]
        first = (number * 5) % len(colours)
        shades = tuple((colours + colours)[first : first + 9 + number % 4])
        price = str((Decimal("1.60") + Decimal(width) / 16).quantize(Decimal("0.10"))) + "0"
        yield Good(
            f"{weave} ribbon, {width} mm, by the metre",
            f"RB-{weave[:3]}-{width:02d}".upper(),
            "Ribbon",
            "Notions > Ribbon",
            price[:4] if len(price) > 4 else price,
            8,
            "Hobbin & Reel" if number % 2 else "",
            f"R{width}{number:02d}" if number % 2 else "",
            False,
            f"{weave} ribbon of {width} mm, cut to the metre you need.",
            f"<p>{weave} ribbon, {width} mm wide, cut from the roll to the metre you need. Washed at 40 °C it keeps its "
            "colour and its width.</p>",
            (),
            "live",
            tuple(
                Shot("ribbon", COLOURS[one][1], f"Roll of {weave.lower()} ribbon in {one}", 520, one)
                for one in shades[:2]
            ),
            {"Width": (f"{width} mm",), "Notes for cutting": ("Cut on the slant, or it frays.",)},
            ("by the metre",),
            (),
            (("Colour", shades),),
            0,
            {},
            str((Decimal("0.7") + Decimal(width) / 40).quantize(Decimal("0.01"))),
            None,
            400 + number,
            "H131",
        )


def _patterns() -> Iterator[Good]:
    for number in range(56):
        garment, title = _GARMENTS[number % 10], _TITLES[(number * 3) % 7]
        tone = list(COLOURS.values())[(number * 5) % len(COLOURS)][1]
        two = number % 2 == 0
        yield Good(
            f"{garment} “{title}”, pattern booklet",
            f"PT-{title[:3]}-{number:02d}".upper().replace(" ", ""),
            "Pattern",
            "Patterns",
            "6.50",
            60,
            "Skeinwright",
            f"PB-{number:03d}",
            True,
            f"A printed booklet for the {garment.lower()} “{title}”, with charts.",
            "<p>A printed booklet of twelve to twenty pages with charts, all sizes, and a list of the yarns in it. The "
            "charts are large enough to be read by lamplight.</p>",
            ("Charts and written rows", "All sizes in one booklet"),
            "live",
            (Shot("booklet", tone, f"Cover of the booklet {garment} “{title}”"),),
            {
                "Level": (("First steps", "Easy", "Practised", "Patient")[number % 4],),
                "Pages": (str(12 + number % 9),),
                "First printed": (f"20{18 + number % 8}-{1 + number % 12:02d}-01",),
                **({} if two else {"Language": ("English",)}),
            },
            ("paper",),
            (),
            (("Language", ("English", "German")),) if two else (),
            0,
            {},
            "2.10",
            None,
            None if number % 3 else 500 + number,
            "H142",
        )


def _kits() -> Iterator[Good]:
    colours = list(COLOURS)
    for number in range(24):
        kit, title = _KITS[number % 6], _TITLES[number % 7]
        shades = tuple(colours[(number * 2) % 18 : (number * 2) % 18 + 4])
        sized = kit.startswith(("Mitten", "Hat", "Sock"))
        price = str(Decimal("24.50") + number)
        yield Good(
            f"{kit} “{title}”",
            f"KT-{title[:3]}-{number:02d}".upper().replace(" ", ""),
            "Kit",
            "Kits",
            price,
            320,
            "Skeinwright",
            f"KB-{number:03d}",
            number % 2 == 0,
            f"Everything for the {kit.lower()} “{title}” in one basket.",
            "<p>Everything in one basket: the yarn, the needles and the printed pattern, and a little more yarn than you "
            "will need.</p>",
            (),
            "live" if number % 6 else "draft",
            (Shot("kit", COLOURS[shades[0]][1], f"Basket with the yarn of the {kit.lower()}"),),
            {"Level": ("Easy",)},
            ("gift",),
            ("Gifts",),
            (("Colour", shades), ("Garment size", ("Small", "Medium", "Large"))) if sized else (("Colour", shades),),
            0,
            {"Large": str(Decimal(price) + 4)} if sized else {},
            str((Decimal(price) * Decimal("0.55")).quantize(Decimal("0.01"))),
            None,
            600 + number,
            "H141",
        )


#: What is put together of other goods (demo/kits.py): it has no variants, weight and price follow from its parts.
BOXES = ("Starter box", "Sock knitter’s box", "Ribbon and button box")


def _boxes() -> Iterator[Good]:
    for number, name in enumerate(BOXES):
        yield Good(
            name,
            f"BX-{number + 1:02d}",
            "Kit",
            "Kits",
            "30.00",
            None,
            "Skeinwright",
            f"BX-{number + 1:03d}",
            True,
            "Put together in our shop, for less than its parts.",
            "<p>Put together in our shop from what stands on our shelves, for less than its parts cost one by one.</p>",
            shots=(
                Shot("kit", list(COLOURS.values())[number * 3][1], f"Basket with what the {name.lower()} contains"),
            ),
            facts={"Level": ("Easy",)},
            tags=("gift",),
            further=("Gifts",),
        )


def _workshops() -> Iterator[Good]:
    for number in range(16):
        name = _CLASSES[number % 8]
        evening = number >= 8
        yield Good(
            f"{name}, {'four Tuesdays' if evening else 'one Saturday'}",
            f"WS-{name.split()[0][:3]}-{number:02d}".upper(),
            "Workshop",
            "Workshops",
            None if number == 15 else "85.00" if not evening else "64.00",
            None,
            "Skeinwright",
            "",
            False,
            f"{name}: {'from six to eight' if evening else 'from nine to four'}, tea and soup with it.",
            ""
            if number == 15
            else f"<p>{name} in the yard behind the shop. Bring an apron; everything else is there.</p>",
            (),
            "draft" if number == 15 else "live",
            () if number == 15 else (Shot("workshop", "#A8552F", "A dye pot with yarn hanging over it"),),
            {"Level": ("First steps",)},
            (),
            (),
            (),
            0,
            {},
            None,
            None,
            8 + number % 5,
        )
