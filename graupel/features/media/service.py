"""Taking in pictures, and finding them again."""

import hashlib
import io
import os
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PIL import Image, ImageOps, UnidentifiedImageError

from graupel.context import Context
from graupel.core.errors import NotFound, Refused
from graupel.core.roles import Actor, Role
from graupel.db import DuplicateKey, Tx
from graupel.features.history import records
from graupel.features.history import service as history
from graupel.features.media import store

FORMATS = {"JPEG": "jpg", "PNG": "png", "WEBP": "webp", "GIF": "gif"}
MIME = {"jpg": "image/jpeg", "png": "image/png", "webp": "image/webp", "gif": "image/gif"}
MOST_PIXELS = 60_000_000
#: Name of a size -> the longest side in pixels. "full" is the picture as it was taken in.
SIZES = {"thumb": 96, "card": 480, "page": 1200}

Image.MAX_IMAGE_PIXELS = MOST_PIXELS


@dataclass(frozen=True)
class Media:
    """A stored picture. Sides in pixels."""

    id: int
    sha256: str
    file_name: str
    format: str
    bytes: int
    width: int
    height: int

    def link(self, size: str = "full") -> str:
        """Its address. The long name can't be guessed, and never stands for other bytes."""
        return f"/media/{self.sha256}/{size}"


def _media(row: dict[str, Any]) -> Media:
    return Media(**{name: row[name] for name in Media.__dataclass_fields__})


records.register(
    records.RecordKind(
        "media",
        "Picture file",
        lambda tx, ids: {
            r["id"]: records.Shown(r["file_name"], f"/media/{r['sha256']}/full") for r in store.by_ids(tx, list(ids))
        },
        reversible=False,
    )
)


def take(ctx: Context, actor: Actor, file_name: str, content: bytes) -> Media:
    """Store a picture with its smaller sizes; the same bytes are stored once. Raises Refused."""
    actor.require(Role.EDITOR)
    file_name = Path(file_name.replace("\\", "/")).name[:200] or "picture"
    content, picture = _checked(ctx, file_name, content)
    sha256 = hashlib.sha256(content).hexdigest()
    values: dict[str, Any] = {
        "sha256": sha256,
        "file_name": file_name,
        "format": FORMATS[picture.format or ""],
        "bytes": len(content),
        "width": picture.width,
        "height": picture.height,
    }
    _write_files(ctx, sha256, content, picture)

    def work(tx: Tx) -> Media:
        known = store.by_sha(tx, sha256)
        if known:
            return _media(known)
        with history.change_set(tx, actor, "media.take", f"Picture taken in: {file_name}") as recorder:
            media_id = store.insert(tx, values)
            recorder.made("media", media_id, {k: values[k] for k in ("file_name", "format", "width", "height")})
        return Media(id=media_id, **values)

    try:
        return ctx.db.run(work)
    except DuplicateKey:  # the same file came in twice at the same moment
        return ctx.db.run(work)


def _checked(ctx: Context, file_name: str, content: bytes) -> tuple[bytes, Image.Image]:
    """The bytes to keep, turned upright and without personal metadata, and the opened picture."""
    most = ctx.settings.picture_megabytes
    if len(content) > most * 1_000_000:
        raise Refused.because(
            "picture.too_large", f"“{file_name}” is larger than {most} MB. Save it smaller.", "pictures"
        )
    try:
        picture = Image.open(io.BytesIO(content), formats=list(FORMATS))
        if picture.width * picture.height > MOST_PIXELS:
            raise Image.DecompressionBombError
        picture.load()
    except (Image.DecompressionBombError, Image.DecompressionBombWarning) as error:
        raise Refused.because(
            "picture.too_many_pixels",
            f"“{file_name}” has more than {MOST_PIXELS // 1_000_000} million pixels. Scale it down.",
            "pictures",
        ) from error
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError) as error:
        raise Refused.because(
            "picture.unreadable",
            f"“{file_name}” is not a picture that can be read. Take a JPEG, PNG, WebP or GIF.",
            "pictures",
        ) from error
    if "exif" in picture.info:
        return _without_metadata(picture)
    return content, picture


def _without_metadata(picture: Image.Image) -> tuple[bytes, Image.Image]:
    kind = picture.format
    upright = ImageOps.exif_transpose(picture)
    out = io.BytesIO()
    upright.info.pop("exif", None)
    upright.save(out, format=kind, quality=92)
    saved = Image.open(io.BytesIO(out.getvalue()))
    saved.load()
    return out.getvalue(), saved


def _write_files(ctx: Context, sha256: str, content: bytes, picture: Image.Image) -> None:
    _write(path_of(ctx, sha256, "full"), content)
    for size, side in SIZES.items():
        path = path_of(ctx, sha256, size)
        if path.exists():
            continue
        smaller = picture.convert("RGBA" if "A" in picture.getbands() or picture.mode == "P" else "RGB")
        smaller.thumbnail((side, side))
        out = io.BytesIO()
        smaller.save(out, "WEBP", quality=84)
        _write(path, out.getvalue())


def _write(path: Path, content: bytes) -> None:
    """Whole or not at all, also when the machine stops in the middle."""
    if path.exists():
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=path.parent, delete=False) as file:
        file.write(content)
    os.replace(file.name, path)


def path_of(ctx: Context, sha256: str, size: str) -> Path:
    """Where a size of a picture lies on disk."""
    return ctx.settings.data_folder / "media" / sha256[:2] / f"{sha256}.{size}"


def find(ctx: Context, sha256: str, size: str) -> tuple[Path, str]:
    """A stored file and its media type. Raises NotFound."""
    row = ctx.db.run(lambda tx: store.by_sha(tx, sha256)) if size in (*SIZES, "full") else None
    path = path_of(ctx, sha256, size)
    if row is None or not path.exists():
        raise NotFound("There is no such picture.")
    return path, MIME[row["format"]] if size == "full" else "image/webp"


def by_ids(tx: Tx, ids: list[int]) -> dict[int, Media]:
    """Pictures by id; ids that are not there are left out."""
    return {row["id"]: _media(row) for row in store.by_ids(tx, ids)}


def read_many(ctx: Context, ids: list[int]) -> dict[int, Media]:
    """Pictures by id; ids that are not there are left out."""
    return ctx.db.run(lambda tx: by_ids(tx, ids))
