"""What the library of media sends and asks."""

from graupel.core.media import MediaKind
from graupel.features.media.library import Wanted
from graupel.web.sent import File, Ids, Marks, Maybe, MaybeWhole, Search, Sent, Texts, Ticked


class Uploaded(Sent):
    """One file."""

    file: File = None


class Link(Sent):
    """A video or recording elsewhere."""

    address: str = ""
    title: str = ""


class Shelf(Sent):
    """What of the library is looked at; ``pictures``: nothing else."""

    q: Search = ""
    kind: Maybe[MediaKind] = None
    unused: Ticked = False
    tag: MaybeWhole = None
    before: MaybeWhole = None
    pictures: Ticked = False

    @property
    def wanted(self) -> Wanted:
        return Wanted(self.q, self.kind, self.unused, self.tag, self.before)


class Chosen(Sent):
    """Files that were ticked."""

    chosen: Ids = ()


class Typed(Sent):
    """Name, poster and tags of a file."""

    file_name: str = ""
    poster_id: MaybeWhole = None
    tags: Texts = ()
    marks: Marks = None


class Successor(Uploaded):
    """The file that takes another's place: one that comes in now, or one of the library."""

    from_library: MaybeWhole = None
    keep_old: Ticked = False


class Shown(Sent):
    """``replaced``: a file that was just put in another's place."""

    replaced: Ticked = False
