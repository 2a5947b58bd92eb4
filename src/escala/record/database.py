"""Opening the database: settings of SQLite, and its tables brought up to date."""

from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text

MIGRATIONS = Path(__file__).parent / "migrations"


def open_database(file: Path) -> Engine:
    """An engine on the file, its tables at the newest schema. What is committed is on the disk."""
    file.parent.mkdir(parents=True, exist_ok=True)
    engine = create_engine(f"sqlite:///{file}")
    event.listen(engine, "connect", _set_up)
    with engine.begin() as connection:
        if _schema(connection) != newest_schema():
            _upgrade(connection)
    return engine


def newest_schema() -> str:
    """The number of the newest migration."""
    return max(file.name.split("_")[0] for file in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def _schema(connection: Connection) -> str | None:
    if not inspect(connection).has_table("alembic_version"):
        return None
    return str(connection.scalar(text("SELECT version_num FROM alembic_version")))


def _upgrade(connection: Connection) -> None:
    # Alembic takes a third of a second to load, and most starts have nothing to migrate.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")


def _set_up(connection: Any, _record: Any) -> None:
    for pragma in ("journal_mode=WAL", "synchronous=FULL", "foreign_keys=ON", "busy_timeout=5000"):
        connection.execute(f"PRAGMA {pragma}")
