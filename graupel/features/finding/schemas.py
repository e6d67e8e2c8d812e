"""What the search over everything is asked."""

from graupel.web.sent import Search, Sent


class Wanted(Sent):
    """What somebody looks for, as it is typed."""

    q: Search = ""
