"""What the database must not tell: channel keys and second factors are sealed with a key that is kept beside it."""

import os
from dataclasses import dataclass
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken, MultiFernet

from graupel.core.errors import GraupelError

#: Where the key stands when the settings name none, beside the uploaded files and never in the database.
FILE = "sealing.key"
_MARK = "sealed:"


class SealBroken(GraupelError):
    """Something was sealed with another key than the one that is there now."""


@dataclass(frozen=True)
class Sealer:
    """Seals texts and opens them; with several keys the first one seals, and each may open."""

    box: MultiFernet

    def seal(self, text: str) -> str:
        """The text, so that only who has the key can read it."""
        return _MARK + self.box.encrypt(text.encode()).decode() if text else ""

    def is_sealed(self, text: str) -> bool:
        """Whether it was sealed, or is kept as it is."""
        return text.startswith(_MARK)

    def open(self, sealed: str, *, seconds: int | None = None) -> str:
        """The text again; what was kept before there was a key is read as it is. ``seconds``: how old it may be.

        Raises SealBroken.
        """
        if not self.is_sealed(sealed):
            if seconds is not None:
                raise SealBroken("This was not made here.")
            return sealed
        try:
            return self.box.decrypt(sealed.removeprefix(_MARK).encode(), ttl=seconds).decode()
        except InvalidToken as error:
            raise SealBroken(
                "What was kept secret can't be read: the sealing key is another one. Put the old key back, or enter "
                "the secret again."
            ) from error


def sealer(keys: str, folder: Path) -> Sealer:
    """The sealer of this installation: of keys in the settings (blanks between), or of one that is made once.

    Raises GraupelError where a key is none.
    """
    try:
        return Sealer(MultiFernet([Fernet(key) for key in (keys.split() or [_kept(folder / FILE)])]))
    except ValueError as error:
        raise GraupelError(
            "GRAUPEL_SEALING_KEY is no key: 32 bytes in URL-safe base64. `graupel key` prints a new one."
        ) from error


def fresh_key() -> str:
    """A new key."""
    return Fernet.generate_key().decode()


def _kept(path: Path) -> str:
    path.parent.mkdir(parents=True, exist_ok=True)
    aside = path.with_name(f"{path.name}.{os.getpid()}")
    if not path.exists():
        # Written aside and linked: of two processes that begin at once, both end up with the same whole key.
        with os.fdopen(os.open(aside, os.O_CREAT | os.O_WRONLY | os.O_TRUNC, 0o600), "w") as file:
            file.write(fresh_key())
            file.flush()
            os.fsync(file.fileno())
        try:
            os.link(aside, path)
        except FileExistsError:
            pass
        finally:
            aside.unlink()
    return path.read_text().strip()
