"""What the hall asks of an article, and its categories."""

from typing import Any

TERMS = {
    "title": {"least": 20, "most": 80},
    "picture": {"least_side": 500},
    "currencies": ["EUR"],
}
#: The hall does not want these words in a title or text.
UNWANTED = ("miracle", "risk-free", "cheapest")

#: code, name, code of the category above
CATEGORIES: list[tuple[str, str, str | None]] = [
    ("H1", "Craft hall", None),
    ("H11", "Yarn and thread", "H1"),
    ("H111", "Wool yarn", "H11"),
    ("H112", "Plant-fibre yarn", "H11"),
    ("H113", "Silk and lace yarn", "H11"),
    ("H114", "Sewing thread", "H11"),
    ("H12", "Tools for handwork", "H1"),
    ("H121", "Knitting needles", "H12"),
    ("H122", "Crochet hooks", "H12"),
    ("H123", "Scissors and cutters", "H12"),
    ("H124", "Markers, counters and gauges", "H12"),
    ("H13", "Ribbon and trimming", "H1"),
    ("H131", "Ribbon by the metre", "H13"),
    ("H132", "Buttons and clasps", "H13"),
    ("H14", "Kits and patterns", "H1"),
    ("H141", "Kits", "H14"),
    ("H142", "Printed patterns", "H14"),
    ("H2", "Home hall", None),
    ("H21", "Baskets and storage", "H2"),
    ("H22", "Blankets", "H2"),
]
ENDS = {code for code, _, _ in CATEGORIES} - {above for _, _, above in CATEGORIES if above}


def categories() -> list[dict[str, Any]]:
    """All categories, each with whether it is an end category."""
    return [{"code": code, "name": name, "above": above, "end": code in ENDS} for code, name, above in CATEGORIES]


def objections(article: dict[str, Any]) -> list[dict[str, str]]:
    """Why the hall does not take an article; empty where it does."""
    return [
        *_identity(article),
        *_title(article["title"]),
        *_place(article["category"]),
        *_pictures(article),
        *_words(article),
    ]


def _say(code: str, field: str, message: str) -> dict[str, str]:
    return {"code": code, "field": field, "message": message}


def _identity(article: dict[str, Any]) -> list[dict[str, str]]:
    """An article in several versions has a number for each, and each differs from the others."""
    versions = [offer for offer in article["offers"] if offer["choices"]] or [article]
    said = [problem for one in versions for problem in _number({**one, "brand": article.get("brand")})]
    chosen = [sorted((choice["name"], choice["value"]) for choice in one.get("choices", [])) for one in versions]
    if len(article["offers"]) > 1 and len({tuple(one) for one in chosen}) < len(article["offers"]):
        said.append(_say("same-version", "offers", "Several offers of one article must say what they differ by."))
    return said


def _number(one: dict[str, Any]) -> list[dict[str, str]]:
    gtin = one.get("gtin")
    if gtin:
        return [] if check_digit_fits(gtin) else [_say("bad-number", "gtin", "This article number does not exist.")]
    if one.get("brand") and one.get("mpn"):
        return []
    return [_say("no-number", "gtin", "Give a GTIN, or the brand with its part number.")]


def check_digit_fits(gtin: str) -> bool:
    """Whether the last digit of an article number follows from the others (weights 3 and 1 from the right)."""
    if not gtin.isdigit() or len(gtin) not in (8, 12, 13, 14):
        return False
    total = sum(int(digit) * (3 if place % 2 else 1) for place, digit in enumerate(reversed(gtin)))
    return total % 10 == 0


def _title(title: str) -> list[dict[str, str]]:
    least, most = TERMS["title"]["least"], TERMS["title"]["most"]  # type: ignore[index]
    if least <= len(title) <= most:
        return []
    return [_say("title-length", "title", f"A title has {least} to {most} characters; this has {len(title)}.")]


def _place(code: str) -> list[dict[str, str]]:
    return [] if code in ENDS else [_say("no-stall", "category", "Goods stand in end categories only.")]


def _pictures(article: dict[str, Any]) -> list[dict[str, str]]:
    least = TERMS["picture"]["least_side"]  # type: ignore[index]
    pictures = article["pictures"]
    if pictures and min(pictures[0]["width"], pictures[0]["height"]) >= least:
        return []
    return [_say("picture", "pictures", f"A main picture of at least {least} pixels each way is wanted.")]


def _words(article: dict[str, Any]) -> list[dict[str, str]]:
    text = f"{article['title']} {article['description']}".lower()
    return [
        _say("unwanted-word", "description", f"We do not print the word “{word}”.") for word in UNWANTED if word in text
    ]
