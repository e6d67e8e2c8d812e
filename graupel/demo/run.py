"""Runs the whole of Graupel with the demo shop, and stops all of it again."""

import secrets
import shutil
import socket
import sys
import time
from contextlib import ExitStack
from pathlib import Path

import httpx
import typer

from graupel import logs, main
from graupel.core.errors import GraupelError
from graupel.db import migrate
from graupel.db.server import PrivateServer
from graupel.demo import load
from graupel.demo.processes import Processes, python
from graupel.settings import Settings

START_SECONDS = 30


def run(settings: Settings, *, fresh: bool, port: int) -> None:
    """Start everything, say where it is, wait for Ctrl-C, stop everything. Ends with status 1 where that fails."""
    began = time.monotonic()
    logs.configure("WARNING")
    try:
        with ExitStack() as stack:
            _run(settings, stack, fresh=fresh, held=stack.enter_context(_held_from(port)), began=began)
    except GraupelError as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(1) from error
    typer.echo("Stopped.")


def _run(settings: Settings, stack: ExitStack, *, fresh: bool, held: socket.socket, began: float) -> None:
    folder = settings.data_folder.resolve()
    folder.mkdir(parents=True, exist_ok=True)
    url = settings.database_url or _private_database(stack, folder, fresh=fresh)
    if fresh:
        if settings.database_url:
            raise GraupelError("--fresh does not empty a server that it did not start. Empty that database yourself.")
        for name in ("media", "uploads", "standins", "buyers", "downloads", "pieces"):
            shutil.rmtree(folder / name, ignore_errors=True)
    migrate(url)
    address = f"http://127.0.0.1:{held.getsockname()[1]}"
    held_hall = stack.enter_context(_held_from(8100))
    hall, hall_key = f"http://127.0.0.1:{held_hall.getsockname()[1]}", _key(folder / "standins.key")
    environment = {"GRAUPEL_DATABASE_URL": url, "GRAUPEL_ADDRESS": address, "GRAUPEL_DATA_FOLDER": str(folder)}
    ctx = main.make_context(
        settings.model_copy(update={"database_url": url, "address": address, "data_folder": folder})
    )
    running = stack.enter_context(Processes())
    running.start(
        "Ostlerby",
        python("-m", "standins.ostlerby", "--folder", str(folder / "standins"), "--key", hall_key),
        log=str(folder / "standins.log"),
        held=held_hall,
    )
    held_post = stack.enter_context(_held_from(8140))
    smtp = _free_port(8240)
    running.start(
        "The post office",
        python("-m", "standins.post_office", "--folder", str(folder / "standins"), "--smtp-port", str(smtp)),
        log=str(folder / "standins.log"),
        held=held_post,
    )
    post = f"http://127.0.0.1:{held_post.getsockname()[1]}"
    environment |= {"GRAUPEL_SMTP_HOST": "127.0.0.1", "GRAUPEL_SMTP_PORT": str(smtp)}
    held_till, till_key = stack.enter_context(_held_from(8160)), _key(folder / "till.key")
    till = f"http://127.0.0.1:{held_till.getsockname()[1]}"
    running.start(
        "The till",
        python("-m", "standins.tollhatch", "--folder", str(folder / "standins"), "--key", till_key),
        log=str(folder / "standins.log"),
        held=held_till,
    )
    environment |= {"GRAUPEL_TILL_ADDRESS": till, "GRAUPEL_TILL_KEY": till_key}
    environment |= {"GRAUPEL_MAIL_FROM": "graupel@skeinwright.example"}
    # It is asked with a key that no other demo's stand-in knows: so it is ours that answers.
    _wait_for(f"{hall}/v1/terms", {"Authorization": f"Bearer {hall_key}"})
    if load.is_loaded(ctx):
        load.reconnect(ctx, hall, hall_key)
    else:
        typer.echo("Loading the demo shop, once …")
        load.load(ctx, hall, hall_key, lambda text: typer.echo(f"  {text}"))
    running.start(
        "The web server",
        python("-m", "graupel.cli", "serve"),
        log=str(folder / "web.log"),
        held=held,
        environment=environment,
    )
    running.start(
        "The worker", python("-m", "graupel.cli", "worker"), log=str(folder / "worker.log"), environment=environment
    )
    _wait_for(f"{address}/readyz")
    ctx.db.close()
    _announce(address, post, time.monotonic() - began)
    running.wait()
    typer.echo("\nStopping …")


def _private_database(stack: ExitStack, folder: Path, *, fresh: bool) -> str:
    server = stack.enter_context(PrivateServer(folder / "mariadb"))
    return server.make_database("graupel", fresh=fresh)


def _announce(address: str, post: str, seconds: float) -> None:
    typer.echo(f"\nGraupel runs after {seconds:.0f} s:  {address}\n  the shop window:    {address}/shop")
    typer.echo(f"  mail that is sent:  {post}\n\nSign in as")
    for email, _, role, password in load.PEOPLE:
        typer.echo(f"  {role:<7} {email:<28} {password}")
    typer.echo("\nCtrl-C stops it; the data stays under var/.")
    sys.stdout.flush()


def _held_from(port: int) -> socket.socket:
    """The port, or the next one that is free; held from now on, so that no other demo takes it meanwhile."""
    for number in range(port, port + 100):
        held = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
        held.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            held.bind(("127.0.0.1", number))
            held.listen(128)
        except OSError:
            held.close()
            continue
        return held
    raise GraupelError(f"No port from {port} on is free.")


def _free_port(port: int) -> int:
    """The port, or the next one that is free at this moment: for one that opens its socket itself."""
    with _held_from(port) as held:
        return int(held.getsockname()[1])


def _key(path: Path) -> str:
    """The seller's key of this demo, made once."""
    if not path.exists():
        path.write_text(secrets.token_urlsafe(16))
    return path.read_text()


def _wait_for(address: str, headers: dict[str, str] | None = None) -> None:
    deadline = time.monotonic() + START_SECONDS
    while time.monotonic() < deadline:
        try:
            if httpx.get(address, timeout=2, headers=headers, trust_env=False).is_success:
                return
        except httpx.HTTPError:
            pass
        time.sleep(0.1)  # another process starts: it can only be asked
    raise GraupelError(f"{address} does not answer. The logs under var/ tell more.")
