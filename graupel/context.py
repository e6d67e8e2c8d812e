"""What a service needs beside its arguments."""

from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from functools import cached_property
from pathlib import Path
from zoneinfo import ZoneInfo

from graupel.caching import Keepers, KeptCounts
from graupel.db import Database, Tx
from graupel.sealing import Sealer, sealer
from graupel.settings import Settings


@dataclass(frozen=True)
class Context:
    """The database, the settings of this installation, and what is kept in memory: counts, and larger things once.

    ``ahead``: by how much its clock is moved on, for trying what time brings.
    """

    db: Database
    settings: Settings
    counts: KeptCounts = field(default_factory=KeptCounts)
    keepers: Keepers = field(default_factory=Keepers)
    ahead: timedelta = timedelta(0)

    def now(self, tx: Tx) -> datetime:
        """The moment, UTC: the database's, so that all machines agree, moved by ``ahead``."""
        found: datetime = tx.remembered("now", lambda: tx.value("SELECT UTC_TIMESTAMP(3)"))
        return found.replace(tzinfo=UTC) + self.ahead

    @property
    def zone(self) -> ZoneInfo:
        """The shop's time zone."""
        return ZoneInfo(self.settings.time_zone)

    @cached_property
    def sealer(self) -> Sealer:
        """Seals what the database keeps but must not tell. Raises GraupelError where the settings' key is none."""
        return sealer(self.settings.sealing_key, self.settings.data_folder)

    def folder(self, name: str) -> Path:
        """A folder for files under the data folder, made where it is not there."""
        path = self.settings.data_folder / name
        path.mkdir(parents=True, exist_ok=True)
        return path
