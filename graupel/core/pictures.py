"""Which of a product's pictures a variant shows, and what they say to those who can't see them."""

import re
import unicodedata
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from graupel.core.variants import Axis, Combination

TITLE_LENGTH = 200


@dataclass(frozen=True)
class Picture:
    """One picture, video, model or link of a product: a stored file and what is said of it.

    ``choices`` and ``variants``: ids of those it belongs to; where both are empty, it belongs to all.
    """

    media_id: int
    alt: str = ""
    title: str = ""
    choices: tuple[int, ...] = ()
    variants: tuple[int, ...] = ()

    @property
    def is_for_all(self) -> bool:
        """Whether it belongs to no variant in particular."""
        return not self.choices and not self.variants


def belongs(picture: Picture, axes: Sequence[Axis], variant_id: int, combination: Combination) -> bool:
    """Whether a picture was given to this variant, by itself or by its choices.

    Of one axis any of the named choices will do, and each axis of which any is named must fit: "Heather, Oat, 100 g"
    is Heather at 100 g and Oat at 100 g. A choice of what the product does not differ by is nobody's.
    """
    if variant_id in picture.variants:
        return True
    named = set(picture.choices)
    chosen = dict(zip((axis.attribute.id for axis in axes), combination, strict=False))
    wanted = {axis.attribute.id: named & {choice.id for choice in axis.attribute.choices} for axis in axes}
    asked = {key: ids for key, ids in wanted.items() if ids}
    return bool(asked) and all(chosen.get(key) in ids for key, ids in asked.items())


def shown_for(
    pictures: Sequence[Picture], axes: Sequence[Axis], variant_id: int, combination: Combination
) -> list[int]:
    """The places of the pictures that a variant shows, in their order: its own before those for all.

    A variant without its own shows those for all; where there are none of these either, it shows the product's.
    """
    own = [place for place, one in enumerate(pictures) if belongs(one, axes, variant_id, combination)]
    common = [place for place, one in enumerate(pictures) if one.is_for_all]
    return [*own, *common] or list(range(len(pictures)))


def labels_of(picture: Picture, axes: Sequence[Axis], combinations: Mapping[int, Combination]) -> list[str]:
    """What a picture belongs to, in words: the labels of its choices, then those of its variants.

    ``combinations``: of the product's variants, by id.
    """
    known = {choice.id: choice.label for axis in axes for choice in axis.attribute.choices}
    by_choice = [known[one] for one in picture.choices if one in known]
    single = [
        ", ".join(known[one] for one in combinations[variant] if one in known)
        for variant in picture.variants
        if variant in combinations
    ]
    return by_choice + single


def suggest_alts(name: str, belonging: Sequence[Sequence[str]]) -> list[str]:
    """An alt text for each picture from the product's name and what the picture belongs to: "Fellside aran, Heather".

    Of several that belong to the same, the further ones are told apart: "Fellside aran, Heather, view 2".
    """
    seen: dict[tuple[str, ...], int] = {}
    said = []
    for labels in belonging:
        key = tuple(labels)
        seen[key] = seen.get(key, 0) + 1
        words = [name, *labels] + ([f"view {seen[key]}"] if seen[key] > 1 else [])
        said.append(", ".join(word for word in words if word))
    return said


def _words(text: str) -> list[str]:
    plain = "".join(c for c in unicodedata.normalize("NFKD", text.casefold()) if not unicodedata.combining(c))
    return re.findall(r"[a-z]+|\d+|[^\W\da-z_]+", plain)


def _last_place(words: Sequence[str], text: Sequence[str]) -> int:
    """Where the words stand in the text for the last time; -1 where they don't."""
    places = [at for at in range(len(text) - len(words) + 1) if list(text[at : at + len(words)]) == list(words)]
    return places[-1] if places and words else -1


def guess_choices(file_name: str, axes: Sequence[Axis]) -> tuple[int, ...]:
    """The choices that a file's name tells of: "fellside-dark-heather-2.jpg" is for Dark heather.

    Of one axis the longest label that stands in the name as whole words, of equally long ones the last, for the
    product's own name stands before it; a code of two letters or more where no label does. "heather" does not mean
    Dark heather, and "dark-heather" does not mean Heather.
    """
    stem = file_name.rsplit(".", 1)[0]
    text, parts = _words(stem), set(re.split(r"[^a-z0-9]+", stem.casefold()))
    found = []
    for axis in axes:
        placed = [(_words(one.label), one.id) for one in axis.choices]
        named = [(len(words), at, key) for words, key in placed if (at := _last_place(words, text)) >= 0]
        coded = [one.id for one in axis.choices if len(one.code) > 1 and one.code.casefold() in parts]
        if named:
            found.append(max(named)[2])
        elif len(coded) == 1:
            found.append(coded[0])
    return tuple(found)
