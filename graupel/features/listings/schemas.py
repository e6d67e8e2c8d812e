"""What the pages of channels and their part of the product editor send and ask."""

from typing import Annotated

from graupel.core.listings import ListingState
from graupel.web.sent import Among, Maybe, Sent, Whole


class ChannelTyped(Sent):
    """A channel as it is connected or changed; a blank key stays as it is."""

    typed: Annotated[dict[str, str], Among(("kind", "name", "address", "secret"))]

    def given(self, *names: str) -> dict[str, str]:
        return {name: self.typed.get(name, "") for name in names}


class ListingsAsked(Sent):
    """Listings of a channel in one state, or all; ``after``: the id of the last one that was shown."""

    state: Maybe[ListingState] = None
    after: Whole = 0


class Language(Sent):
    """In which language a channel shows goods."""

    lang: str = ""


class Details(Sent):
    """Category and title of a product on a channel."""

    place: str = ""
    title: str = ""
