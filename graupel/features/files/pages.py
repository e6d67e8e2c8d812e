"""Files: those that came in, and one with what was read, its columns, and what it would do or did."""

from collections.abc import Callable, Collection
from functools import partial
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.responses import FileResponse, RedirectResponse, Response
from starlette.background import BackgroundTask

from graupel.context import Context
from graupel.core import matching
from graupel.core import profiles as kept_profiles
from graupel.core.errors import NotFound, Refused
from graupel.core.held_for import HeldFor
from graupel.core.problems import Problem
from graupel.core.roles import Identity, Role
from graupel.features.categories import service as categories
from graupel.features.files import (
    beside,
    chosen,
    copying,
    counted,
    known,
    mending,
    new_attributes,
    picturing,
    planned_rows,
    profiles,
    reading_aside,
    results,
    samples,
    service,
    typed,
)
from graupel.features.files.new_attributes import NEW
from graupel.features.files.schemas import (
    Applied,
    HeldForOne,
    Kept,
    Matched,
    Meant,
    Mended,
    MendedAll,
    Pasted,
    ReadAs,
    Sampled,
    Shown,
    Uploaded,
    Used,
)
from graupel.features.history import service as history
from graupel.features.vocabulary import service as vocabulary
from graupel.tables.shapes import Shape
from graupel.tables.writing import MEDIA_TYPES, Out
from graupel.web.frame import page
from graupel.web.security import Ctx, Signed, from_our_own_page
from graupel.web.sent import FormOf, QueryOf

router = APIRouter(dependencies=[Depends(from_our_own_page)])


@router.get("/files")
def index(request: Request, ctx: Ctx, signed: Signed) -> Response:
    """The files that came in, and where the next one is chosen."""
    return _index(request, ctx, signed)


def _index(
    request: Request, ctx: Context, signed: Identity, problem: str = "", status: int = 200, pasted: str = ""
) -> Response:
    return page(
        request,
        "files/index.html",
        part="files/index_part.html",
        status=status,
        files=service.list_files(ctx, signed.actor),
        profiles=profiles.list_all(ctx, signed.actor),
        problem=problem,
        pasted=pasted,
        columns=known.current(ctx).fields,
        types=samples.types(ctx, signed.actor),
        profile_headers=lambda text: ", ".join(kept_profiles.shown_headers(text)),
    )


@router.post("/files")
def take(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Uploaded]) -> Response:
    """Takes a file, begins its dry run where its columns tell enough, and leads to its page."""
    try:
        file_id = _taken(ctx, signed, form)
        _begin(ctx, signed, file_id)
    except Refused as refusal:
        return _index(request, ctx, signed, refusal.problems[0].message, 422)
    if form.upload:  # by script
        return Response(status_code=204, headers={"HX-Redirect": f"/files/{file_id}"})
    return RedirectResponse(f"/files/{file_id}", 303)


@router.post("/files/paste")
def paste(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Pasted]) -> Response:
    """Takes a pasted table as it takes a file."""
    try:
        file_id = copying.pasted(ctx, signed.actor, form.text)
        _begin(ctx, signed, file_id)
    except Refused as refusal:
        return _index(request, ctx, signed, refusal.problems[0].message, 422, form.text)
    return RedirectResponse(f"/files/{file_id}", 303)


def _taken(ctx: Context, signed: Identity, form: Uploaded) -> int:
    if form.upload:
        return reading_aside.take_pieces(ctx, signed.actor, form.file_name, form.upload)
    if form.file is None or not form.file.filename:
        raise Refused.because("file.none", "Choose a file first.", "file")
    return service.take(ctx, signed.actor, form.file.filename, form.file.file)


def _begin(ctx: Context, signed: Identity, file_id: int) -> None:
    """The dry run with the columns as guessed; where they do not tell enough the page asks for them."""
    file = service.read(ctx, signed.actor, file_id)
    if file.is_read and not matching.unfit(file.rules, file.known, file.row["key_by"]):
        service.request_plan(ctx, signed.actor, file_id, file.rules, profile_id=file.row["profile_id"])


@router.get("/files/sample")
def sample(ctx: Ctx, signed: Signed, asked: QueryOf[Sampled]) -> Response:
    """A sheet to fill in, with the columns of a product type."""
    name, content = samples.write(ctx, signed.actor, asked.type or 0)
    plain = "".join(sign if sign.isascii() and (sign.isalnum() or sign in " .-") else "_" for sign in name)
    return Response(
        content,
        media_type=MEDIA_TYPES[Out.XLSX],
        headers={"Content-Disposition": f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(name)}"},
    )


