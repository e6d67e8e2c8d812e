"""What products have several of in this area and before, as columns of files: tags and further categories."""

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from functools import lru_cache

from graupel.core.categories import parse_category_path
from graupel.core.file_columns import TAGS_ID, ListColumn
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.history.service import Recorder
from graupel.features.products.batch import lists as batch_lists
from graupel.features.products.batch.lists import FURTHER, Listed, Read
from graupel.features.vocabulary import service as vocabulary


def lists(tx: Tx, read: Read) -> Iterator[Listed]:
    """The lists, as a transaction sees them."""
    tags = ListColumn(TAGS_ID, "Tags", ("tags",), "its tags", lambda _: None, made=True)
    yield Listed(
        tags, "tagging", "tagging_record", "tag_id", _tags_called, "record_id", {"kind": "product"}, make=_make_tags
    )
    further = ListColumn(
        FURTHER,
        "Further categories",
        ("further categories", "other categories", "additional categories", "weitere kategorien"),
        "paths such as Yarn > Aran beside the main category, parted by |; made where they are not there yet",
        _finder(read),
        made=True,
    )
    yield Listed(
        further, "product_category", "product_category_once", "category_id", _paths, make=categories.make_paths
    )


def _finder(read: Read) -> Callable[[str], int | None]:
    """What finds categories; the tree is read when the first is looked for."""
    tree = lru_cache(1)(lambda: read(categories.load))

    @lru_cache(20_000)
    def find(text: str) -> int | None:
        found: int | None = tree().find(parse_category_path(text))
        return found

    return find


def _paths(tx: Tx, ids: Collection[int]) -> Mapping[int, str]:
    tree = categories.load(tx) if ids else None
    return {one: path for one in ids if tree and (path := tree.path(one))}


def _tags_called(tx: Tx, ids: Collection[int]) -> Mapping[int, str]:
    return vocabulary.names_of(tx, "tag") if ids else {}


def _make_tags(tx: Tx, recorder: Recorder, names: Sequence[str]) -> Mapping[str, int]:
    return {name: vocabulary.make_within(tx, recorder, "tag", name) for name in names}


def register() -> None:
    """Let them come and go with files."""
    batch_lists.register(lists)
