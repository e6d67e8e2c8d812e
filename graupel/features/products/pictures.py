"""The pictures of a product, and what else stands among them: read, checked, written."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from graupel.core.pictures import Picture
from graupel.core.problems import Problem
from graupel.core.readiness import PictureFacts
from graupel.core.resolve import Lens
from graupel.db import Tx
from graupel.db.rows import picked
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.products import picture_store as store
from graupel.features.products.rows import BelongingRow
from graupel.features.vocabulary.service import Vocabulary
from graupel.features.wording import service as wording

_FIELDS = ("media_id", "position", "alt", "title")


def of_product(tx: Tx, product_id: int) -> tuple[Picture, ...]:
    """A product's pictures in their order, with what they belong to."""
    choices: dict[int, list[int]] = {}
    variants: dict[int, list[int]] = {}
    for row in store.belonging(tx, product_id):
        for into, one in ((choices, row["choice_id"]), (variants, row["variant_id"])):
            if one is not None:
                into.setdefault(row["picture_id"], []).append(one)
    return tuple(
        Picture(
            row["media_id"],
            row["alt"],
            row["title"],
            tuple(sorted(choices.get(row["id"], ()))),
            tuple(sorted(variants.get(row["id"], ()))),
        )
        for row in store.pictures(tx, product_id)
    )


def through(tx: Tx, shown: Sequence[Picture], product_id: int, lens: Lens) -> tuple[Picture, ...]:
    """A product's pictures with the words that a lens shows; what is missing in its language stays as it is."""
    ids = {row["media_id"]: row["id"] for row in store.pictures(tx, product_id)}
    own = wording.of_records(tx, "picture", list(ids.values())) if lens.lang else {}

    def said(picture: Picture, name: str) -> str:
        return _nearest(own.get(ids[picture.media_id], {}), name, lens) or str(getattr(picture, name))

    return tuple(replace(one, alt=said(one, "alt"), title=said(one, "title")) for one in shown)


def main_alts(tx: Tx, pictures: Mapping[int, Mapping[str, Any]], lens: Lens) -> dict[int, str]:
    """The alt texts of main pictures (rows by product id, with their ids) as a lens shows them."""
    own = wording.of_records(tx, "picture", [row["id"] for row in pictures.values()]) if lens.lang else {}
    return {key: _nearest(own.get(row["id"], {}), "alt", lens) or row["alt"] for key, row in pictures.items()}


def _nearest(own: Mapping[str, wording.Own], name: str, lens: Lens) -> str:
    """What a picture says in the first language of a lens that has it; "" for the default one."""
    return next((own[key].value for lang in lens.chain if lang and (key := f".{lang}.{name}") in own), "")


def facts(shown: Iterable[tuple[Media, Picture]]) -> list[PictureFacts]:
    """The measured facts of what is a picture; videos, models and links are none."""
    return [PictureFacts(file.width, file.height, picture.alt) for file, picture in shown if file.is_picture]


def problems(tx: Tx, wanted: Sequence[Picture], variants: Collection[int], words: Vocabulary) -> list[Problem]:
    """What keeps pictures from being saved. ``variants``: the ids of those that the product has."""
    ids = [picture.media_id for picture in wanted]
    if len(set(ids)) != len(ids) or len(media.by_ids(tx, ids)) != len(ids):
        return [Problem("pictures.unknown", "A picture is there twice or not there any more.", "pictures")]
    known = {choice.id for attribute in words.attributes.values() for choice in attribute.choices}
    for picture in wanted:
        if not known.issuperset(picture.choices) or not set(picture.variants) <= set(variants):
            return [
                Problem("pictures.belong", "A picture belongs to variants that are not there any more.", "pictures")
            ]
    return []


def save(tx: Tx, recorder: history.Recorder, product_id: int, wanted: Sequence[Picture]) -> None:
    """Make a product's pictures what is wanted, in this order."""
    there = {row["media_id"]: row for row in store.pictures(tx, product_id)}
    belonging: dict[int, list[BelongingRow]] = {}
    for row in store.belonging(tx, product_id):
        belonging.setdefault(row["picture_id"], []).append(row)
    for media_id in there.keys() - {picture.media_id for picture in wanted}:
        gone = there[media_id]
        for row in belonging.get(gone["id"], ()):
            _remove_belonging(tx, recorder, product_id, row)
        was = {"product_id": product_id, **picked(gone, _FIELDS)}
        recorder.removed("picture", gone["id"], was, gone["version"] + 1)
        store.delete_picture(tx, gone["id"])
    for position, picture in enumerate(wanted):
        values: dict[str, Any] = {
            "media_id": picture.media_id,
            "position": position,
            "alt": picture.alt,
            "title": picture.title,
        }
        known = there.get(picture.media_id)
        if known is None:
            values |= {"product_id": product_id}
            picture_id = store.insert_picture(tx, values)
            recorder.made("picture", picture_id, values)
        else:
            picture_id = known["id"]
            if recorder.changed("picture", picture_id, known, values, known["version"] + 1):
                store.update_picture(tx, picture_id, values)
        _save_belonging(tx, recorder, product_id, picture_id, picture, belonging.get(picture_id, ()))


def copy_words(tx: Tx, recorder: history.Recorder, original_id: int, copy_id: int) -> None:
    """What is written of a product's pictures in other languages, for the same pictures of its copy."""
    there = {row["media_id"]: row for row in store.pictures(tx, copy_id)}
    own = wording.of_records(tx, "picture", [row["id"] for row in store.pictures(tx, original_id)])
    for row in store.pictures(tx, original_id):
        texts = {key: held.value for key, held in own.get(row["id"], {}).items()}
        if texts and row["media_id"] in there:
            words = {"alt": row["alt"], "title": row["title"]}
            wording.save(tx, recorder, "picture", there[row["media_id"]]["id"], texts, words)


def _save_belonging(
    tx: Tx,
    recorder: history.Recorder,
    product_id: int,
    picture_id: int,
    picture: Picture,
    rows: Iterable[Mapping[str, Any]],
) -> None:
    there = {(row["variant_id"], row["choice_id"]): row for row in rows}
    wanted = {(None, choice) for choice in picture.choices} | {(variant, None) for variant in picture.variants}
    for key in there.keys() - wanted:
        _remove_belonging(tx, recorder, product_id, there[key])
    for variant_id, choice_id in sorted(wanted - there.keys(), key=str):
        values = {
            "product_id": product_id,
            "picture_id": picture_id,
            "variant_id": variant_id,
            "choice_id": choice_id,
        }
        recorder.made("picture_for", store.insert_belonging(tx, values), values)


def _remove_belonging(tx: Tx, recorder: history.Recorder, product_id: int, row: Mapping[str, Any]) -> None:
    values = {"product_id": product_id, **picked(row, ("picture_id", "variant_id", "choice_id"))}
    recorder.removed("picture_for", row["id"], values, row["version"] + 1)
    store.delete_belonging(tx, row["id"])
