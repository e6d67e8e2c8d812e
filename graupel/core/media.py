"""What may be stored as media, and what its names tell."""

import re
from dataclasses import dataclass
from enum import StrEnum

from graupel.core.errors import Refused

ADDRESS_LENGTH = 500
FILE_NAME_LENGTH = 200
#: A pixel is white where none of its colours is darker than this; paper that was photographed never is pure white.
WHITE = 245
SOUNDS = ("mp3", "ogg", "oga", "wav", "m4a", "flac", "opus")


class MediaKind(StrEnum):
    """What a stored file is. A link is none, but stands in the same lists."""

    PICTURE = "picture"
    VIDEO = "video"
    MODEL = "model"
    LINK = "link"


KIND_WORDS = {
    MediaKind.PICTURE: "a picture",
    MediaKind.VIDEO: "a video",
    MediaKind.MODEL: "a 3D model",
    MediaKind.LINK: "a link",
}


@dataclass(frozen=True)
class Format:
    """A format in which files are kept: what it holds, its media type (IANA), and the endings of its names."""

    kind: MediaKind
    media_type: str
    endings: tuple[str, ...]


#: The first ending is the name under which the format is kept.
FORMATS = {
    one.endings[0]: one
    for one in (
        Format(MediaKind.PICTURE, "image/jpeg", ("jpg", "jpeg", "jpe", "jfif")),
        Format(MediaKind.PICTURE, "image/png", ("png",)),
        Format(MediaKind.PICTURE, "image/webp", ("webp",)),
        Format(MediaKind.PICTURE, "image/gif", ("gif",)),
        Format(MediaKind.PICTURE, "image/avif", ("avif",)),
        Format(MediaKind.VIDEO, "video/mp4", ("mp4", "m4v")),
        Format(MediaKind.VIDEO, "video/webm", ("webm",)),
        Format(MediaKind.MODEL, "model/gltf-binary", ("glb",)),
        Format(MediaKind.MODEL, "model/gltf+json", ("gltf",)),
    )
}
#: Formats that are converted as they are taken in, by the endings of their names.
CONVERTED = ("bmp", "dib", "tif", "tiff")
ACCEPTED = "Take a picture (JPEG, PNG, WebP, GIF, AVIF, BMP, TIFF), a video (MP4, WebM) or a 3D model (glTF)."
#: For the browser's file dialog.
ENDINGS = tuple(f".{ending}" for one in FORMATS.values() for ending in one.endings) + tuple(f".{e}" for e in CONVERTED)


def kind_of_name(file_name: str) -> MediaKind | None:
    """What a file should be by its name; None where the name does not tell."""
    ending = file_name.rpartition(".")[2].casefold()
    if ending in CONVERTED:
        return MediaKind.PICTURE
    return next((one.kind for one in FORMATS.values() if ending in one.endings), None)


def named_right(file_name: str, kept: str) -> str:
    """The name with the ending of the format in which the file is kept: "skein.tiff" kept as PNG is "skein.png"."""
    stem, dot, ending = file_name.rpartition(".")
    if dot and ending.casefold() in FORMATS[kept].endings:
        return file_name
    is_ending = bool(dot) and (ending.casefold() in CONVERTED or kind_of_name(file_name) is not None)
    return f"{(stem if is_ending else file_name)[: FILE_NAME_LENGTH - 6]}.{kept}"


def parse_file_name(text: str, kept: str) -> str:
    """A file's name without folders and signs that no name has. Raises Refused where nothing is left."""
    name = re.sub(r'[\x00-\x1f\x7f<>:"|?*]', "", text.replace("\\", "/").rpartition("/")[2]).strip(" .")
    if not name:
        raise Refused.because("media.name", "A file needs a name, such as fellside-heather.jpg.", "file_name")
    return named_right(name[:FILE_NAME_LENGTH], kept) if kept in FORMATS else name[:FILE_NAME_LENGTH]


def parse_link(text: str) -> tuple[str, str]:
    """The address of a video or recording elsewhere, and which of the two: "video" or "audio". Raises Refused."""
    address = text.strip()
    right = re.fullmatch(r"https?://[^\s/@<>\"\\]+\.[^\s/@<>\"\\]+(?:[/?#][^\s<>\"\\]*)?", address, re.IGNORECASE)
    if not right or len(address) > ADDRESS_LENGTH:
        raise Refused.because(
            "link.address",
            f"“{address[:60]}” is no address of a page. Write it like https://films.example/winding-a-skein.",
            "address",
        )
    ending = re.split(r"[?#]", address)[0].rpartition(".")[2].casefold()
    return address, "audio" if ending in SOUNDS else "video"
