"""Files that buyers hand in with a choice: kept under the hash of their bytes, given out to who may see the order."""

import hashlib
import secrets
from datetime import timedelta
from pathlib import Path

from graupel import storage
from graupel.context import Context
from graupel.db import Tx
from graupel.features.orders import basket_store as store
from graupel.features.orders.rows import BuyerFileRow

#: Where a choice does not say how large a file may be.
MOST_MEGABYTES = 20
#: What no order names after so long is thrown away.
ABANDONED = timedelta(days=40)


def path_of(ctx: Context, sha256: str) -> Path:
    """Where the bytes lie."""
    return ctx.settings.data_folder / "buyers" / sha256[:2] / sha256


def keep(ctx: Context, name: str, content: bytes) -> str:
    """Keep a file; returns under what it is known, which can't be guessed. Raises NoRoom."""
    sha256 = hashlib.sha256(content).hexdigest()
    path = path_of(ctx, sha256)
    if not path.exists():
        storage.write(path, content)
    kept_as = secrets.token_urlsafe(30)
    plain = Path(name.replace("\\", "/")).name[:200] or "file"
    values = {"kept_as": kept_as, "sha256": sha256, "name": plain, "bytes": len(content)}
    ctx.db.run(lambda tx: store.insert_file(tx, values | {"made_at": ctx.now(tx).replace(tzinfo=None)}))
    return kept_as


def find(tx: Tx, kept_as: str) -> BuyerFileRow | None:
    """What is known of a file."""
    return store.files(tx, [kept_as]).get(kept_as)


def throw_away(ctx: Context, tx: Tx, limit: int) -> None:
    """Throw away what was handed in long ago and belongs to no order."""
    before = (ctx.now(tx) - ABANDONED).replace(tzinfo=None)
    for one in store.abandoned_files(tx, before, limit):
        store.delete_file(tx, one["id"])
        if not store.names_bytes(tx, one["sha256"]):
            path_of(ctx, one["sha256"]).unlink(missing_ok=True)