@router.get("/files/{file_id:int}")
def show(request: Request, ctx: Ctx, signed: Signed, file_id: int) -> Response:
    """One file; for htmx what it would do, or the rows of its dry run."""
    return _show(request, ctx, signed, file_id)


def _show(
    request: Request,
    ctx: Context,
    signed: Identity,
    file_id: int,
    problems: list[Problem] | None = None,
    rewritten: Collection[int] = (),
) -> Response:
    """``rewritten``: the columns that go to another field than before, of which other things can be said."""
    file = service.read(ctx, signed.actor, file_id)
    asked = Shown.from_sent(request.query_params)
    if asked.waits and file.is_read and request.method == "GET":  # all of its page is another now
        return Response(status_code=204, headers={"HX-Refresh": "true"})
    step = file.step
    rows = None
    if step in ("planned", "applied"):
        rows = planned_rows.rows_of(ctx, signed.actor, file, asked.show, asked.q, asked.after or 0, asked.by)
    done = file.row["change_set_id"] if step == "applied" else None
    unfit = matching.unfit(file.rules, file.known, file.row["key_by"]) if step == "matching" else []
    brands = vocabulary.list_named(ctx, signed.actor, "brand")
    return page(
        request,
        "files/file.html",
        part="files/rows.html" if request.headers.get("HX-Target") == "file-rows" and rows else "files/what.html",
        status=422 if problems else 200,
        file=file,
        step=step,
        rows=rows,
        problems=problems or unfit,
        renewed=request.method == "POST",
        rewritten=rewritten,
        chosen=chosen.mark(file.row),
        columns=file.known.fields,
        mends=beside.mends(file.row),
        slashed=beside.slashed(file.row),
        tree=categories.read_tree(ctx),
        result=history.read(ctx, signed.actor, done) if done else None,
        pictured=picturing.read(ctx, signed.actor, file_id) if step == "applied" else None,
        counts_at=counted.shown(ctx, file.row),
        profiles=profiles.list_all(ctx, signed.actor),
        brands=brands,
        among_name=beside.among_name(file.row["among"], categories.read_tree(ctx), brands),
        mendable=matching.mendable(file.row["rules"], file.row["makes"] or []) if step == "planned" else (),
        may_edit=signed.actor.may(Role.EDITOR),
        **beside.choices(file),
    )


@router.post("/files/{file_id:int}/plan")
def plan(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Matched], file_id: int) -> Response:
    """Begins the dry run with the columns as chosen."""
    file = service.read(ctx, signed.actor, file_id)
    fields, made = form.column, False
    if set(fields.values()) & NEW.keys():
        try:
            fields, made = new_attributes.make(ctx, signed.actor, fields, file.columns), True
        except Refused as refusal:
            return _show(request, ctx, signed, file_id, list(refusal.problems))
        file = service.read(ctx, signed.actor, file_id)
    said = {name: getattr(form, name) for name in typed.PARTS}
    read = typed.read(fields, said, form.extra, len(file.columns), file.known, file.rules)
    if not read.problems:
        try:
            service.request_plan(
                ctx,
                signed.actor,
                file_id,
                read.rules,
                form.handling,
                counts_at=form.counts_at,
                remember=True,
                seen=form.seen,
            )
        except Refused as refusal:
            read.problems += refusal.problems
    if made and not read.problems and "HX-Request" in request.headers:  # every column can go there from now on
        return Response(status_code=204, headers={"HX-Refresh": "true"})
    if "HX-Request" in request.headers or read.problems:
        before = {one.index: one.rule.field for one in file.columns}
        rewritten = {column for column, name in fields.items() if before.get(column, name) != name}
        return _show(request, ctx, signed, file_id, read.problems, rewritten)
    return RedirectResponse(f"/files/{file_id}", 303)


@router.post("/files/{file_id:int}/shape")
def read_as(request: Request, ctx: Ctx, signed: Signed, form: FormOf[ReadAs], file_id: int) -> Response:
    """Reads the file in another way."""
    file = service.read(ctx, signed.actor, file_id)
    header = file.shape.header if form.header is None else form.header
    delimiter = form.other_delimiter or form.delimiter
    shape = Shape(file.shape.kind, form.encoding, delimiter, form.quote, form.part, header, form.member)

    def act() -> None:
        if reading_aside.read_as(ctx, signed.actor, file_id, shape):
            _begin(ctx, signed, file_id)

    return _after(request, ctx, signed, file_id, act)


