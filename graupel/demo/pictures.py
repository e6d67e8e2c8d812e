"""Pictures of the demo shop's goods, drawn by code."""

import io
import math
import random

from PIL import Image, ImageDraw

SIDE = 800
_SCALE = 2
Colour = tuple[int, int, int]


def rgb(text: str) -> Colour:
    """ "#8C7AA0" as numbers."""
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


def _mix(one: Colour, other: Colour, part: float) -> Colour:
    return tuple(round(a + (b - a) * part) for a, b in zip(one, other, strict=True))  # type: ignore[return-value]


def _darker(colour: Colour, part: float = 0.35) -> Colour:
    return _mix(colour, (20, 24, 24), part)


def _lighter(colour: Colour, part: float = 0.35) -> Colour:
    return _mix(colour, (255, 255, 255), part)


class _Sheet:
    """A large white sheet to draw on, scaled down at the end so that edges are smooth."""

    def __init__(self, side: int) -> None:
        self.side = side * _SCALE
        self.unit = self.side / 100
        self.image = Image.new("RGB", (self.side, self.side), (255, 255, 255))
        self.draw = ImageDraw.Draw(self.image)

    def at(self, *points: tuple[float, float]) -> list[tuple[float, float]]:
        """Points in hundredths of the side."""
        return [(x * self.unit, y * self.unit) for x, y in points]

    def jpeg(self) -> bytes:
        """The finished picture."""
        small = self.image.resize((self.side // _SCALE, self.side // _SCALE), Image.Resampling.LANCZOS)
        out = io.BytesIO()
        small.save(out, "JPEG", quality=88)
        return out.getvalue()


def draw(kind: str, colour: str, seed: int, side: int = SIDE) -> bytes:
    """A JPEG of ``side`` x ``side`` pixels. ``kind``: skein, needles, ribbon, button, booklet, kit or workshop."""
    sheet = _Sheet(side)
    {
        "skein": _skein,
        "needles": _needles,
        "ribbon": _ribbon,
        "button": _button,
        "booklet": _booklet,
        "kit": _kit,
        "workshop": _workshop,
    }[kind](sheet, rgb(colour), random.Random(seed))  # noqa: S311
    return sheet.jpeg()


def _strand(sheet: _Sheet, colour: Colour, y: float, x0: float, x1: float, bow: float, width: float) -> None:
    points = [(x0 + (x1 - x0) * t / 40, y + bow * math.sin(math.pi * t / 40)) for t in range(41)]
    sheet.draw.line(sheet.at(*points), fill=colour, width=max(1, round(width * sheet.unit)), joint="curve")


def _skein(
    sheet: _Sheet, colour: Colour, dice: random.Random, middle: tuple[float, float] = (50, 50), size: float = 1
) -> None:
    layer = _Sheet(sheet.side // _SCALE)
    for step in range(46):
        y = 50 + (step - 22.5) * 0.86
        reach = 40 * math.sqrt(max(0.0, 1 - ((step - 22.5) / 24) ** 2))
        shade = dice.choice([colour, _darker(colour, 0.18), _lighter(colour, 0.14), colour])
        _strand(layer, shade, y, 50 - reach, 50 + reach, dice.uniform(-2.5, 2.5), 1.35)
    for step in range(16):
        x = 22 + step * 3.8
        _strand(layer, _darker(colour, dice.uniform(0.15, 0.4)), 34 + dice.uniform(-2, 2), x, x + 9, 0.1, 0.3)
        layer.draw.line(
            layer.at((x, 33 + abs(step - 8) * 0.7), (x + 7, 67 - abs(step - 8) * 0.7)),
            fill=_mix(colour, _darker(colour), dice.uniform(0.2, 0.8)),
            width=round(0.5 * layer.unit),
        )
    layer.draw.rectangle(layer.at((41, 31), (59, 69)), fill=(247, 246, 240), outline=(205, 210, 205), width=3)
    layer.draw.line(layer.at((44, 40), (56, 40)), fill=_darker(colour), width=round(0.9 * layer.unit))
    layer.draw.line(layer.at((44, 45), (53, 45)), fill=(150, 158, 155), width=round(0.5 * layer.unit))
    layer.draw.line(layer.at((44, 48), (55, 48)), fill=(150, 158, 155), width=round(0.5 * layer.unit))
    turned = layer.image.rotate(18, fillcolor=(255, 255, 255), resample=Image.Resampling.BILINEAR)
    if size != 1 or middle != (50, 50):
        edge = round(sheet.side * size)
        turned = turned.resize((edge, edge), Image.Resampling.LANCZOS)
        x, y = (round(m * sheet.unit - edge / 2) for m in middle)
        mask = turned.convert("L").point(lambda v: 0 if v > 252 else 255)
        sheet.image.paste(turned, (x, y), mask)
    else:
        sheet.image.paste(turned)


def _needles(sheet: _Sheet, colour: Colour, dice: random.Random) -> None:
    for start, end in (((18, 82), (80, 16)), ((27, 88), (88, 24))):
        sheet.draw.line(sheet.at(start, end), fill=colour, width=round(2.6 * sheet.unit))
        sheet.draw.line(
            sheet.at((start[0] - 0.6, start[1] - 0.6), (end[0] - 0.6, end[1] - 0.6)),
            fill=_lighter(colour, 0.5),
            width=round(0.6 * sheet.unit),
        )
        x, y = end
        sheet.draw.polygon(sheet.at((x - 1.1, y - 0.9), (x + 4.2, y - 4.4), (x + 0.9, y + 1.1)), fill=colour)
        x, y = start
        sheet.draw.ellipse(sheet.at((x - 4, y - 4), (x + 4, y + 4)), fill=_darker(colour, 0.45))


def _ribbon(sheet: _Sheet, colour: Colour, dice: random.Random) -> None:
    sheet.draw.polygon(sheet.at((54, 62), (92, 74), (92, 90), (50, 80)), fill=_darker(colour, 0.2))
    for step in range(18):
        r = 34 - step * 1.25
        shade = colour if step % 2 else _lighter(colour, 0.22)
        sheet.draw.ellipse(sheet.at((44 - r, 46 - r), (44 + r, 46 + r)), fill=shade)
    sheet.draw.ellipse(sheet.at((32, 34), (56, 58)), fill=(236, 229, 214), outline=(190, 182, 165), width=5)
    sheet.draw.ellipse(sheet.at((40, 42), (48, 50)), fill=(255, 255, 255))


def _button(sheet: _Sheet, colour: Colour, dice: random.Random) -> None:
    for x, y, r in ((36, 40, 22), (68, 56, 19), (42, 76, 15)):
        sheet.draw.ellipse(sheet.at((x - r, y - r), (x + r, y + r)), fill=_darker(colour, 0.25))
        sheet.draw.ellipse(sheet.at((x - r + 1, y - r + 0.4), (x + r - 1, y + r - 1.6)), fill=colour)
        sheet.draw.ellipse(
            sheet.at((x - r * 0.72, y - r * 0.72), (x + r * 0.72, y + r * 0.72)), outline=_darker(colour), width=4
        )
        for dx, dy in ((-1, -1), (1, -1), (-1, 1), (1, 1)):
            hx, hy, h = x + dx * r * 0.22, y + dy * r * 0.22, r * 0.1
            sheet.draw.ellipse(sheet.at((hx - h, hy - h), (hx + h, hy + h)), fill=(250, 250, 248))


def _booklet(sheet: _Sheet, colour: Colour, dice: random.Random) -> None:
    sheet.draw.rectangle(sheet.at((26, 14), (78, 88)), fill=(214, 218, 214))
    sheet.draw.rectangle(sheet.at((23, 12), (75, 86)), fill=_lighter(colour, 0.8), outline=(190, 196, 192), width=3)
    sheet.draw.rectangle(sheet.at((23, 12), (75, 26)), fill=colour)
    sheet.draw.rectangle(sheet.at((29, 17), (58, 20)), fill=(255, 255, 255))
    for row in range(9):
        for column in range(7):
            x, y = 30 + column * 5.8, 33 + row * 5.4
            lit = (row * 3 + column * (1 + dice.randint(0, 1))) % 4 < 2
            points = sheet.at(
                (x, y), (x + 2.6, y + 3.2), (x + 5.2, y), (x + 5.2, y + 2), (x + 2.6, y + 5.2), (x, y + 2)
            )
            sheet.draw.polygon(points, fill=colour if lit else _lighter(colour, 0.55))


def _kit(sheet: _Sheet, colour: Colour, dice: random.Random) -> None:
    sheet.draw.polygon(sheet.at((14, 56), (86, 56), (79, 90), (21, 90)), fill=(196, 164, 118))
    for place in range(3):
        _skein(sheet, (colour, _lighter(colour, 0.4), _darker(colour, 0.2))[place], dice, (30 + 20 * place, 50), 0.36)
    sheet.draw.polygon(sheet.at((14, 60), (86, 60), (79, 90), (21, 90)), fill=(205, 174, 128))
    for step in range(9):
        y = 63 + step * 3
        sheet.draw.line(
            sheet.at((15 + step * 0.6, y), (85 - step * 0.6, y)), fill=(176, 144, 100), width=round(0.5 * sheet.unit)
        )
    sheet.draw.line(sheet.at((62, 66), (90, 20)), fill=(150, 110, 70), width=round(1.6 * sheet.unit))
    sheet.draw.ellipse(sheet.at((87.5, 16), (92.5, 21)), fill=(110, 78, 48))


def _workshop(sheet: _Sheet, colour: Colour, dice: random.Random) -> None:
    sheet.draw.ellipse(sheet.at((20, 62), (80, 86)), fill=(150, 158, 156))
    sheet.draw.polygon(sheet.at((20, 46), (80, 46), (76, 80), (24, 80)), fill=(176, 184, 182))
    sheet.draw.ellipse(sheet.at((20, 36), (80, 56)), fill=(196, 203, 200))
    sheet.draw.ellipse(sheet.at((24, 38.5), (76, 54)), fill=colour)
    for step in range(7):
        x = 34 + step * 5
        points = [(x + 2.2 * math.sin(t / 4 + step), 12 + t) for t in range(31)]
        sheet.draw.line(
            sheet.at(*points),
            fill=_mix(_lighter(colour, 0.6), colour, step / 6),
            width=round(2.2 * sheet.unit),
            joint="curve",
        )
    sheet.draw.line(sheet.at((22, 13), (78, 13)), fill=(130, 98, 62), width=round(2.2 * sheet.unit))
