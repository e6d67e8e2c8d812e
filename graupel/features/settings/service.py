"""The settings of the installation as an owner reads them: each with what it is for and the variable that sets it."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from graupel.context import Context
from graupel.core.roles import Actor, Role

#: What no page shows: only whether it is set.
SECRET = ("database_url", "sealing_key", "smtp_password", "till_key")
#: In what numbers are, by the ends of their names.
UNITS = {"_hours": "hours", "_days": "days", "_megabytes": "MB", "_seconds": "seconds"}
#: Heading -> setting, what it is called, and what it does.
GROUPS: tuple[tuple[str, tuple[tuple[str, str, str], ...]], ...] = (
    (
        "The shop",
        (
            ("shop_name", "Name", "The name of the first shop, until it has one of its own."),
            ("currency", "Currency", "All amounts of the catalogue are in it."),
            ("language", "Default language", "Records are written in it, and the screen’s numbers and dates."),
            ("time_zone", "Time zone", "Times are shown in it, and days begin in it."),
        ),
    ),
    (
        "Where it is reached",
        (
            ("address", "Address", "Links for browsers and marketplaces begin with it."),
            ("hosts", "Further names", "Requests for other names are refused."),
            ("secure_cookies", "Served over TLS", "Cookies are for TLS alone, and browsers use nothing else."),
            ("trusted_proxies", "Trusted proxies", "Whose word is taken for where a request comes from."),
        ),
    ),
    (
        "People",
        (
            ("session_hours", "Session unused", "It ends after so long."),
            ("session_days", "Session at the longest", "It ends after so long, whatever is done in it."),
            ("sealing_key", "Sealing key", "Channel keys and second factors are sealed with it."),
        ),
    ),
    (
        "What is taken in",
        (
            ("upload_megabytes", "One request", "No more is taken at once."),
            ("picture_megabytes", "One picture", "A larger one is refused."),
            ("video_megabytes", "One video or 3D model", "A larger one is refused."),
            ("embed_hosts", "Embedded from", "Hosts from which texts may show films, maps and the like."),
            ("fetch_hosts", "Fetched from", "Hosts from which pictures are fetched, also where they are private."),
            ("fetch_only_listed", "Only from there", "Pictures are fetched from no other hosts."),
        ),
    ),
    (
        "Mail",
        (
            ("smtp_host", "Mail server", "Mail goes through it; without it nothing is sent."),
            ("smtp_port", "Its port", "25 inside a network, 587 for most others."),
            ("smtp_tls", "STARTTLS", "Before anything else is said to it."),
            ("smtp_user", "Signed in as", "Blank: it asks nobody."),
            ("smtp_password", "Password", "Of the mail server."),
            ("mail_from", "From", "The address that mail comes from."),
        ),
    ),
    (
        "Paying",
        (
            ("till_address", "Till", "Where buyers of the shop window pay; without it they pay by transfer."),
            ("till_key", "Its key", "By which the till knows the shop."),
        ),
    ),
    (
        "The server",
        (
            ("database_url", "Database", "Where everything is kept but files."),
            ("data_folder", "Data folder", "Where files are kept; several machines share it."),
            ("lease_seconds", "Lease of a job", "A job whose worker is silent for so long goes to another one."),
            ("log_level", "Log", "What is written down, and all above it."),
        ),
    ),
)


@dataclass(frozen=True)
class Setting:
    """One setting. ``variable``: of the environment; ``is_default``: it was not set."""

    label: str
    value: str
    help: str
    variable: str
    is_default: bool


def read(ctx: Context, actor: Actor) -> list[tuple[str, Sequence[Setting]]]:
    """All settings by heading, for owners."""
    actor.require(Role.OWNER)
    return [(heading, [_setting(ctx, *one) for one in group]) for heading, group in GROUPS]


def _setting(ctx: Context, name: str, label: str, explained: str) -> Setting:
    fields = type(ctx.settings).model_fields
    value, default = getattr(ctx.settings, name), fields[name].default
    prefix = type(ctx.settings).model_config["env_prefix"]
    return Setting(label, _shown(name, value), explained, f"{prefix}{name}".upper(), value == default)


def _shown(name: str, value: Any) -> str:
    if name in SECRET:
        return "set, not shown" if value else "made by itself" if name == "sealing_key" else "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    unit = next((f" {word}" for end, word in UNITS.items() if name.endswith(end)), "")
    return f"{value.absolute() if isinstance(value, Path) else value}{unit}" or "none"
