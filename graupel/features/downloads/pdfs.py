"""What is done with PDFs: measured when they come, stamped for a buyer, and cut to the pages that can be looked into.

A PDF that is encrypted or broken is given out as it is, and that is said beside it.
"""

import io
from pathlib import Path

from pypdf import PageObject, PdfReader, PdfWriter
from pypdf.errors import PyPdfError
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfgen.canvas import Canvas

#: What a library of foreign files may raise when it meets one that is odd.
_ODD = (
    PyPdfError,
    ValueError,
    KeyError,
    TypeError,
    IndexError,
    AttributeError,
    RecursionError,
    OSError,
    AssertionError,
)
ENCRYPTED = "it is encrypted"
BROKEN = "it can’t be read as a PDF"
_FONT, _SIZE, _MARGIN = "Helvetica", 8.0, 18.0


def measured(path: Path) -> tuple[int | None, str]:
    """How many pages a PDF has, and why it can't be stamped, "" where it can."""
    try:
        with path.open("rb") as file:
            found = PdfReader(file)
            if found.is_encrypted:
                return None, ENCRYPTED
            return len(found.pages), ""
    except _ODD:
        return None, BROKEN


def stamp(path: Path, to: Path, text: str) -> bool:
    """Write a copy of a PDF with a line of text at the foot of each page; whether that was possible.

    Pages stand as they are looked at: turned ones are stamped at the foot that a reader sees.
    """
    try:
        with path.open("rb") as file:
            writer = PdfWriter(clone_from=PdfReader(file))
            lines: dict[tuple[float, float], PageObject] = {}
            for page in writer.pages:
                page.transfer_rotation_to_content()
                box = page.mediabox
                size = (float(box.width), float(box.height))
                if size not in lines:
                    lines[size] = PdfReader(_line(*size, text)).pages[0]
                page.merge_translated_page(lines[size], float(box.left), float(box.bottom))
            with to.open("wb") as out:
                writer.write(out)
    except _ODD:
        to.unlink(missing_ok=True)
        return False
    return True


def _line(width: float, height: float, text: str) -> io.BytesIO:
    """A page of a size that holds the line alone, small enough to fit."""
    plain = text.encode("cp1252", "replace").decode("cp1252")
    size = _SIZE
    while size > 3 and pdfmetrics.stringWidth(plain, _FONT, size) > width - 2 * _MARGIN:
        size -= 0.5
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(width, height))
    canvas.setFont(_FONT, size)
    canvas.setFillGray(0.35)
    canvas.drawCentredString(width / 2, min(_MARGIN, height / 4), plain)
    canvas.save()
    out.seek(0)
    return out


def excerpt(path: Path, to: Path, pages: int) -> bool:
    """Write the first pages of a PDF; whether that was possible."""
    try:
        with path.open("rb") as file:
            found = PdfReader(file)
            if found.is_encrypted:
                return False
            writer = PdfWriter()
            for page in found.pages[:pages]:
                writer.add_page(page)
            with to.open("wb") as out:
                writer.write(out)
    except _ODD:
        to.unlink(missing_ok=True)
        return False
    return True
