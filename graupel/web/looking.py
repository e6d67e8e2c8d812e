"""Pages that many services have a part in, read in one transaction."""

from collections.abc import Callable
from functools import wraps

from fastapi.responses import Response

from graupel.context import Context


def at_once(page: Callable[..., Response]) -> Callable[..., Response]:
    """Of a page that only reads: all of it is of one transaction, so what several parts need is read once."""

    @wraps(page)
    def run(*given: object, ctx: Context, **named: object) -> Response:
        return ctx.db.look(lambda _: page(*given, ctx=ctx, **named))

    return run
