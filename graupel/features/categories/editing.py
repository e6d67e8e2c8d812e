"""One category as its page has it: read, and written with what others alone changed meanwhile."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from graupel.context import Context
from graupel.core import categories as rules
from graupel.core import showing
from graupel.core.attributes import Fact
from graupel.core.categories import CategoryKind, CategoryValues, Layout
from graupel.core.errors import NotFound, Refused
from graupel.core.problems import Problem
from graupel.core.resolve import (
    CATEGORY,
    OF_CATEGORY,
    Lens,
    ValuePlace,
    of_another_language,
    places,
    places_of,
    resolve,
)
from graupel.core.roles import Actor, Role
from graupel.db import Tx
from graupel.db.rows import picked
from graupel.features.categories import service, store
from graupel.features.categories.rows import CategoryFactRow, CategoryRow, CategoryTextRow
from graupel.features.categories.tree import Category, current
from graupel.features.history import meeting
from graupel.features.history import service as history
from graupel.features.history.meeting import Marks
from graupel.features.media import service as media
from graupel.features.media.service import Media
from graupel.features.vocabulary import facts as fact_rows
from graupel.features.vocabulary import references
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.references import Use
from graupel.features.wording import service as wording


@dataclass(frozen=True)
class CategoryDetail:
    """One category with its words in the default language, its picture, and how many products use it."""

    category: Category
    values: CategoryValues
    version: int
    picture: Media | None
    use: Use
    own: Mapping[str, str] = field(default_factory=dict)
    sources: Mapping[str, str | None] = field(default_factory=dict)


def seen(values: CategoryValues, own: Mapping[str, str], lens: Lens) -> CategoryValues:
    """A category's words as a lens shows them; ``own``: what is written for destinations and languages."""
    where = places(lens, OF_CATEGORY, worded=True)
    found = {
        name: resolve({ValuePlace(CATEGORY): getattr(values, name)} | places_of(own, name, CATEGORY), where)
        for name in ("name", *rules.TEXTS)
    }
    words = {name: one.value or "" for name, one in found.items()} | dict.fromkeys(of_another_language(found, lens), "")
    shown: dict[str, Any] = dict(words)
    return replace(values, **shown)


def read(ctx: Context, actor: Actor, category_id: int) -> CategoryDetail:
    """One of them. Raises NotFound."""
    actor.require(Role.VIEWER)

    return ctx.db.run(lambda tx: _detail(ctx, tx, category_id))


def _detail(ctx: Context, tx: Tx, category_id: int, *, lock: bool = False) -> CategoryDetail:
    row = store.one(tx, category_id, lock=lock)
    if row is None:
        raise NotFound("This category is not there any more.")
    lang = ctx.settings.language
    values = _all_values(ctx, tx, row)
    picture = media.by_ids(tx, [row["picture_id"]]).get(row["picture_id"]) if row["picture_id"] else None
    own = wording.of_record(tx, "category", category_id)
    return CategoryDetail(
        current(ctx, tx).by_id[category_id],
        values,
        row["version"],
        picture,
        references.use_of(tx, "category", category_id, lang),
        {key: held.value for key, held in own.items()},
        {key: held.source for key, held in own.items()},
    )


def _values(row: CategoryRow, text: CategoryTextRow | None, tags: Mapping[int, Sequence[str]]) -> CategoryValues:
    """The values of a row, but for its own fields."""
    said: Mapping[str, Any] = text or {}
    return CategoryValues(
        row["name"],
        CategoryKind(row["kind"]),
        bool(row["hidden"]),
        bool(row["in_navigation"]),
        row["link"],
        canonical=row["canonical"],
        picture_id=row["picture_id"],
        layout=Layout(row["layout"]),
        lead_product_id=row["lead_product_id"],
        tags=tuple(tags.get(row["id"], [])),
        **{name: said.get(name, "") for name in rules.TEXTS},
    )


def everything(ctx: Context, tx: Tx) -> dict[int, CategoryValues]:
    """The values of all categories by id, but for their own fields."""
    rows = store.whole_rows(tx)
    ids = [row["id"] for row in rows]
    texts = {one["category_id"]: one for one in store.texts_of(tx, ids) if one["lang"] == ctx.settings.language}
    tags = vocabulary.tags_of(tx, "category", ids)
    return {row["id"]: _values(row, texts.get(row["id"]), tags) for row in rows}


def own_fields(tx: Tx, ids: Sequence[int]) -> dict[int, dict[int, Fact]]:
    """The fields that categories have of their own, by their ids and those of the attributes."""
    rows: dict[int, list[CategoryFactRow]] = {}
    for row in store.facts_of(tx, ids):
        rows.setdefault(row["category_id"], []).append(row)
    return {one: fact_rows.facts_of(there) for one, there in rows.items()}


def values_of(ctx: Context, tx: Tx, category_id: int) -> CategoryValues:
    """The values of one, locked. Raises NotFound."""
    return _all_values(ctx, tx, service.locked_row(tx, category_id))


def _all_values(ctx: Context, tx: Tx, row: CategoryRow) -> CategoryValues:
    """The values of a row, its own fields among them."""
    category_id = row["id"]
    text = store.text(tx, category_id, ctx.settings.language)
    tags = vocabulary.tags_of(tx, "category", [category_id])
    return replace(_values(row, text, tags), facts=fact_rows.facts_of(store.facts(tx, category_id)))


def save(
    ctx: Context,
    actor: Actor,
    category_id: int,
    typed: CategoryValues,
    marks: Marks = None,
    own: Mapping[str, str] | None = None,
    confirmed: Collection[str] = (),
) -> None:
    """Write what was typed of one category, with what others alone changed since the page was made.

    ``own``: words for a destination or a language by key, those that are not named stay; ``confirmed``: keys of
    translations that hold for the original as it is now.
    Raises Refused, NotFound, and Outdated where both changed the same field.
    """
    actor.require(Role.EDITOR)

    def work(tx: Tx) -> None:
        there = _detail(ctx, tx, category_id, lock=True)
        values, words_own = _brought_together(ctx, tx, there, typed, own or {}, marks)
        with history.change_set(tx, actor, "category.save", f"Category changed: {values.name}") as recorder:
            write(ctx, tx, recorder, category_id, there.values, values)
            words = {name: getattr(values, name) for name in rules.WORDS}
            wording.save(tx, recorder, "category", category_id, {**there.own, **words_own}, words, confirmed)

    service.naming_double(ctx, work)


def write(
    ctx: Context,
    tx: Tx,
    recorder: history.Recorder,
    category_id: int,
    there: CategoryValues,
    values: CategoryValues,
) -> None:
    """Write and record a category's values, ``there`` before. Raises Refused, NotFound."""
    lang = ctx.settings.language
    row, text = service.locked_row(tx, category_id), store.text(tx, category_id, lang)
    if values.kind is not CategoryKind.GOODS and there.kind is CategoryKind.GOODS:
        _refuse_with_goods(references.use_of(tx, "category", category_id, lang))
    if values.picture_id and not any(one.is_picture for one in media.by_ids(tx, [values.picture_id]).values()):
        raise Refused([Problem("category.picture", "This picture is not in the library any more.", "picture_id")])
    plain = ("name", "link", "canonical", "picture_id", "lead_product_id")
    after = {name: getattr(values, name) for name in plain} | {"layout": str(values.layout)}
    after |= {"kind": str(values.kind), "hidden": int(values.hidden), "in_navigation": int(values.in_navigation)}
    if recorder.changed("category", category_id, picked(row, after), after, row["version"] + 1):
        store.update(tx, category_id, after)
    _save_text(tx, recorder, category_id, lang, values, text)
    if values.facts != there.facts:
        save_facts(tx, recorder, category_id, values.facts)
    if values.tags != there.tags:
        tags = [vocabulary.make_within(tx, recorder, "tag", name) for name in values.tags]
        vocabulary.set_tags(tx, recorder, "category", category_id, tags)


def _refuse_with_goods(use: Use) -> None:
    """Only a category with goods may hold goods."""
    if use.products:
        many = showing.plural(use.products, "product stands", "products stand")
        what = f"{many} in this category. Move them to another before it becomes something else."
        raise Refused([Problem("category.has_goods", what, "kind")])


def _brought_together(
    ctx: Context, tx: Tx, there: CategoryDetail, typed: CategoryValues, own: Mapping[str, str], marks: Marks
) -> tuple[CategoryValues, dict[str, str]]:
    """What was typed, with what others alone changed since. Raises Outdated."""
    category_id = there.category.id
    known = vocabulary.current(ctx, tx).attributes

    def label(name: str) -> str:
        if name.startswith("fact-"):
            return known[int(name[5:])].name if int(name[5:]) in known else "A field"
        return rules.LABELS.get(name.rpartition(".")[2], name)

    keys = {"category": [category_id]}
    mine = rules.flat(typed, {**there.own, **own})
    return rules.unflat(meeting.bring_together(tx, keys, marks, mine, rules.flat(there.values, there.own), label))


def _save_text(
    tx: Tx,
    recorder: history.Recorder,
    category_id: int,
    lang: str,
    values: CategoryValues,
    text: Mapping[str, Any] | None,
) -> None:
    after = {name: getattr(values, name) for name in rules.TEXTS}
    if text is None:
        if any(after.values()):
            whole = {"category_id": category_id, "lang": lang, **after}
            recorder.made("category_text", store.insert_text(tx, whole), whole)
    elif recorder.changed("category_text", text["id"], text, after, text["version"] + 1):
        store.update_text(tx, text["id"], after)


def save_facts(tx: Tx, recorder: history.Recorder, category_id: int, facts: Mapping[int, Fact]) -> None:
    """Make a category's own fields these, and record it."""
    there = {(row["attribute_id"], row["choice_id"]): fact_rows.as_kept(row) for row in store.facts(tx, category_id)}
    wanted = fact_rows.rows_of({"category_id": category_id}, facts)
    for key in there.keys() - wanted.keys():
        row = there[key]
        gone = picked(row, store.FACT_FIELDS)
        recorder.removed("category_fact", row["id"], gone, row["version"] + 1)
        store.delete_fact(tx, row["id"])
    for key, values in wanted.items():
        known = there.get(key)
        if known is None:
            recorder.made("category_fact", store.insert_fact(tx, values), values)
            continue
        before, after = (picked(one, fact_rows.FIELDS) for one in (known, values))
        if recorder.changed("category_fact", known["id"], before, after, known["version"] + 1):
            store.update_fact(tx, known["id"], values)
