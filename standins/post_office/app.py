"""The post office: SMTP for those who send, a page and /v1/letters for those who look, /control for faults."""

import time
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import EmailMessage
from html import escape
from pathlib import Path
from typing import Any, Literal

from aiosmtpd.controller import Controller
from fastapi import FastAPI
from fastapi.responses import HTMLResponse
from pydantic import BaseModel

from standins.post_office.store import Letter, Store


@dataclass
class Manner:
    """How it behaves: "well", "refuses", or "slow" by some seconds."""

    kind: str = "well"
    seconds: float = 0.0


class MannerIn(BaseModel):
    """A fault that is switched on, or off with "well"."""

    kind: Literal["well", "refuses", "slow"]
    seconds: float = 0.0


class Counter:
    """Takes mail in."""

    def __init__(self, store: Store, manner: Manner) -> None:
        self._store, self._manner = store, manner

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        """Keep a mail, or refuse it."""
        if self._manner.kind == "refuses":
            return "451 The post office is closed for the moment"
        if self._manner.kind == "slow":
            time.sleep(self._manner.seconds)
        message = message_from_bytes(envelope.content, policy=policy.default)
        assert isinstance(message, EmailMessage)
        body = message.get_body(("plain",))
        text = body.get_content() if body else ""
        subject, known_by = str(message["Subject"] or ""), message["Message-ID"]
        known_by = None if known_by is None else str(known_by)
        self._store.put(known_by, envelope.mail_from, ", ".join(envelope.rcpt_tos), subject, text)
        return "250 Taken"


def make_app(folder: Path, smtp_port: int) -> FastAPI:
    """The post office with its file in a folder; mail is taken on loopback at a port."""
    store, manner = Store(folder), Manner()
    counter = Controller(Counter(store, manner), hostname="127.0.0.1", port=smtp_port)

    @asynccontextmanager
    async def open_while_serving(_: FastAPI) -> AsyncIterator[None]:
        counter.start()
        yield
        counter.stop()

    app = FastAPI(title="Post office", version="1", lifespan=open_while_serving)

    @app.get("/", response_class=HTMLResponse)
    def look() -> str:
        """The mail that was taken, the newest first."""
        return _page(store.newest())

    @app.get("/v1/letters")
    def letters() -> list[Letter]:
        """The same for programs."""
        return store.newest()

    @app.post("/control/manner")
    def behave(given: MannerIn) -> dict[str, str]:
        """Switch a fault on or off."""
        manner.kind, manner.seconds = given.kind, given.seconds
        return {"kind": manner.kind}

    @app.post("/control/clear")
    def clear() -> dict[str, str]:
        """Throw all mail away."""
        store.clear()
        return {"letters": "none"}

    return app


def _page(letters: list[Letter]) -> str:
    rows = "".join(
        f"<article><h2>{escape(one.subject)}</h2><p>{escape(one.taken_at)} from {escape(one.sender)} to "
        f"{escape(one.recipients)}</p><pre>{escape(one.text)}</pre></article>"
        for one in letters
    )
    return (
        '<!doctype html><html lang="en"><meta charset="utf-8"><title>Post office</title><h1>Post office</h1>'
        f"<p>Mail that was taken on this machine; none of it goes anywhere.</p>{rows or '<p>No mail yet.</p>'}</html>"
    )
