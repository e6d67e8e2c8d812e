"""The translating view: a worklist with source and target side by side, and files out and in."""

from typing import Any
from urllib.parse import urlencode

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response, StreamingResponse

from graupel.context import Context
from graupel.core.errors import Refused
from graupel.core.roles import Identity, Role
from graupel.core.wording import State
from graupel.features.destinations import service as destinations
from graupel.features.translating import exchange, service
from graupel.features.translating.schemas import Applied, Planned, TakenOut, Uploaded, Worklist, Written
from graupel.features.wording import originals
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])
STATE_WORDS = {State.MISSING: "Missing", State.OUTDATED: "Out of date", State.DONE: "Done"}
SHAPES = {State.MISSING: "ring", State.OUTDATED: "half", State.DONE: "full"}


@router.get("/translate")
def begin(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """All languages with their progress; where there is but one, its worklist."""
    signed.actor.require(Role.VIEWER)
    langs = destinations.read_all(ctx).languages
    if len(langs) == 1:
        return RedirectResponse(f"/translate/{langs[0]}", 303)
    progress = {lang: service.together(service.progress(ctx, signed.actor, lang), lang) for lang in langs}
    return page(request, "translating/languages.html", progress=progress)


@router.get("/translate/{lang}")
def show(request: Request, ctx: Ctx, signed: Signed, lang: str) -> Response:
    """The worklist of a language; for htmx the list alone."""
    return _worklist(request, ctx, signed, lang)


def _worklist(
    request: Request, ctx: Context, signed: Identity, lang: str, trouble: str = "", status: int = 200
) -> Response:
    progress = service.progress(ctx, signed.actor, lang)
    address = Worklist.from_sent(request.query_params)
    wanted, asked = address.kind, address.asked(State.MISSING)
    counted = asked.state.value if asked.state else "all"
    left = (key for key in ("product", *progress) if key in progress and getattr(progress[key], counted))
    kind = wanted if wanted in progress else next(left, "product")
    return page(
        request,
        "translating/worklist.html",
        part="translating/list.html",
        status=status,
        lang=lang,
        source=ctx.settings.language,
        languages=destinations.read_all(ctx).languages,
        kinds={one.kind: one.label for one in originals.all_kinds() if one.kind in progress},
        kind=kind,
        counted=counted,
        progress=progress,
        together=service.together(progress, lang),
        asked=asked,
        found=service.worklist(ctx, signed.actor, lang, kind, asked, address.after or 0),
        trouble=trouble,
        **_words(signed),
    )


def _words(signed: Identity) -> dict[str, Any]:
    return {"states": STATE_WORDS, "shapes": SHAPES, "may_edit": signed.actor.may(Role.EDITOR)}


@router.post("/translate/{lang}/{kind}/{record_id:int}/{field}")
def write(
    request: Request, ctx: Ctx, signed: Signed, form: FormOf[Written], lang: str, kind: str, record_id: int, field: str
) -> Response:
    """Keeps one translation, and shows how it stands then."""
    try:
        text = service.write(ctx, signed.actor, lang, kind, record_id, field, form.value, confirm=form.confirm)
    except Refused as refusal:
        message = refusal.problems[0].message
        words = _words(signed)
        return page(request, "translating/standing.html", status=422, lang=lang, text=None, trouble=message, **words)
    return page(request, "translating/standing.html", lang=lang, text=text, trouble="", **_words(signed))


# --- out and in ----------------------------------------------------------------------------------------------


@router.get("/translate/{lang}/file")
def take_out(ctx: Ctx, signed: Signed, address: QueryOf[TakenOut], lang: str) -> StreamingResponse:
    """The texts that are asked for, as a file."""
    asked, is_xliff = address.asked(None), address.form == "xliff"
    pieces = exchange.take_out(ctx, signed.actor, lang, [address.kind] if address.kind else [], asked, address.form)
    media_type = "application/xliff+xml" if is_xliff else "text/csv; charset=utf-8"
    name = "-".join(filter(None, ("catalogue", ctx.settings.language, lang, address.kind, asked.state)))
    ending = "xlf" if is_xliff else "csv"
    return StreamingResponse(
        pieces, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}.{ending}"'}
    )


@router.post("/translate/{lang}/file")
def bring_in(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Uploaded], lang: str) -> Response:
    """Takes a file in, and leads to its dry run."""
    file = form.file
    if file is None or not file.filename:
        return _worklist(request, ctx, signed, lang, "Choose a file first.", 422)
    try:
        sha256 = exchange.keep(ctx, signed.actor, file.file)
        exchange.plan(ctx, signed.actor, lang, sha256, file.filename)
    except Refused as refusal:
        return _worklist(request, ctx, signed, lang, refusal.problems[0].message, 422)
    return RedirectResponse(f"/translate/{lang}/file/{sha256}?{urlencode({'name': file.filename[:120]})}", 303)


@router.get("/translate/{lang}/file/{sha256}")
def show_plan(request: Request, ctx: Ctx, signed: Signed, asked: QueryOf[Planned], lang: str, sha256: str) -> Response:
    """The dry run, or for htmx a page of its texts."""
    plan = exchange.plan(ctx, signed.actor, lang, sha256, asked.file_name)
    shown = exchange.page_of(plan, asked.show, asked.q, asked.after or 0)
    return page(
        request,
        "translating/plan.html",
        part="translating/plan_rows.html",
        lang=lang,
        plan=plan,
        shown=shown,
        seen_as=exchange.remember(ctx, plan),
        moved=asked.left_out or 0,
        here=f"/translate/{lang}/file/{sha256}?{urlencode({'name': asked.file_name})}",
        **_words(signed),
    )


@router.post("/translate/{lang}/file/{sha256}")
def apply(ctx: Ctx, signed: Signed, form: FormOf[Applied], lang: str, sha256: str) -> Response:
    """Brings the texts in; what changed meanwhile is looked at again."""
    done = exchange.apply(ctx, signed.actor, lang, sha256, form.file_name, form.seen)
    if done.moved:
        again = urlencode({"name": form.file_name, "left_out": done.moved})
        return RedirectResponse(f"/translate/{lang}/file/{sha256}?{again}", 303)
    return RedirectResponse(f"/translate/{lang}?state=all", 303)
