"""The choices of an attribute written as its page has them: labels, codes, swatches and their order."""

from collections.abc import Mapping
from typing import Any, cast

from graupel.core.attributes import Attribute
from graupel.core.errors import Refused
from graupel.db import Tx
from graupel.db.rows import picked
from graupel.features.history import service as history
from graupel.features.vocabulary import store
from graupel.features.vocabulary.rows import ChoiceRow

CHOICE_FIELDS = ("attribute_id", "label", "code", "swatch", "swatch_media_id", "position")


def write(tx: Tx, recorder: history.Recorder, attribute: Attribute, wanted: Mapping[str, Any]) -> None:
    """Make the choices of an attribute what is wanted, as attributes.flat has it, and record it. Raises Refused."""
    rows = {row["id"]: row for row in store.choices(tx, [attribute.id])}
    now = dict(rows)
    _refuse_gone_pictures(tx, attribute, wanted)
    order = {choice_id: place for place, choice_id in enumerate(wanted["order"])}
    for one in attribute.choices:
        label, code, swatch, swatch_media_id = wanted[f"choice-{one.id}"]
        before = picked(rows[one.id], CHOICE_FIELDS)
        after = before | {"label": label, "code": code, "swatch": swatch, "swatch_media_id": swatch_media_id}
        after["position"] = order.get(one.id, before["position"])
        if recorder.changed("attribute_choice", one.id, before, after, rows[one.id]["version"] + 1):
            _update_choice(tx, now, one.id, after)


def _refuse_gone_pictures(tx: Tx, attribute: Attribute, wanted: Mapping[str, Any]) -> None:
    pictures = {one.label: wanted[f"choice-{one.id}"][3] for one in attribute.choices}
    there = store.pictures_there(tx, sorted({media_id for media_id in pictures.values() if media_id}))
    lost = [label for label, media_id in pictures.items() if media_id and media_id not in there]
    if lost:
        raise Refused.because("choice.picture", f"The picture chosen for {lost[0]} is not in the library any more.")


def _update_choice(tx: Tx, now: dict[int, ChoiceRow], choice_id: int, after: Mapping[str, Any]) -> None:
    """Write one choice; one that still holds the wanted code or label steps aside first, for they may be swapped."""
    for other in list(now.values()):
        if other["id"] != choice_id and (other["code"] == after["code"] or other["label"] == after["label"]):
            now[other["id"]] = {**other, "code": f"~{other['id']}", "label": f"~{other['id']}"}
            store.update_choice(tx, other["id"], now[other["id"]])
    store.update_choice(tx, choice_id, after)
    now[choice_id] = cast(ChoiceRow, {**now[choice_id], **after})