def _after(request: Request, ctx: Context, signed: Identity, file_id: int, act: Callable[[], object]) -> Response:
    """The file's page after an act; where that was refused, with why."""
    try:
        act()
    except Refused as refusal:
        return _show(request, ctx, signed, file_id, list(refusal.problems))
    return RedirectResponse(f"/files/{file_id}", 303)


@router.post("/files/{file_id:int}/rows-are")
def rows_are(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Meant], file_id: int) -> Response:
    """Says what the rows of the file are; its columns are matched anew."""

    def act() -> None:
        service.rows_are(ctx, signed.actor, file_id, form.rows_are)
        _begin(ctx, signed, file_id)

    return _after(request, ctx, signed, file_id, act)


@router.post("/files/{file_id:int}/held-for")
def hold_for(request: Request, ctx: Ctx, signed: Signed, form: FormOf[HeldForOne], file_id: int) -> Response:
    """Says for which destination its prices are, and in which language its texts."""
    act = partial(mending.hold_for, ctx, signed.actor, file_id, HeldFor(form.destination, form.lang))
    return _after(request, ctx, signed, file_id, act)


@router.post("/files/{file_id:int}/revive")
def revive(request: Request, ctx: Ctx, signed: Signed, file_id: int) -> Response:
    """Lets the archived goods that stand in it be for sale again."""
    return _after(request, ctx, signed, file_id, partial(mending.revive, ctx, signed.actor, file_id))


@router.post("/files/{file_id:int}/keep")
def keep(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Kept], file_id: int) -> Response:
    """Keeps how the file is matched as a profile."""
    act = partial(profiles.keep, ctx, signed.actor, file_id, form.profile)
    return _after(request, ctx, signed, file_id, act)


@router.post("/files/{file_id:int}/use")
def use(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Used], file_id: int) -> Response:
    """Reads the file by a profile, and begins its dry run."""
    act = partial(service.use, ctx, signed.actor, file_id, form.profile_id)
    return _after(request, ctx, signed, file_id, act)


@router.post("/files/{file_id:int}/mend")
def mend(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Mended], file_id: int) -> Response:
    """Reads a mistyped name as the one that is there."""
    act = partial(mending.mend, ctx, signed.actor, file_id, form.kind, form.was, form.now)
    return _after(request, ctx, signed, file_id, act)


@router.post("/files/{file_id:int}/mend-all")
def mend_all(request: Request, ctx: Ctx, signed: Signed, form: FormOf[MendedAll], file_id: int) -> Response:
    """Mends what is wrong with the cells of a column in all rows."""
    act = partial(mending.mend_all, ctx, signed.actor, file_id, form.field, form.code, form.how)
    return _after(request, ctx, signed, file_id, act)


@router.post("/files/profiles/{profile_id:int}/remove")
def remove_profile(ctx: Ctx, signed: Signed, profile_id: int) -> Response:
    """Takes a profile away."""
    profiles.remove(ctx, signed.actor, profile_id)
    return RedirectResponse("/files", 303)


@router.post("/files/{file_id:int}/apply")
def apply(request: Request, ctx: Ctx, signed: Signed, form: FormOf[Applied], file_id: int) -> Response:
    """Begins to write what the dry run said."""
    act = partial(service.request_apply, ctx, signed.actor, file_id, leave_out=form.leave_out, confirmed=form.confirm)
    return _after(request, ctx, signed, file_id, act)


@router.post("/files/{file_id:int}/pictures")
def fetch_again(request: Request, ctx: Ctx, signed: Signed, file_id: int) -> Response:
    """Tries the pictures once more that could not be fetched."""
    return _after(request, ctx, signed, file_id, partial(picturing.again, ctx, signed.actor, file_id))


@router.post("/files/{file_id:int}/again")
def again(ctx: Ctx, signed: Signed, file_id: int) -> Response:
    """Looks once more at the rows that were left out because their products had changed, or at a whole file that was
    rolled back."""
    return RedirectResponse(f"/files/{service.request_again(ctx, signed.actor, file_id)}", 303)


@router.get("/files/{file_id:int}/{which}.{ending}")
def rows_out(ctx: Ctx, signed: Signed, file_id: int, which: str, ending: str) -> Response:
    """The rows of the file with what became of each, or the refused ones with their reasons. Raises NotFound."""
    if which not in ("refused", "rows") or ending not in results.OUTS:
        raise NotFound("There is no such table of this file.")
    out = Out(ending)
    path = results.write(ctx, signed.actor, file_id, out, refused=which == "refused")
    away = BackgroundTask(path.unlink, missing_ok=True)
    return FileResponse(path, media_type=MEDIA_TYPES[out], filename=f"{which}-{file_id}.{out}", background=away)
