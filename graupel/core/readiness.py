"""What a product still lacks for a destination, and what would help it there."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from graupel.core import products, richtext
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


@dataclass(frozen=True)
class ChannelTerms:
    """What a channel asks of a listing, as it says itself. Lengths in characters, sides in pixels."""

    title_least: int
    title_most: int
    picture_least_side: int


@dataclass(frozen=True)
class ChannelPlace:
    """A category of the channel. Only an end category takes goods."""

    code: str
    path: str
    is_end: bool


def verdict(findings: Iterable[Finding]) -> Verdict:
    """Blocked by anything that blocks, strong when nothing is left to say."""
    levels = {finding.blocks for finding in findings}
    if True in levels:
        return Verdict.BLOCKED
    return Verdict.READY if levels else Verdict.STRONG


def for_shop(values: ProductValues, pictures: Sequence[PictureFacts], unpriced: int | None = None) -> list[Finding]:
    """What stands between a product and its page in the shop; ``unpriced`` as in products.lacks_for_live."""
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
    if values.weight_g is None:
        findings.append(Finding("weight.missing", "A weight is wanted, for the cost of delivery.", "weight_g", False))
    return findings


def untranslated(fields: Iterable[str], language: str, labels: Mapping[str, str]) -> list[Finding]:
    """What is shown to buyers in another language than theirs; address and search lines are left to the translator."""
    return [
        Finding(f"{name}.untranslated", f"{labels[name]}: {language} is missing.", name, False)
        for name in fields
        if name in ("name", "short_text", "description", "key_points")
    ]


def for_channel(
    values: ProductValues,
    title: str,
    pictures: Sequence[PictureFacts],
    place: ChannelPlace | None,
    terms: ChannelTerms,
    unpriced: int | None = None,
) -> list[Finding]:
    """What a listing still lacks for a channel with these terms; ``unpriced`` as in products.lacks_for_live."""
    return [
        *_life(values, unpriced),
        *_identity(values),
        *_title(title, terms),
        *_place(place),
        *_pictures(pictures, terms),
    ]


def _life(values: ProductValues, unpriced: int | None) -> list[Finding]:
    findings = []
    if values.status is not Status.LIVE:
        findings.append(
            Finding("status.not_live", f"It is {values.status} in the shop. Put it live first.", "status", True)
        )
    if values.price is None and unpriced != 0:
        findings.append(Finding("price.missing", "A price is needed.", "price", True))
    return findings


def _identity(values: ProductValues) -> list[Finding]:
    if values.gtin or (values.brand and values.mpn):
        return []
    if values.brand:
        message, where = "A GTIN is needed, or a manufacturer part number beside the brand.", "mpn"
    elif values.mpn:
        message, where = "A GTIN is needed, or a brand beside the manufacturer part number.", "brand"
    else:
        message, where = "An identifier is needed: a GTIN, or brand and manufacturer part number.", "gtin"
    return [Finding("identifier.missing", message, where, True)]


def _title(title: str, terms: ChannelTerms) -> list[Finding]:
    length = len(title)
    if length < terms.title_least:
        return [
            Finding(
                "title.short",
                f"The title has {length} characters; at least {terms.title_least} "
                "are needed. Say what it is, of what, and how much.",
                "title",
                True,
            )
        ]
    if length > terms.title_most:
        return [
            Finding(
                "title.long",
                f"The title has {length} characters; at most {terms.title_most} "
                "are taken. Write a shorter one for this channel.",
                "title",
                True,
            )
        ]
    return []


def _place(place: ChannelPlace | None) -> list[Finding]:
    if place is None:
        return [Finding("place.missing", "A category of the channel is needed.", "place", True)]
    if not place.is_end:
        return [
            Finding("place.not_end", f"“{place.path}” has categories below it. Choose one of those.", "place", True)
        ]
    return []


def _pictures(pictures: Sequence[PictureFacts], terms: ChannelTerms) -> list[Finding]:
    if not pictures:
        return [Finding("picture.missing", "A picture is needed.", "pictures", True)]
    main = pictures[0]
    if min(main.width, main.height) < terms.picture_least_side:
        return [
            Finding(
                "picture.small",
                f"The main picture measures {main.width} × {main.height} pixels; each side needs at least "
                f"{terms.picture_least_side}.",
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
