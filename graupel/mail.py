"""Sending mail, through the SMTP server of the settings."""

import smtplib
import ssl
from collections.abc import Sequence
from email import utils
from email.message import EmailMessage

from graupel.core.errors import GraupelError
from graupel.settings import Settings

SECONDS = 20


class MailNotSent(GraupelError):
    """The mail server did not take a message."""


def is_set_up(settings: Settings) -> bool:
    """Whether mail can be sent at all."""
    return bool(settings.smtp_host and settings.mail_from)


def send(settings: Settings, to: Sequence[str], subject: str, text: str, key: str) -> None:
    """Send a plain text to some addresses. Raises MailNotSent, saying why.

    ``key``: of this message alone. Written again under the same one, it has the same Message-ID (RFC 5322, 3.6.4), by
    which those who take mail know that they have it.
    """
    if not is_set_up(settings):
        raise MailNotSent("No mail server is set up: set GRAUPEL_SMTP_HOST and GRAUPEL_MAIL_FROM.")
    message = EmailMessage()
    message["Subject"], message["From"], message["To"] = subject, settings.mail_from, ", ".join(to)
    message["Date"] = utils.localtime()
    message["Message-ID"] = f"<{key}@{settings.mail_from.rpartition('@')[2].rstrip('>')}>"
    message.set_content(text)
    try:
        with smtplib.SMTP(settings.smtp_host, settings.smtp_port, timeout=SECONDS) as server:
            if settings.smtp_tls:
                server.starttls(context=ssl.create_default_context())
            if settings.smtp_user:
                server.login(settings.smtp_user, settings.smtp_password)
            server.send_message(message)
    except (OSError, smtplib.SMTPException) as error:
        where = f"{settings.smtp_host}:{settings.smtp_port}"
        raise MailNotSent(f"The mail server {where} did not take the message: {error}.") from error
