"""The columns that a file may have whose rows are no goods, and what rows are guessed to be by their headers."""

from collections.abc import Callable, Collection, Iterable, Sequence

from graupel.core import file_columns
from graupel.core.attributes import Attribute
from graupel.core.record_cells import fact
from graupel.core.record_declared import ALL, CATEGORY_NAME, SHARED, WORDED
from graupel.core.record_files import RecordColumn, RecordColumns, RowsAre, words_of


def columns_of(rows_are: RowsAre, langs: Iterable[str] = (), attributes: Iterable[Attribute] = ()) -> RecordColumns:
    """The columns of a file of such rows; ``langs``: the further languages of the shop, ``attributes``: those that all
    goods share, of which categories have fields of their own."""
    keys, declared = ALL[rows_are]
    named = {one.name: one for one in declared}
    worded = {**named, "name": CATEGORY_NAME} if rows_are is RowsAre.CATEGORY else named
    further = [worded[name].in_language(lang) for lang in langs for name in WORDED.get(rows_are, ())]
    columns = named | {one.name: one for one in further}
    if rows_are is RowsAre.CATEGORY:
        taken = frozenset(header for one in columns.values() for header in one.headers)
        columns |= {one.name: one for one in (_own_field(attribute, taken) for attribute in attributes)}
    shared = frozenset(name for name in columns if words_of(name)[1] in SHARED.get(rows_are, ()) and name not in keys)
    return RecordColumns(rows_are, keys, columns, shared)


def _own_field(attribute: Attribute, taken: Collection[str]) -> RecordColumn:
    """A field that categories may have; ``taken``: what heads other columns."""
    as_of_goods = file_columns.field_of(file_columns.fact_column(attribute.id), attribute, (), taken)
    said = as_of_goods.file
    assert said is not None
    read = fact(attribute)
    return RecordColumn(as_of_goods.name, attribute.name, said.help, said.headers, read, as_of_goods.kind)


#: Every name that a column of such a file may have, with its language taken off.
NAMES = tuple(dict.fromkeys(["name", *(one.name for _, declared in ALL.values() for one in declared)]))


def all_headers() -> Iterable[tuple[str, tuple[str, ...]]]:
    """What heads the columns of all such files, with what they are called apart from each other."""
    for rows_are, (_, declared) in ALL.items():
        yield from ((f"{rows_are}-{one.name}", one.headers) for one in declared)


def guess(headers: Sequence[str], goods: int, plain: Callable[[str], str], *, is_named: bool) -> RowsAre:
    """What the rows of a file with these headers are.

    ``goods``: how many of them head columns of goods, ``is_named``: one of these says which of the goods is meant;
    ``plain``: a header as it is compared. Another kind must know its key and more headers than goods do; where goods
    are not named, as many.
    """
    best, most = RowsAre.GOODS, goods + 1 if is_named else goods
    said = [plain(header) for header in headers if plain(header)]
    for rows_are, (keys, declared) in ALL.items():
        known = {one.name: {plain(header) for header in one.headers} for one in declared}
        number = sum(any(header in there for there in known.values()) for header in said)
        if known[keys[0]] & set(said) and number >= most:
            best, most = rows_are, number + 1
    return best
