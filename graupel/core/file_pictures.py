"""Pictures in a table of goods: what a cell says, and what the rows of one product make of its pictures.

A row says which pictures its variant shows, in their order; a row that speaks of a product alone says those of the
product. A picture that all variants show belongs to the product, others to the variants that show them.
"""

import re
from collections.abc import Collection, Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from urllib.parse import urlsplit

from graupel.core import bars
from graupel.core.errors import Refused
from graupel.core.records import Field, FieldKind, InFile

PICTURES, ALTS = "pictures", "picture_alts"
MOST = 50
LONGEST, LONGEST_ALT = 2_000, 300

FIELDS = {
    PICTURES: Field(
        PICTURES,
        "Pictures",
        FieldKind.LINES,
        file=InFile(
            "in their order, parted by |: addresses, or names of files in the library or beside the table in a zip",
            ("pictures", "picture", "images", "image", "image url", "picture url", "bilder", "bild", "bild-url"),
        ),
    ),
    ALTS: Field(
        ALTS,
        "Alt texts of pictures",
        FieldKind.LINES,
        file=InFile(
            "what each of the pictures shows, in the same order, parted by |",
            ("alt texts", "alt text", "image alt", "picture alt", "alternativtexte", "alternativtext"),
        ),
    ),
}
#: What stands between two; a comma only before an address or a folder, because names of files may hold one.
_BETWEEN = re.compile(r"[|\n]|,\s+(?=https?://|[\w.-]+/)")
#: How we give out files of the library: by what is in them.
_OURS = re.compile(r"/media/([0-9a-f]{64})/")


def read_pictures(text: str) -> tuple[str, ...]:
    """Addresses and names of files, in their order, each once. Raises Refused."""
    found = []
    for part in _BETWEEN.split(text):
        one = part.strip()
        if not one:
            continue
        if len(one) > LONGEST:
            raise Refused.because("pictures.long", f"An address has at most {LONGEST:,} signs.")
        found.append(one if is_address(one) else _name(one))
    if len(set(found)) > MOST:
        raise Refused.because("pictures.many", f"A product shows at most {MOST} pictures by a file.")
    return tuple(dict.fromkeys(found))


def is_address(text: str) -> bool:
    """Whether it is fetched, not looked for among files. Raises Refused for one that can't be."""
    scheme, parted, _ = text.partition("://")
    if not parted:
        return False
    try:
        host = urlsplit(text).hostname
    except ValueError:
        host = None
    if scheme.lower() not in ("http", "https") or not host or re.search(r"\s", text):
        raise Refused.because(
            "pictures.address", f"“{text[:60]}” is no address of a picture. It begins with https:// or http://."
        )
    return True


def _name(text: str) -> str:
    """The name of a file, without the folders before it."""
    found = text.replace("\\", "/").rstrip("/").rpartition("/")[2].strip()
    if not found:
        raise Refused.because("pictures.name", f"“{text[:60]}” names no file.")
    return found


def read_alts(text: str) -> tuple[str, ...]:
    """What pictures show, in their order; "" where nothing is said of one. Raises Refused."""
    found = tuple(re.sub(r"\s+", " ", one) for one in bars.parted(text, by_lines=False))
    if any(len(one) > LONGEST_ALT for one in found):
        raise Refused.because("pictures.alt", f"An alt text has at most {LONGEST_ALT} signs.")
    return found


_NAMED = re.compile(r"(.*)\.([0-9a-f]{64})(\.[^.]+)?")


def name_in_zip(file_name: str, sha256: str, ending: str) -> str:
    """What a file of a library is called beside a table that goes out: by it the very file is known again."""
    plain = re.sub(r"[|/\\\s]+", "-", file_name.rpartition(".")[0] or file_name)[:80].strip("-.") or "picture"
    return f"{plain}.{sha256}.{ending}"


def of_name(text: str) -> tuple[str, str]:
    """The sha256 in such a name, "" where there is none, and the name without it."""
    found = _NAMED.fullmatch(text)
    return (found[2], f"{found[1]}{found[3] or ''}") if found else ("", text)


def own_sha(text: str) -> str:
    """The sha256 of the file of a library that an address gives out, "" where it is none."""
    found = _OURS.search(text)
    return found[1] if found else ""


# --- what the rows of a product make of it -------------------------------------------------------------------

#: Of a variant: its id, or the row that makes it.
Variant = Hashable
#: Of a picture: its file, or the address that it is fetched from.
Key = Hashable


@dataclass(frozen=True)
class Says:
    """What a row says. ``variant``: None where it speaks of the product; ``alts``: of those pictures that have one."""

    variant: Variant | None
    pictures: Sequence[Key]
    alts: Mapping[Key, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Shown:
    """A picture of a product. ``by``: the variants that show it, None for all."""

    key: Key
    alt: str = ""
    by: frozenset[Variant] | None = None


def seen_by(variant: Variant, pictures: Sequence[Shown]) -> list[Key]:
    """The pictures that a variant shows, in their order."""
    return [one.key for one in pictures if one.by is None or variant in one.by]


def plan(says: Sequence[Says], there: Sequence[Shown], variants: Collection[Variant]) -> list[Shown] | None:
    """The pictures that a product shows after the rows; None where nothing changes.

    ``variants``: all that it will have. What only variants show that no row is about stays, behind the others.
    """
    product = next((one for one in says if one.variant is None), None)
    rows = [one for one in says if one.variant is not None]
    alts: dict[Key, str] = {key: alt for one in reversed(says) for key, alt in one.alts.items() if alt}
    known = {one.key: one for one in there}
    if _is_so(product, rows, there) and all(known[key].alt == alt for key, alt in alts.items() if key in known):
        return None
    order = _order([one.pictures for one in ([product] if product else []) + rows])
    about = {one.variant for one in rows}
    found = [_shown(key, rows, product, known.get(key), about, frozenset(variants), alts) for key in order]
    if product is None:
        kept = [(one, (frozenset(variants) if one.by is None else one.by) - about) for one in there]
        found += [replace(one, by=by) for one, by in kept if by and one.key not in order]
    return found


def _is_so(product: Says | None, rows: Sequence[Says], there: Sequence[Shown]) -> bool:
    if product and [one.key for one in there] != list(product.pictures):
        return False
    return all(seen_by(one.variant, there) == list(one.pictures) for one in rows)


def _shown(
    key: Key,
    rows: Sequence[Says],
    product: Says | None,
    known: Shown | None,
    about: set[Variant],
    variants: frozenset[Variant],
    alts: Mapping[Key, str],
) -> Shown:
    alt = alts.get(key, known.alt if known else "")
    saying = frozenset(one.variant for one in rows if key in one.pictures and one.variant is not None)
    if product and key in product.pictures and not saying:
        return Shown(key, alt, known.by if known else None)
    others = (variants if known is None or known.by is None else known.by) - about if known else frozenset()
    by = saying | others
    return Shown(key, alt, None if by >= variants else by)


def _order(lists: Sequence[Sequence[Key]]) -> list[Key]:
    """One order of several: what a later list has besides stands behind what it has it behind."""
    found: list[Key] = []
    for one in lists:
        place = 0
        for key in one:
            if key in found:
                place = found.index(key) + 1
            else:
                found.insert(place, key)
                place += 1
    return found
