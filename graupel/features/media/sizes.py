"""The stored bytes on disk, under names made from what they are, and pictures in smaller sizes."""

from pathlib import Path

from graupel import apart, storage
from graupel.context import Context
from graupel.features.media import pictures

#: Name of a size -> the longest side in pixels. "full" is the file as it was taken in.
SIZES = {"thumb": 96, "card": 480, "page": 1200}
FULL = "full"


def path_of(ctx: Context, sha256: str, size: str) -> Path:
    """Where a size of a file lies on disk."""
    return ctx.settings.data_folder / "media" / sha256[:2] / f"{sha256}.{size}"


def write(path: Path, content: bytes) -> None:
    """Keep bytes that are not there yet. Raises NoRoom."""
    if not path.exists():
        storage.write(path, content)


def make(ctx: Context, sha256: str) -> None:
    """The smaller sizes of a stored picture, those that are not there. Raises OSError where it can't be read."""
    missing = {size: side for size, side in SIZES.items() if not path_of(ctx, sha256, size).exists()}
    if not missing:
        return
    try:
        made = apart.do(pictures.in_sizes, path_of(ctx, sha256, FULL).read_bytes(), missing)
    except apart.GaveUp as trouble:
        raise OSError(f"given up: {trouble}") from trouble
    for size, content in made.items():
        write(path_of(ctx, sha256, size), content)
