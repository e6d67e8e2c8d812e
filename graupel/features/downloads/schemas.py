"""What the pages of downloads are sent."""

from typing import Annotated

from pydantic import Field, StringConstraints

from graupel.features.downloads.service import COUNTS, SWITCHES, Wish
from graupel.web.sent import Among, Marks, MaybeIds, MaybeWhole, Sent, Texts

Key = Annotated[str, StringConstraints(min_length=1, max_length=300)]


class Came(Sent):
    """A file that came whole: under which key, what it is called, with which product it is given."""

    upload: Key
    file_name: Annotated[str, StringConstraints(min_length=1, max_length=1000)]
    product: MaybeWhole = None


class DownloadTyped(Sent):
    """What is said of a download, as typed."""

    typed: Annotated[dict[str, str], Among(("name", "plays", *SWITCHES, *COUNTS))] = Field(default_factory=dict)
    marks: Marks = None


class UsesTyped(Sent):
    """The downloads of a product, a row each, with one of its variants or with all; and one more."""

    downloads: Texts = ()
    variants: MaybeIds = ()
    add: MaybeWhole = None
    marks: Marks = None

    @property
    def wishes(self) -> list[Wish]:
        """What is wanted, in its order."""
        ids = [int(one) for one in self.downloads if one.isascii() and one.isdigit() and len(one) < 12]
        variants = [*self.variants, *([None] * len(ids))]
        found = [Wish(download_id, variant) for download_id, variant in zip(ids, variants, strict=False)]
        return [*found, *([Wish(self.add, None)] if self.add else [])]
