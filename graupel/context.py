"""What a service needs beside its arguments."""

from dataclasses import dataclass, field
from pathlib import Path

from graupel.caching import KeptCounts, KeptOnes
from graupel.db import Database
from graupel.settings import Settings


@dataclass(frozen=True)
class Context:
    """The database, the settings of this installation, and what is kept in memory: counts, and larger things once."""

    db: Database
    settings: Settings
    counts: KeptCounts = field(default_factory=KeptCounts)
    ones: KeptOnes = field(default_factory=KeptOnes)

    def folder(self, name: str) -> Path:
        """A folder for files under the data folder, made where it is not there."""
        path = self.settings.data_folder / name
        path.mkdir(parents=True, exist_ok=True)
        return path
