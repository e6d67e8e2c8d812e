"""Files of every kind that is taken, cut off, mutated and renamed from a seed: always a sentence, never a fault."""

import gzip
import random
import time
import zipfile
from io import BytesIO

import pytest
from PIL import Image

from graupel.core.roles import SYSTEM, Role
from graupel.demo import films
from graupel.features.destinations import shops
from graupel.features.translating import exchange
from graupel.features.translating.store import Asked
from tests.making import jpeg, make_product
from tests.serving import app, as_role

__all__ = ["app", "as_role"]

SEED = 20261125
TRIES = 16


def picture(kind: str) -> bytes:
    out = BytesIO()
    Image.radial_gradient("L").convert("RGB").resize((60, 50)).save(out, kind)
    return out.getvalue()


MEDIA = {
    **{f"a.{kind.lower()}": picture(kind) for kind in ("PNG", "GIF", "WEBP", "AVIF", "BMP", "TIFF")},
    "a.jpg": jpeg(60),
    "a.mp4": films.film("#8C7AA0", 1, frames=3, side=64),
    "a.glb": films.model("#7A5A3C", 6),
}
TABLE = 'SKU;Name;Price;Category\nFEL-1;Fellside;9,80;Yarn > Aran\nFEL-2;"Two\nlines";1.5;\n'.encode("utf-8-sig")


def mutated(content: bytes, dice: random.Random) -> bytes:
    """The same with one thing done to it that happens to files, or is done to them on purpose."""
    kept = bytearray(content)
    at, length = dice.randrange(len(kept)), dice.choice([1, 4, 40])
    match dice.randrange(7):
        case 0:
            return bytes(kept[:at])
        case 1:
            kept[at : at + length] = dice.randbytes(length)
        case 2:
            kept[at:at] = dice.randbytes(length)
        case 3:
            del kept[at : at + length]
        case 4:
            kept[at : at + 4] = dice.choice([b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff"])
        case 5:
            kept[at:at] = kept * dice.choice([1, 3])
        case _:
            kept[at : at + 1] = b"\0" * 3_000
    return bytes(kept)


def packed(content: bytes) -> list[tuple[str, bytes]]:
    """What packs itself a thousandfold, and what is packed."""
    box = BytesIO()
    with zipfile.ZipFile(box, "w", zipfile.ZIP_DEFLATED) as into:
        into.writestr("a.csv", b"0" * 20_000_000)
    return [
        ("a.zip", box.getvalue()),
        ("a.csv.gz", gzip.compress(content * 100)),
        ("empty", b""),
        ("nul", b"\0" * 5_000),
    ]


def assert_a_sentence(answer, what):
    assert answer.status_code < 500, f"{what}: {answer.status_code} {answer.text[:300]}"
    assert "Traceback" not in answer.text


@pytest.mark.parametrize("name", MEDIA)
def test_media(ctx, as_role, name):
    browser, dice = as_role(Role.EDITOR), random.Random(f"{SEED} {name}")
    for number in range(TRIES):
        content = mutated(MEDIA[name], dice)
        other = dice.choice([name, *MEDIA])
        began = time.monotonic()
        assert_a_sentence(browser.write("/media", files={"file": (other, content)}), f"{name} {number}")
        assert time.monotonic() - began < 60


def test_tables(ctx, as_role):
    browser, dice = as_role(Role.EDITOR), random.Random(SEED)
    tries = [("a.csv", mutated(TABLE, dice)) for _ in range(TRIES)] + packed(TABLE)
    for name, content in [*tries, ("a.jpg", MEDIA["a.jpg"]), ("one.csv", b"\xef\xbb\xbf"), ("wide.csv", b";" * 60_000)]:
        answer = browser.post(
            "/files", data={"csrf": browser.csrf}, files={"file": (name, content)}, follow_redirects=False
        )
        assert_a_sentence(answer, name)
        if answer.status_code == 303:
            assert_a_sentence(browser.get(answer.headers["location"]), f"{name}, its columns")


@pytest.mark.parametrize("kind", ["xliff", "csv"])
def test_translations(ctx, as_role, kind):
    shops.add_language(ctx, SYSTEM, "de")
    make_product(ctx, "FEL-1", name="Fellside aran", description="<p>Wool <b>of</b> hills</p>")
    browser, dice = as_role(Role.EDITOR), random.Random(SEED)
    whole = b"".join(exchange.take_out(ctx, SYSTEM, "de", [], Asked(), kind))
    deep = b'<xliff xmlns="urn:oasis:names:tc:xliff:document:2.0" version="2.0" srcLang="en" trgLang="de">'
    bombs = [
        deep + b"<file>" * 20_000,
        deep + b"<unit><source>" + b"<mrk>" * 20_000 + b"</mrk>" * 20_000 + b"</source></unit></xliff>",
        b'<?xml version="1.0" encoding="martian"?><a/>',
        b'<!DOCTYPE a [<!ENTITY x "y"><!ENTITY z "&x;&x;&x;">]><a>&z;</a>',
        b'<!DOCTYPE a SYSTEM "file:///etc/passwd"><a/>',
    ]
    for content in [whole, *bombs, *(mutated(whole, dice) for _ in range(TRIES))]:
        answer = browser.post(
            "/translate/de/file", data={"csrf": browser.csrf}, files={"file": ("a", content)}, follow_redirects=False
        )
        assert_a_sentence(answer, content[:60])
        if answer.status_code == 303:
            assert_a_sentence(browser.get(answer.headers["location"]), content[:60])
