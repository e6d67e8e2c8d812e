"""Categories as rows of a file: each by its path, with its texts, its picture and how it is shown."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from types import MappingProxyType
from typing import Any

from graupel.context import Context
from graupel.core import bars, file_facts, record_cells, record_columns, record_declared
from graupel.core import categories as rules
from graupel.core.attributes import Fact
from graupel.core.categories import CATEGORY_SEPARATOR, CategoryKind, CategoryValues, Layout
from graupel.core.errors import Refused
from graupel.core.file_columns import fact_column
from graupel.core.file_facts import NewChoices
from graupel.core.problems import Problem
from graupel.core.record_files import RowsAre
from graupel.db import Tx
from graupel.features.categories import editing
from graupel.features.categories import service as categories
from graupel.features.categories.moving import Moves, arrange
from graupel.features.files.records import clerks
from graupel.features.files.records.clerks import Held, Said
from graupel.features.history import service as history
from graupel.features.media import service as media
from graupel.features.products.batch import pictures
from graupel.features.products.out_pictures import Places
from graupel.features.vocabulary import service as vocabulary

#: By field the column of its words.
_WORDS = {name: name for name in rules.WORDS}
_PLAIN = ("link", "canonical", *rules.TEXTS)


class CategoryClerk:
    """All categories of all trees."""

    def __init__(
        self, ctx: Context, tx: Tx, langs: Sequence[str], members: Mapping[str, str] = MappingProxyType({})
    ) -> None:
        """``members``: names of files beside the table in a zip, by their names in small letters."""
        self._attributes = {fact_column(one.id): one for one in vocabulary.load(tx).attributes.values()}
        self.columns = record_columns.columns_of(RowsAre.CATEGORY, langs, self._attributes.values())
        self._ctx, self._tx, self._langs, self._members = ctx, tx, langs, members
        self._places = Places(ctx.settings.address.rstrip("/"))
        self._tree = categories.load(tx)
        self._held: dict[int, Held] = {}
        self._at: dict[str, int] = {}
        self._moves: Moves | None = None
        #: By id the places that rows want.
        self._wanted: dict[int, int] = {}
        self._read(list(self._tree.by_id))

    def _read(self, ids: Collection[int]) -> None:
        there = editing.everything(self._ctx, self._tx)
        wanted = [there[one].picture_id for one in ids]
        shown = media.by_ids(self._tx, [one for one in wanted if one])
        own = clerks.own_words(self._tx, "category", list(ids), self._langs, _WORDS)
        facts = editing.own_fields(self._tx, list(ids))
        stands = self._stands()
        for one in ids:
            picture = self._picture(shown.get(there[one].picture_id or 0))
            values = {**self._values(there[one], picture), "new_path": self._tree.path(one), "place": stands[one]}
            values |= self._fields(facts.get(one, {}))
            self._held[one] = Held("category", one, {**values, **own.get(one, {})})

    def _stands(self) -> dict[int, str]:
        """Where each stands among those beside it."""
        levels = [tree.below for tree in self._tree]
        levels += [tuple(one.id for one in self._tree.tops(tree_id)) for tree_id in self._tree.trees]
        return {one: str(place) for level in levels for place, one in enumerate(level, 1)}

    def _fields(self, facts: Mapping[int, Fact]) -> dict[str, str]:
        """Fields of a category's own as the file has them; those of a product alone are none of a file's."""
        named = {fact_column(key): fact for key, fact in facts.items()}
        return {
            name: file_facts.show_in_file(self._attributes[name], fact)
            for name, fact in named.items()
            if name in self._attributes
        }

    def _picture(self, found: media.Media | None) -> str:
        """What names a picture of the library."""
        return self._places.of(found.sha256, found.format, found.address, found.file_name) if found else ""

    @staticmethod
    def _values(values: CategoryValues, picture: str) -> dict[str, str]:
        found = {name: getattr(values, name) for name in _PLAIN} | {"picture": picture}
        found |= {"kind": record_declared.PLACES[values.kind], "layout": record_declared.LAYOUTS[values.layout]}
        found |= {"shown": "no" if values.hidden else "yes", "in_navigation": "yes" if values.in_navigation else "no"}
        return found | {"tags": bars.joined(sorted(values.tags, key=str.casefold))}

    def named(self, said: Said) -> str:
        """Its path."""
        return said["path"]

    def understood(self, said: Said) -> Said:
        """With its picture as the library names it, or where it is to be fetched. Raises Refused."""
        there = self.held(said)
        if not said.get("picture") or (there and there.values["picture"] == said["picture"]):
            return said
        found = self._picture_meant(said["picture"])
        if isinstance(found, Problem):
            raise Refused([found.at(field="picture")])
        if isinstance(found, str):
            return said
        return {**said, "picture": self._picture(media.by_ids(self._tx, [found])[found])}

    def _picture_meant(self, text: str) -> Any:
        """The id of a picture in the library, its address elsewhere, or why it is not found."""
        return pictures.found(self._tx, {text}, self._members)[text]

    def held(self, said: Said) -> Held | None:
        """The category at a path; None where it is not there."""
        found = self._id_of(said)
        return self._held.get(found) if found else None

    def _id_of(self, said: Said) -> int | None:
        """The category of a row, also where it stands at its new path already."""
        there = self._at.get(said["path"].casefold()) or self._tree.find(said["path"])
        return there or (self._tree.at(said["new_path"]) if said.get("new_path") else None)

    def in_order(self, rows: Sequence[Said]) -> list[int]:
        """Parents before what stands below them."""
        return sorted(range(len(rows)), key=lambda at: rows[at]["path"].count(CATEGORY_SEPARATOR))

    def begin(self, recorder: history.Recorder, rows: Sequence[Said]) -> list[str]:
        """Make all paths that are not there; a new category is hidden until it is said to be shown."""
        above = self._missing_above(rows)
        paths = [row["path"] for row in rows if self._id_of(row) is None and not _moves(row)]
        if not paths:
            return above
        made = categories.make_paths(self._tx, recorder, paths, hidden=True)
        self._at |= {path.casefold(): one for path, one in made.items()}
        said = {path.casefold() for path in paths}
        missing = dict.fromkeys(one for path in paths for one in self._tree.missing(path))
        return [*(one for one in missing if one.casefold() not in said), *(one for one in above if one not in missing)]

    def _missing_above(self, rows: Sequence[Said]) -> list[str]:
        """What is made above categories that move, unless another row brings it there."""
        coming = {row["new_path"].casefold() for row in rows if _moves(row)}
        wanted = [row["new_path"].rpartition(CATEGORY_SEPARATOR)[0] for row in rows if _moves(row)]
        missing = dict.fromkeys(one for path in wanted if path for one in self._tree.missing(path))
        return [one for one in missing if one.casefold() not in coming]

    def write(self, recorder: history.Recorder, said: Said) -> Held:
        """Make a category what a row says. Raises Refused."""
        try:
            return self._written(recorder, said)
        except Exception:  # nothing of it stays: what was known of the trees is to be read again
            self._moves = None
            raise

    def _written(self, recorder: history.Recorder, said: Said) -> Held:
        if self._id_of(said) is None and _moves(said):
            what = f"There is no category “{said['path']}” that could become “{said['new_path']}”."
            raise Refused([Problem("category.none", what, "path")])
        category_id = self._id_of(said) or self._made(recorder, said["path"])
        if said.get("new_path"):
            self._move(recorder, category_id, said["new_path"])
        there = editing.values_of(self._ctx, self._tx, category_id)
        values = self._said_values(there, said)
        if values.kind is CategoryKind.LINK and not values.link:
            raise Refused([Problem("category.link", "Say where the link leads, such as /shop/p/12.", "link")])
        editing.write(self._ctx, self._tx, recorder, category_id, there, values)
        held = self._held.get(category_id) or Held("category", category_id, self._values(there, ""))
        clerks.write_words(self._tx, recorder, held, said, _WORDS, vars(values))
        made = replace(held, values={**held.values, **{name: said[name] for name in said if name != "path"}})
        self._held[category_id] = made
        self._at[said["path"].casefold()] = category_id
        if "place" in said:
            self._wanted[category_id] = int(said["place"])
        return made

    def end(self, recorder: history.Recorder) -> None:
        """Put those in order of which rows say their places."""
        if self._wanted:
            arrange(self._tx, recorder, self._wanted)

    def _move(self, recorder: history.Recorder, category_id: int, path: str) -> None:
        """Put a category where its new path says, in its tree where that names none. Raises Refused."""
        self._moves = moves = self._moves or Moves(self._tx, recorder)
        named, within = self._tree.split(path)
        tree_id, (above, _, name) = named or moves.tree_of(category_id), within.rpartition(CATEGORY_SEPARATOR)
        if moves.at(tree_id, within) not in (None, category_id):
            what = f"There is a category “{path}” already. Its goods can be moved, and one of the two be deleted."
            raise Refused([Problem("category.taken", what, "new_path")])
        # What is made above it is shown where it is itself: its goods would be gone from the shop.
        hidden = editing.values_of(self._ctx, self._tx, category_id).hidden
        moves.put(category_id, tree_id, above, name, hidden=hidden)

    def _made(self, recorder: history.Recorder, path: str) -> int:
        self._moves = None
        return categories.make_path(self._tx, recorder, path)

    def _said_values(self, there: CategoryValues, said: Said) -> CategoryValues:
        found: dict[str, Any] = {name: said[name] for name in _PLAIN if name in said}
        if "kind" in said:
            found["kind"] = CategoryKind(record_cells.kept_of(record_declared.PLACES, said["kind"]))
        if "layout" in said:
            found["layout"] = Layout(record_cells.kept_of(record_declared.LAYOUTS, said["layout"]))
        if "shown" in said:
            found["hidden"] = said["shown"] == "no"
        if "in_navigation" in said:
            found["in_navigation"] = said["in_navigation"] == "yes"
        if "tags" in said:
            found["tags"] = tuple(one for one in bars.parted(said["tags"]) if one)
        if "picture" in said:
            meant = self._picture_meant(said["picture"]) if said["picture"] else None
            found["picture_id"] = there.picture_id if isinstance(meant, str) else meant  # fetched afterwards
        if own := self._attributes.keys() & said.keys():
            found["facts"] = self._said_fields(there.facts, {name: said[name] for name in own})
        return replace(there, **found)

    def _said_fields(self, there: Mapping[int, Fact], said: Said) -> dict[int, Fact]:
        found = dict(there)
        for name, text in said.items():
            attribute = self._attributes[name]
            found[attribute.id] = file_facts.reader(attribute, NewChoices())(text) if text else Fact()
        return {key: fact for key, fact in found.items() if fact}

    def everything(self) -> Iterator[Said]:
        """All of them, in the order of their trees."""
        for one in self._tree:
            values: Mapping[str, str] = self._held[one.id].values
            yield {**values, "path": one.path}


def _moves(said: Said) -> bool:
    """Whether a row says that its category is to stand elsewhere, or be called otherwise."""
    return bool(said.get("new_path")) and said["new_path"] != said["path"]
