"""Opening the database: settings of SQLite, its tables brought up to date, and the one way into a transaction."""

import sqlite3
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from sqlalchemy import URL, Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError, ProgrammingError
from sqlalchemy.orm import Session, sessionmaker

from escala.core.errors import EscalaError, NoRoom
from escala.media.atomic_write import translate_write_errors
from escala.model.strict_json import to_json

from .set_aside import has_broken_rows, set_aside_sentences, set_broken_rows_aside

MIGRATIONS = Path(__file__).parent / "migrations"
# Writers of all processes wait for one another so long.
_PATIENCE_MS = 30_000


class RecordBusy(EscalaError):
    """Another process holds the database for longer than anybody waits."""


class RecordBroken(EscalaError):
    """A database file that is none, is damaged, or was made by something else."""


class ReadingSession(Session):
    """A session that refuses changes; `Database.writing` is for those."""


class Database:
    """The database of a home: `reading` for queries, `writing` for changes."""

    def __init__(self, file: Path) -> None:
        self._engine = open_database(file)
        self._readers = sessionmaker(self._engine, class_=ReadingSession, expire_on_commit=False)
        self._writers = sessionmaker(self._engine.execution_options(writing=True), expire_on_commit=False)
        self._file = file

    def set_aside(self) -> list[str]:
        """What could not be read and was set aside, in sentences."""
        with self.reading() as session:
            return set_aside_sentences(session.connection())

    def close(self) -> None:
        """Close all connections."""
        self._engine.dispose()

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that sees one state of the database and can change nothing."""
        with translate_db_errors(self._file), self._readers() as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session that has the database for itself from its first look to its commit, at the end of the block."""
        with translate_db_errors(self._file), self._writers.begin() as session:
            yield session


def open_database(file: Path) -> Engine:
    """An engine on the file, its tables at the newest schema. What is committed is on the disk.

    Raises `NoRoom`, `RecordBusy` or `RecordBroken`.
    """
    with translate_db_errors(file):
        with translate_write_errors(file.parent):
            file.parent.mkdir(parents=True, exist_ok=True)
        engine = create_engine(URL.create("sqlite", database=str(file)), json_serializer=to_json)
        event.listen(engine, "connect", _set_up)
        event.listen(engine, "begin", _begin)
        with engine.connect() as connection:
            known = _schema(connection)
            is_broken = known is not None and has_broken_rows(connection)
        if known != newest_schema() or is_broken:
            with engine.execution_options(writing=True).begin() as connection:
                if is_broken:
                    set_broken_rows_aside(connection)
                if _schema(connection) != newest_schema():
                    _clear_unfinished(connection)
                    _upgrade(connection)
        return engine


@contextmanager
def translate_db_errors(file: Path) -> Iterator[None]:
    """Turns what SQLite says into a sentence of ours."""
    try:
        yield
    except OperationalError as error:
        words = str(error.orig).lower()
        if "full" in words or "disk i/o" in words or "unable to open" in words:
            raise NoRoom(file.parent) from error
        if "locked" in words or "busy" in words:
            raise RecordBusy(f"{file} is held by another process: try again in a moment") from error
        raise RecordBroken(f"{file} cannot be used: {error.orig}") from error
    except (IntegrityError, ProgrammingError):  # a mistake of ours, and not the file's
        raise
    except DatabaseError as error:
        raise RecordBroken(f"{file} cannot be used: {error.orig}") from error


def newest_schema() -> str:
    """The number of the newest migration."""
    return max(file.name.split("_")[0] for file in (MIGRATIONS / "versions").glob("[0-9]*.py"))


def _schema(connection: Connection) -> str | None:
    if not inspect(connection).has_table("alembic_version"):
        return None
    return connection.scalar(text("SELECT version_num FROM alembic_version"))


def _clear_unfinished(connection: Connection) -> None:
    """Drop the tables of a home whose first start was killed, by a version that did not make them in one step."""
    if _schema(connection) is not None:
        return
    names = inspect(connection).get_table_names()
    if any(connection.scalar(text(f'SELECT count(*) FROM "{name}"')) for name in names):
        raise RecordBroken("the database holds tables that Escala did not make: choose another home")
    for name in sorted(names, key=lambda name: name not in ("revision", "delivery", "variant", "render")):
        connection.execute(text(f'DROP TABLE "{name}"'))


def _upgrade(connection: Connection) -> None:
    # Alembic takes a third of a second to load, and most starts have nothing to migrate.
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS).replace("%", "%%"))
    config.attributes["connection"] = connection
    command.upgrade(config, "head")


def _set_up(connection: Any, _record: Any) -> None:
    # The driver begins transactions late and by its own rules; here `_begin` does.
    connection.isolation_level = None
    for pragma in (f"busy_timeout={_PATIENCE_MS}", "synchronous=FULL", "foreign_keys=ON"):
        connection.execute(f"PRAGMA {pragma}")
    _write_ahead(connection)


def _write_ahead(connection: Any) -> None:
    """Turn a new file to a log that is written ahead. SQLite does not wait for others by itself there, so we do."""
    end = time.monotonic() + _PATIENCE_MS / 1000
    while connection.execute("PRAGMA journal_mode").fetchone()[0] != "wal":
        try:
            connection.execute("PRAGMA journal_mode=WAL")
        except sqlite3.OperationalError as error:
            if "locked" not in str(error) or time.monotonic() > end:
                raise
            time.sleep(0.01)


def _begin(connection: Connection) -> None:
    """A writer has the write lock before it looks, so that what it read is still so when it writes."""
    writing = connection.get_execution_options().get("writing", False)
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writing else "BEGIN")


@event.listens_for(ReadingSession, "before_flush")
def _refuse_changes(session: Session, *_: Any) -> None:
    if session.new or session.dirty or session.deleted:
        raise TypeError("a reading session changes nothing: use Database.writing")
