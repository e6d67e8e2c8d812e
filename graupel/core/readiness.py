"""What a product still lacks for a destination, and what would help it there."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from graupel.core import delivery, products, richtext
from graupel.core.listings import Goods
from graupel.core.product_types import ProductType
from graupel.core.products import ProductValues, Status


class Verdict(StrEnum):
    """Whether a product may go to a destination."""

    BLOCKED = "blocked"
    READY = "ready"
    STRONG = "strong"


@dataclass(frozen=True)
class Finding:
    """One thing that is missing. ``blocks``: it may not go; otherwise it would help."""

    code: str
    message: str
    field: str
    blocks: bool


@dataclass(frozen=True)
class PictureFacts:
    """Measured facts of a picture, in pixels."""

    width: int
    height: int
    alt: str


def verdict(findings: Iterable[Finding]) -> Verdict:
    """Blocked by anything that blocks, strong when nothing is left to say."""
    levels = {finding.blocks for finding in findings}
    if True in levels:
        return Verdict.BLOCKED
    return Verdict.READY if levels else Verdict.STRONG


def for_shop(
    values: ProductValues,
    pictures: Sequence[PictureFacts],
    unpriced: int | None = None,
    kind: ProductType | None = None,
    unweighed: int | None = None,
) -> list[Finding]:
    """What stands between a product of a type and its page in the shop; ``unpriced`` as in products.lacks_for_live.

    ``unweighed``: of a product that varies, how many variants have no weight of their own.
    """
    findings = [
        Finding(problem.code, problem.message, problem.field or "", True)
        for problem in products.lacks_for_live(values, unpriced)
    ]
    if not pictures:
        findings.append(
            Finding("picture.missing", "A picture is wanted: buyers skip what they can't see.", "pictures", False)
        )
    missing_alt = sum(not picture.alt for picture in pictures)
    if missing_alt:
        what = "One picture has" if missing_alt == 1 else f"{missing_alt} pictures have"
        findings.append(Finding("alt.missing", f"{what} no alt text: say what is to be seen.", "pictures", False))
    if len(richtext.to_plain(values.description)) < 40:
        findings.append(
            Finding("description.short", "A description of a few sentences is wanted.", "description", False)
        )
    way = delivery.way_of(values.delivered, kind.delivered if kind else "")
    if values.weight_g is None and unweighed != 0 and way is delivery.Way.SHIPPED:
        findings.append(Finding("weight.missing", "A weight is wanted, for the cost of delivery.", "weight_g", False))
    return findings


def untranslated(fields: Iterable[str], language: str, labels: Mapping[str, str]) -> list[Finding]:
    """What is shown to buyers in another language than theirs; address and search lines are left to the translator."""
    return [
        Finding(f"{name}.untranslated", f"{labels[name]}: {language} is missing.", name, False)
        for name in fields
        if name in ("name", "short_text", "description", "key_points")
    ]


# --- what marketplaces may ask; each kind of them puts together what it does ------------------------------------


def live_and_priced(goods: Goods) -> list[Finding]:
    """It is live in the shop, and has a price."""
    values, findings = goods.values, []
    if values.status is not Status.LIVE:
        findings.append(
            Finding("status.not_live", f"It is {values.status} in the shop. Put it live first.", "status", True)
        )
    if values.price is None and goods.unpriced != 0:
        findings.append(Finding("price.missing", "A price is needed.", "price", True))
    return findings


def identified(goods: Goods) -> list[Finding]:
    """Each of its offers has a GTIN, or beside the brand a part number."""
    values = goods.values
    if goods.varies:
        return _each_identified(goods)
    if values.gtin or (values.brand and values.mpn):
        return []
    if values.brand:
        message, where = "A GTIN is needed, or a part number beside the brand.", "mpn"
    elif values.mpn:
        message, where = "A GTIN is needed, or a brand beside the part number.", "brand"
    else:
        message, where = "An identifier is needed: a GTIN, or brand and part number.", "gtin"
    return [Finding("identifier.missing", message, where, True)]


def _each_identified(goods: Goods) -> list[Finding]:
    lacking = [one.sku for one in goods.offers if not one.gtin and not (goods.values.brand and one.mpn)]
    if not lacking:
        return []
    number = len(lacking)
    which = lacking[0] if number == 1 else f"{number} of its {len(goods.offers)} variants, such as {lacking[0]},"
    verb = "has" if number == 1 else "have"
    beside = "part number of their own" if number > 1 else "part number of its own"
    message = f"{which} {verb} no GTIN and no {beside} beside the brand."
    return [Finding("identifier.missing", message, "variants", True)]


def titled(goods: Goods, least: int, most: int) -> list[Finding]:
    """Its title has between so many characters."""
    length = len(goods.title)
    if length < least:
        return [
            Finding(
                "title.short",
                f"The title has {length} characters; at least {least} "
                "are needed. Say what it is, of what, and how much.",
                "title",
                True,
            )
        ]
    if length > most:
        return [
            Finding(
                "title.long",
                f"The title has {length} characters; at most {most} are taken. Write a shorter one for this channel.",
                "title",
                True,
            )
        ]
    return []


def in_end_category(goods: Goods) -> list[Finding]:
    """It stands in an end category of the channel."""
    if goods.place is None:
        return [Finding("place.missing", "A category of the channel is needed.", "place", True)]
    if not goods.place.is_end:
        return [
            Finding(
                "place.not_end", f"“{goods.place.path}” has categories below it. Choose one of those.", "place", True
            )
        ]
    return []


def pictured(goods: Goods, least_side: int) -> list[Finding]:
    """Its main picture is there, large enough, and says what is to be seen."""
    if not goods.pictures:
        return [Finding("picture.missing", "A picture is needed.", "pictures", True)]
    main = goods.pictures[0]
    if min(main.width, main.height) < least_side:
        return [
            Finding(
                "picture.small",
                f"The main picture measures {main.width} × {main.height} pixels; each side needs at least "
                f"{least_side}.",
                "pictures",
                True,
            )
        ]
    if not main.alt:
        return [Finding("alt.missing", "An alt text of the main picture helps buyers find it.", "pictures", False)]
    return []


def proportions_differ(sides: Sequence[tuple[int, int]]) -> bool:
    """Whether pictures (width, height in pixels) differ in proportion by more than a twentieth."""
    ratios = [width / height for width, height in sides if height]
    return bool(ratios) and max(ratios) / min(ratios) > 1.05
