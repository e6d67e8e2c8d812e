"""What the demo's buyers download: patterns as PDFs made by code, errata for everybody, and a film that is played."""

import io
from collections.abc import Sequence

from reportlab.lib.pagesizes import A5
from reportlab.pdfgen.canvas import Canvas

from graupel import pieces
from graupel.context import Context
from graupel.core.roles import Actor
from graupel.demo import films
from graupel.demo.goods import Good
from graupel.features.downloads import service

Made = Sequence[tuple[int, Good]]
PATTERNS, ROWS = 14, 24


def load(ctx: Context, editor: Actor, made: Made) -> None:
    """Each thing that a download can be, at least once."""
    patterns = [(key, good) for key, good in made if good.kind == "Pattern" and good.status == "live"][:PATTERNS]
    for number, (product_id, good) in enumerate(patterns):
        pdf = _make(ctx, editor, product_id, f"{good.sku.lower()}.pdf", _booklet(good.name, 4 + number % 5))
        said = {"name": f"{good.name}, the pattern as PDF"[:120], "stamped": "yes", "excerpt_pages": "1"}
        _say(ctx, editor, pdf, said | ({"times": "3", "days": "90"} if number % 2 else {}))
    if patterns:
        product_id, good = patterns[0]
        service.new_version(
            ctx,
            editor,
            pdf_of(ctx, editor, product_id),
            "second-edition.pdf",
            _came(ctx, editor, _booklet(f"{good.name}, second edition", 6)),
        )
        errata = _make(ctx, editor, product_id, "errata.txt", b"Row 12: knit two together, not three.\n")
        _say(ctx, editor, errata, {"name": "Errata", "before_buying": "yes"})
    kits = [(key, good) for key, good in made if good.kind == "Kit" and good.status == "live"][:1]
    for product_id, good in kits:
        film = _make(ctx, editor, product_id, "casting-on.mp4", films.film(good.shots[0].colour, 7))
        _say(ctx, editor, film, {"name": "Casting on, a film", "plays": "played"})


def pdf_of(ctx: Context, actor: Actor, product_id: int) -> int:
    """The first download of a product."""
    return ctx.db.run(lambda tx: service.of_product(tx, product_id))[0].download.id


def _came(ctx: Context, actor: Actor, content: bytes) -> str:
    """Lays a file where it would have come in pieces."""
    path = pieces.path_of(ctx.settings.data_folder, str(actor.user_id), "demo")
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content)
    return "demo"


def _make(ctx: Context, actor: Actor, product_id: int, name: str, content: bytes) -> int:
    return service.make(ctx, actor, product_id, name, _came(ctx, actor, content))


def _say(ctx: Context, actor: Actor, download_id: int, said: dict[str, str]) -> None:
    row = service.read(ctx, actor, download_id).download.row
    service.save(ctx, actor, download_id, service.texts(row) | said)


def _booklet(name: str, pages: int) -> bytes:
    """A pattern of some pages, rows of made-up stitches."""
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=A5, invariant=True)
    height = A5[1]
    for page in range(pages):
        canvas.setFont("Helvetica-Bold", 15)
        canvas.drawString(40, height - 60, name[:48] if page == 0 else f"Page {page + 1}")
        canvas.setFont("Helvetica", 9)
        for row in range(ROWS):
            number = page * ROWS + row + 1
            knit, purl = 2 + number * 7 % 5, 1 + number * 3 % 4
            canvas.drawString(40, height - 90 - row * 18, f"Row {number}: *k{knit}, p{purl}; repeat from * to the end.")
        canvas.showPage()
    canvas.save()
    return out.getvalue()
