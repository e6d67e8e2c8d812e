"""The words that the demo shop describes its goods with."""

from graupel.core.attributes import AttributeKind
from graupel.core.product_types import Need

#: Colour -> code in SKUs, swatch.
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
    "Bracken": ("BRA", "#8F6B3A"),
    "Chalk": ("CHA", "#EDEAE0"),
    "Dusk": ("DUS", "#6B6F8E"),
    "Elder": ("ELD", "#2F3A46"),
    "Fleece": ("FLE", "#F3EBDC"),
    "Hazel": ("HAZ", "#96774F"),
    "Ivy": ("IVY", "#2F5A41"),
    "Lichen": ("LIC", "#A8B28A"),
    "Madder": ("MAD", "#9C3A34"),
    "Nettle": ("NET", "#6F8F5B"),
    "Plum": ("PLU", "#6E3A5E"),
    "Rowan": ("ROW", "#C2482E"),
    "Sloe": ("SLO", "#38405F"),
    "Woad": ("WOA", "#4F7C9E"),
}
SIZES = ["2 mm", "2.25 mm", "2.5 mm", "2.75 mm", "3 mm", "3.5 mm", "4 mm", "4.5 mm", "5 mm", "6 mm", "8 mm", "10 mm"]

#: Name -> kind, unit ("" for none), choices, explanation.
ATTRIBUTES: dict[str, tuple[AttributeKind, str, list[str], str]] = {
    "Colour": (AttributeKind.COLOUR, "", list(COLOURS), "The name on the label."),
    "Put-up": (AttributeKind.ONE_CHOICE, "", ["25 g", "50 g", "100 g", "200 g"], "How much is in one piece."),
    "Yarn weight": (
        AttributeKind.ONE_CHOICE, "", ["Lace", "Four-ply", "Sock", "Double knit", "Aran", "Chunky"], "How thick the thread is.",
    ),
    "Fibre": (
        AttributeKind.SEVERAL_CHOICES, "",
        ["Wool", "Merino", "Alpaca", "Linen", "Cotton", "Silk", "Mohair", "Polyamide"], "All that is in it.",
    ),
    "Metres per 100 g": (AttributeKind.NUMBER, "length:m", [], "How far it goes."),
    "Wash at": (AttributeKind.NUMBER, "temperature:°C", [], "The hottest it bears."),
    "Care": (AttributeKind.SEVERAL_CHOICES, "", ["By hand", "Machine, wool", "Dry flat", "No bleach"], ""),
    "Dyed by hand": (AttributeKind.YES_NO, "", [], ""),
    "Needle size": (AttributeKind.ONE_CHOICE, "", SIZES, "Across, as on the gauge."),
    "Needle length": (AttributeKind.ONE_CHOICE, "", ["15 cm", "20 cm", "30 cm", "40 cm", "60 cm", "80 cm", "100 cm"], ""),
    "Material": (AttributeKind.ONE_CHOICE, "", ["Birch", "Bamboo", "Steel", "Brass", "Plum wood", "Horn", "Shell", "Walnut"], ""),
    "Width": (AttributeKind.NUMBER, "length:mm", [], "From edge to edge."),
    "Across": (AttributeKind.ONE_CHOICE, "", ["12 mm", "15 mm", "18 mm", "20 mm", "23 mm", "25 mm"], "Of a button."),
    "Language": (AttributeKind.ONE_CHOICE, "", ["English", "German"], "What it is written in."),
    "Level": (AttributeKind.ONE_CHOICE, "", ["First steps", "Easy", "Practised", "Patient"], ""),
    "Pages": (AttributeKind.NUMBER, "count:", [], ""),
    "First printed": (AttributeKind.DATE, "", [], ""),
    "Garment size": (AttributeKind.ONE_CHOICE, "", ["Small", "Medium", "Large"], ""),
    "Notes for cutting": (AttributeKind.LONG_TEXT, "", [], "What to know before it is cut."),
}  # fmt: skip

#: Type -> prefix of codes, and its attributes: name, group, need, whether variants may differ by it.
TYPES: dict[str, tuple[str, list[tuple[str, str, Need, bool]]]] = {
    "Yarn": (
        "YRN",
        [
            ("Colour", "Yarn", Need.NO, True), ("Put-up", "Yarn", Need.NO, True),
            ("Yarn weight", "Yarn", Need.ALWAYS, False), ("Fibre", "Yarn", Need.ALWAYS, False),
            ("Metres per 100 g", "Yarn", Need.NO, False), ("Dyed by hand", "Yarn", Need.NO, False),
            ("Wash at", "Care", Need.NO, False), ("Care", "Care", Need.NO, False),
        ],
    ),
    "Needles": (
        "NDL",
        [
            ("Needle size", "Needles", Need.NO, True), ("Needle length", "Needles", Need.NO, True),
            ("Material", "Needles", Need.ALWAYS, True),
        ],
    ),
    "Button": ("BUT", [("Across", "Button", Need.NO, True), ("Material", "Button", Need.ALWAYS, False)]),
    "Ribbon": (
        "RIB",
        [
            ("Colour", "Ribbon", Need.NO, True), ("Width", "Ribbon", Need.ALWAYS, False),
            ("Notes for cutting", "Ribbon", Need.NO, False),
        ],
    ),
    "Pattern": (
        "PAT",
        [
            ("Language", "Booklet", Need.NO, True), ("Level", "Booklet", Need.ALWAYS, False),
            ("Pages", "Booklet", Need.NO, False), ("First printed", "Booklet", Need.NO, False),
        ],
    ),
    "Kit": ("KIT", [("Colour", "Kit", Need.NO, True), ("Garment size", "Kit", Need.NO, True), ("Level", "Kit", Need.NO, False)]),
    "Workshop": ("WSP", [("Level", "Workshop", Need.NO, False)]),
}  # fmt: skip
