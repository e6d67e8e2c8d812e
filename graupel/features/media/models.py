"""3D models in glTF 2.0, the open standard (ISO/IEC 12113): one file that needs no other."""

import struct
from typing import Any

from graupel.core.media import ACCEPTED
from graupel.core.sent import read_json
from graupel.features.media.refusing import refuse

_JSON_CHUNK = 0x4E4F534A


def check(file_name: str, content: bytes) -> str:
    """The format's name, glb or gltf. Raises Refused where it is broken or refers to other files."""
    try:
        kept, said = ("glb", _json_of_binary(content)) if content[:4] == b"glTF" else ("gltf", read_json(content))
        version = str(said["asset"]["version"])
        addresses = [one["uri"] for part in ("buffers", "images") for one in said.get(part, []) if "uri" in one]
        elsewhere = [str(address)[:60] for address in addresses if not str(address).startswith("data:")]
    except (ValueError, KeyError, TypeError, AttributeError, struct.error) as error:
        refuse("unreadable", f"“{file_name}” is not a 3D model that can be read. {ACCEPTED}", error)
    if not version.startswith("2."):
        refuse("model_version", f"“{file_name}” is glTF {version[:10]}; save it as glTF 2.0.")
    if elsewhere:
        refuse("model_parts", f"“{file_name}” needs other files ({elsewhere[0]}). Save it as one GLB file.")
    return kept


def _json_of_binary(content: bytes) -> Any:
    """The JSON of a GLB: a head of magic, version and length, then chunks of length, kind and bytes."""
    _, version, length = struct.unpack_from("<III", content)
    size, kind = struct.unpack_from("<II", content, 12)
    if version != 2 or length != len(content) or kind != _JSON_CHUNK or 20 + size > length:
        raise ValueError("not a GLB")
    return read_json(content[20 : 20 + size])
