"""The stored bytes on disk, under names made from what they are, and pictures in smaller sizes."""

import os
import tempfile
from pathlib import Path

from PIL import Image

from graupel.context import Context
from graupel.features.media import pictures

#: Name of a size -> the longest side in pixels. "full" is the file as it was taken in.
SIZES = {"thumb": 96, "card": 480, "page": 1200}
FULL = "full"


def path_of(ctx: Context, sha256: str, size: str) -> Path:
    """Where a size of a file lies on disk."""
    return ctx.settings.data_folder / "media" / sha256[:2] / f"{sha256}.{size}"


def write(path: Path, content: bytes) -> None:
    """Whole or not at all, also when the machine stops in the middle."""
    if path.exists():
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as file:
        file.write(content)
    os.replace(file.name, path)


def make(ctx: Context, sha256: str) -> None:
    """The smaller sizes of a stored picture, those that are not there. Raises OSError where it can't be read."""
    missing = {size: side for size, side in SIZES.items() if not path_of(ctx, sha256, size).exists()}
    if not missing:
        return
    with Image.open(path_of(ctx, sha256, FULL)) as picture:
        picture.load()
        for size, side in sorted(missing.items(), key=lambda one: -one[1]):
            write(path_of(ctx, sha256, size), pictures.smaller(picture, side))
