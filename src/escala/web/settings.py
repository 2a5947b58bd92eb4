"""Where Escala keeps its data, what it may read, and where it listens."""

import os
from dataclasses import dataclass
from pathlib import Path

from escala.media.path_safety import Roots


def default_home() -> Path:
    """`ESCALA_HOME`, else a folder in the user's own data folder."""
    named = os.environ.get("ESCALA_HOME")
    data = Path(os.environ.get("XDG_DATA_HOME", Path.home() / ".local" / "share"))
    return Path(named) if named else data / "escala"


@dataclass(frozen=True)
class Settings:
    """All settings of a running server. Sizes in bytes."""

    home: Path
    media_roots: tuple[Path, ...] = ()
    host: str = "127.0.0.1"
    port: int = 8320
    token: str | None = None
    upload_limit: int = 4 * 2**30
    store_limit: int = 40 * 2**30

    @property
    def database(self) -> Path:
        """The SQLite file."""
        return self.home / "escala.db"

    @property
    def store(self) -> Path:
        """The pass store; it can always be rebuilt."""
        return self.home / "store"

    @property
    def uploads(self) -> Path:
        """Files imported by the browser."""
        return self.home / "uploads"

    @property
    def configs(self) -> Path:
        """Colour configs imported by the browser."""
        return self.home / "configs"

    @property
    def deliveries(self) -> Path:
        """Files written for the browser."""
        return self.home / "deliveries"

    @property
    def incoming(self) -> Path:
        """What is on its way in or out, until it is whole; emptied at each start."""
        return self.home / "incoming"

    @property
    def folders(self) -> tuple[Path, ...]:
        """All folders of the home."""
        return (self.home, self.store, self.uploads, self.configs, self.deliveries, self.incoming)

    @property
    def roots(self) -> Roots:
        """What may be read: the media roots, and what was imported."""
        return Roots((*self.media_roots, self.uploads, self.configs))

    @property
    def is_loopback(self) -> bool:
        """Whether only this machine can reach the server."""
        return self.host in ("127.0.0.1", "localhost", "::1")
