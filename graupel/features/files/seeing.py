"""Goods that go out as a lens shows them: words in its language, amounts as they are asked at its destination."""

from collections.abc import Sequence
from dataclasses import dataclass

from graupel.context import Context
from graupel.core import guessing, languages
from graupel.core.attributes import Attribute
from graupel.core.declarations.products import AMOUNTS, WORDS
from graupel.core.errors import Refused
from graupel.core.resolve import Lens
from graupel.db import Tx
from graupel.features.categories import service as categories
from graupel.features.categories.tree import Tree
from graupel.features.destinations import service as destinations
from graupel.features.destinations.service import Destinations
from graupel.features.products import resolving
from graupel.features.products.resolving import ASKED, LensSelect
from graupel.features.vocabulary import service as vocabulary
from graupel.features.vocabulary.service import Vocabulary

#: What is seen otherwise through a lens, by the names of columns.
FIELDS = (*WORDS, *AMOUNTS)


@dataclass(frozen=True)
class Seeing:
    """A lens through which a file is written. ``name``: of its destination and its language."""

    ctx: Context
    tx: Tx
    lens: Lens
    name: str
    tree: Tree
    words: Vocabulary

    def head(self, header: str) -> str:
        """What heads a column of it: no header that files coming in are matched by, for a word may be another one's."""
        return guessing.seen_as(header, self.name)

    def select(self, fields: Sequence[str]) -> LensSelect:
        """SQL of these fields of all variants; the price is what is asked."""
        asked = [ASKED if name == "price" else name for name in fields]
        return resolving.select(self.tx, self.lens, asked, self.ctx.settings.language)

    @property
    def currency(self) -> str:
        """In which its amounts are."""
        return self.lens.currency or self.ctx.settings.currency

    def path(self, category_id: int) -> str | None:
        """A category's path in its language."""
        return self.tree.path(category_id)

    def attribute(self, attribute: Attribute) -> Attribute:
        """An attribute with the labels of its language."""
        return self.words.attributes.get(attribute.id, attribute)


def _refuse_unknown(found: Destinations, key: str) -> None:
    """A page shows the default lens where one is gone; a file that is asked for must not be another than that."""
    head, _, tail = key.partition(".")
    languages_there = {"", found.default_language, *found.languages}
    codes = {one.code for one in found.all}
    if not ((head in codes and tail in languages_there) or (not tail and head in languages_there)):
        said = f"There is no lens “{key}”: say a destination and a language that are there, such as s2.de or de."
        raise Refused.because("lens.unknown", said, "lens")


def through(ctx: Context, tx: Tx, key: str) -> Seeing | None:
    """The lens that an address carries; None for the default one, through which nothing is seen otherwise. Raises
    Refused where there is none such."""
    if not key:
        return None
    found = destinations.current(ctx, tx)
    _refuse_unknown(found, key)
    lens = found.read(key)
    if lens.is_default:
        return None
    where = found.by_code(lens.destination).name
    name = f"{where}, {languages.name(lens.lang or found.default_language)}"
    return Seeing(ctx, tx, lens, name, categories.through(ctx, tx, lens), vocabulary.through(ctx, tx, lens))
