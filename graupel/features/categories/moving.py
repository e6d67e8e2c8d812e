"""Many categories that are moved, renamed and put in order within one act."""

from collections.abc import Mapping

from graupel.core import categories as rules
from graupel.core import trees
from graupel.core.categories import CATEGORY_SEPARATOR
from graupel.db import Tx
from graupel.features.categories import kinds, service, store
from graupel.features.history import service as history


def arrange(tx: Tx, recorder: history.Recorder, wanted: Mapping[int, int]) -> None:
    """Put categories at places among those beside them, by their ids, 1 the first."""
    store.lock_trees(tx)
    places = store.places(tx)
    for one, stands in trees.arrange(places, wanted).items():
        kinds.place(tx, recorder.change_set_id, one, places[one], stands)


class Moves:
    """Reads the trees once, holds them, and follows what it does to them. Where an act of it is refused, or another
    changes the trees, what it knows holds no longer: a new one is to be made."""

    def __init__(self, tx: Tx, recorder: history.Recorder) -> None:
        self._tx, self._recorder = tx, recorder
        store.lock_trees(tx)
        self._read()

    def _read(self) -> None:
        self._places = store.places(self._tx)
        self._names = {one.id: one.name for one in service.load(self._tx)}
        self._below = trees.children(self._places)
        self._levels = {(place.parent, self._names[one].lower()): one for one, place in self._places.items()}

    def at(self, tree_id: int, within: str) -> int | None:
        """The category, or for no path the tree as core.trees has it, on a way down from the top of a tree."""
        found: int | None = -tree_id
        for name in within.split(CATEGORY_SEPARATOR) if within else ():
            found = None if found is None else self._levels.get((found, name.lower()))
        return found

    def tree_of(self, category_id: int) -> int:
        """The tree in which a category stands."""
        top = trees.way(self._places, category_id)[0]
        return -self._places[top].parent

    def put(self, category_id: int, tree_id: int, above: str, name: str, *, hidden: bool) -> None:
        """Put one behind all others below a path of a tree, and call it so; what is missing of the path is made,
        ``hidden`` or not. Raises Refused, NotFound, DuplicateKey."""
        parent = self.at(tree_id, above)
        if parent is None:
            parent = service.make_exactly(self._tx, self._recorder, [(tree_id, above)], hidden=hidden)[0]
            self._read()
        if parent != self._places[category_id].parent:
            self._move(category_id, parent)
        if name != self._names[category_id]:
            service.rename_within(self._tx, self._recorder, category_id, name)
            self._call(category_id, parent, rules.parse_name(name))

    def _move(self, category_id: int, parent: int) -> None:
        """What stood behind it moves up once all is done: that follows each change set."""
        stood = self._places[category_id]
        stands = trees.last(self._places, self._below, category_id, parent)
        kinds.place(self._tx, self._recorder.change_set_id, category_id, stood, stands)
        self._places[category_id] = stands
        self._below[stood.parent].remove(category_id)
        self._below.setdefault(parent, []).append(category_id)
        self._levels.pop((stood.parent, self._names[category_id].lower()), None)
        self._call(category_id, parent, self._names[category_id])

    def _call(self, category_id: int, parent: int, name: str) -> None:
        self._levels.pop((parent, self._names[category_id].lower()), None)
        self._levels[parent, name.lower()] = category_id
        self._names[category_id] = name
