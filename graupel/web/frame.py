"""Full pages and fragments, from the templates of all areas."""

import re
from pathlib import Path
from typing import Any
from urllib.parse import quote
from zoneinfo import ZoneInfo

from babel.dates import format_date
from fastapi import Request
from fastapi.responses import HTMLResponse
from jinja2 import ChoiceLoader, Environment, FileSystemLoader, PrefixLoader, StrictUndefined, pass_context
from jinja2.runtime import Context
from markupsafe import Markup
from slugify import slugify

from graupel.core import countries, delivery, languages, moments, products, richtext, stock
from graupel.core.phrases import phrase
from graupel.core.quantities import format_money
from graupel.core.roles import Role
from graupel.core.showing import plural
from graupel.settings import Settings
from graupel.web import done, formats, help, lens, marks, navigation, preparing
from graupel.web.navigation import Place, Section

HERE = Path(__file__).parent
FEATURES = HERE.parent / "features"


def _static_stamp() -> str:
    """Changes when a shipped file changes, so browsers may keep the files for long."""
    newest = max(int(path.stat().st_mtime) for path in (HERE / "static").rglob("*") if path.is_file())
    return f"{newest:x}"


#: The first part of the path of all shipped files, also of those that modules import.
STAMP = _static_stamp()


def make_templates(settings: Settings) -> Environment:
    """The templates: the frame's own at the root, each area's under its name."""
    areas = {path.parent.name: FileSystemLoader(path) for path in FEATURES.glob("*/templates")}
    env = Environment(
        loader=ChoiceLoader([FileSystemLoader(HERE / "templates"), PrefixLoader(areas)]),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    zone = ZoneInfo(settings.time_zone)
    locale = settings.language
    env.filters.update(
        number=pass_context(lambda found, value: formats.number(value, found.get("locale") or locale)),
        money=pass_context(
            lambda found, amount: formats.money(
                amount, found.get("currency") or settings.currency, found.get("locale") or locale
            )
        ),
        amount=format_money,
        shown_amount=pass_context(lambda found, amount: formats.amount(amount, found.get("locale") or locale)),
        weight=pass_context(lambda found, grams: formats.weight(grams, found.get("locale") or locale)),
        country=pass_context(lambda found, code: countries.name(code, found.get("locale") or "en")),
        slug=lambda text: slugify(text)[:80] or "product",
        when=lambda at: formats.when(at, zone, locale),
        day=lambda at, where: formats.day(at, where, locale),
        moment=moments.typed,
        quantity=stock.show,
        size_of=delivery.show_size,
        buyers_day=pass_context(lambda found, at: formats.buyers_day(at, zone, found.get("locale") or locale)),
        day_here=lambda at: formats.day(at, zone, locale),
        short_day=lambda at: formats.short_day(at, locale),
        month=lambda at: format_date(at, "MMM", locale=locale),
        ago=lambda at: formats.ago(at, locale),
        size=formats.size,
        copy=lambda markup: Markup(richtext.shown(markup, settings.embeds_from)),  # noqa: S704 - kept text is clean
        shown=products.show,
        urlquote=lambda text: quote(str(text), safe=""),
        in_form=in_form,
        initials=lambda name: "".join(word[0] for word in name.split()[:2]).upper(),
    )
    env.globals.update(
        navigation=navigation,
        field_labels=products.LABELS,
        shop_name=settings.shop_name,
        currency=settings.currency,
        address=settings.address,
        embed_hosts=settings.embeds_from,
        static=f"/static/{STAMP}",
    )
    env.globals.update(countries=countries.names())
    env.globals.update(
        plural=plural,
        to=lens.to,
        lens_address=lens.same_page,
        language_name=languages.name,
        places=places,
        status_stones=formats.STATUS_STONES,
        phrase=phrase,
        marks_of=marks.field,
        marks_again=marks.again,
        done_before=done.before,
        prepares=preparing.prepares,
        help_of=help.of,
    )
    return env


@pass_context
def places(found: Context, section: Section) -> list[Place]:
    """The pages of a section for who is signed in."""
    signed, seen = found.get("signed"), found.get("seen")
    owner = bool(signed and signed.actor.may(Role.OWNER))
    return navigation.shown(section, owner=owner, translated=bool(seen and seen.all.languages))


_CONTROL = re.compile(r"<(input|select|textarea)\b(?![^>]*\sform=)")


def in_form(markup: str, form_id: str) -> Markup:
    """Fields of a form that stand outside of it: so another part, with forms of its own, may stand between them."""
    return Markup(_CONTROL.sub(rf'<\1 form="{form_id}"', str(markup)))  # noqa: S704 - what a template made is safe


def is_htmx(request: Request) -> bool:
    """Whether htmx asks for a fragment (not for a page to put back from its history)."""
    return "HX-Request" in request.headers and "HX-History-Restore-Request" not in request.headers


def page(
    request: Request,
    template: str,
    *,
    part: str | None = None,
    status: int = 200,
    headers: dict[str, str] | None = None,
    **data: Any,
) -> HTMLResponse:
    """A full page; for htmx, where one is named, only the ``part`` of it that has a template of its own."""
    env: Environment = request.app.state.templates
    seen = getattr(request.state, "seen", None)
    with lens.shown(lens.of_request(request) if seen else ""):
        html = env.get_template(part if part and is_htmx(request) else template).render(
            {"request": request, "signed": getattr(request.state, "signed", None), "seen": seen, **data}
        )
    answer = HTMLResponse(html, status, headers={"Vary": "HX-Request", **(headers or {})})
    if done.COOKIE in request.cookies and not is_htmx(request):
        answer.delete_cookie(done.COOKIE, samesite="lax")
    return answer
