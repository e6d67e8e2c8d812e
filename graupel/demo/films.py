"""A film, a 3D model and a link for the demo shop, made by code."""

import io
import json
import math
import struct

import av
from PIL import Image

from graupel.demo import pictures

LINK = "https://films.example/winding-a-skein"


def film(colour: str, seed: int, frames: int = 36, side: int = 480) -> bytes:
    """An MP4 of three seconds: a skein that turns on the table."""
    still = Image.open(io.BytesIO(pictures.draw("skein", colour, seed, side)))
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as container:
        stream = container.add_stream("libx264", rate=12)
        stream.width, stream.height, stream.pix_fmt = side, side, "yuv420p"
        for number in range(frames):
            turned = still.rotate(360 * number / frames, fillcolor=(255, 255, 255), resample=Image.Resampling.BILINEAR)
            frame = av.VideoFrame.from_image(turned)  # type: ignore[no-untyped-call]
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return out.getvalue()


def model(colour: str, corners: int = 24, height: float = 0.25) -> bytes:
    """A GLB of a round button: a flat cylinder with the axis upright, its radius the unit."""
    red, green, blue = (part / 255 for part in pictures.rgb(colour))
    points = [(0.0, height, 0.0), (0.0, 0.0, 0.0)]
    for number in range(corners):
        x, z = math.cos(2 * math.pi * number / corners), math.sin(2 * math.pi * number / corners)
        points += [(x, height, z), (x, 0.0, z)]
    faces: list[int] = []
    for number in range(corners):
        top, after = 2 + 2 * number, 2 + 2 * ((number + 1) % corners)
        faces += [0, after, top, 1, top + 1, after + 1, top, after, top + 1, after, after + 1, top + 1]
    placed = b"".join(struct.pack("<3f", *point) for point in points)
    joined = struct.pack(f"<{len(faces)}H", *faces)
    said = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "button"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": 0}]}],
        "materials": [{"pbrMetallicRoughness": {"baseColorFactor": [red, green, blue, 1.0]}, "doubleSided": True}],
        "buffers": [{"byteLength": len(placed) + len(joined)}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": len(placed), "target": 34962},
            {"buffer": 0, "byteOffset": len(placed), "byteLength": len(joined), "target": 34963},
        ],
        "accessors": [
            {
                "bufferView": 0,
                "componentType": 5126,
                "count": len(points),
                "type": "VEC3",
                "min": [-1.0, 0.0, -1.0],
                "max": [1.0, height, 1.0],
            },
            {"bufferView": 1, "componentType": 5123, "count": len(faces), "type": "SCALAR"},
        ],
    }
    text = json.dumps(said).encode()
    text += b" " * (-len(text) % 4)
    binary = placed + joined
    binary += b"\0" * (-len(binary) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(binary), 0x004E4942) + binary
    return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks
