"""Rows of the database that cannot be read: set aside as they are, so that all others can be used.

Plain SQL: what is broken is no row of the tables as the mapper knows them.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Connection, RowMapping, inspect, text

from escala.model.strict_json import to_json

_TABLE = """
CREATE TABLE IF NOT EXISTS set_aside (
  id INTEGER NOT NULL PRIMARY KEY, "table" VARCHAR NOT NULL, "row" VARCHAR NOT NULL, reason VARCHAR NOT NULL,
  content VARCHAR NOT NULL, created DATETIME NOT NULL
)
"""


@dataclass(frozen=True)
class _Columns:
    """The columns of a table that hold JSON, the one that names a row, and what remains of a broken one.

    `instead`: SQL of columns that take neutral values; empty: the row goes.
    """

    table: str
    key: str
    json: tuple[str, ...]
    instead: str = ""


_CHECKED = (
    _Columns("shot", "id", ("sources", "render"), "sources = '[]', render = '{}'"),  # until schema 0009
    _Columns("render", "id", ("sources", "document"), "sources = '[]', document = '{}'"),
    _Columns("variant", "id", ("document",), "document = '{}'"),
    _Columns("revision", "id", ("patch", "inverse"), "patch = 'null', inverse = 'null'"),
    _Columns("delivery", "id", ("wanted",)),
    _Columns("preset", "name", ("corrections",)),
    _Columns("delivery_preset", "name", ("files",)),
    _Columns("balance_preset", "name", ("preset",)),
    _Columns("note", "id", ("place",), "place = '[]'"),
    _Columns("share", "id", ("revisions",)),
    _Columns("naming_rule", "name", ("reading",)),
)


def create_table(connection: Connection) -> None:
    """Make the table of rows that are set aside, if it is not there."""
    connection.execute(text(_TABLE))


def set_aside(connection: Connection, table: str, row: object, reason: str, content: Any) -> None:
    """Keep what a row held. `content`: plain values for JSON, or texts as they are."""
    create_table(connection)
    connection.execute(
        text(
            'INSERT INTO set_aside ("table", "row", reason, content, created) '
            "VALUES (:table, :row, :reason, :content, :created)"
        ),
        {
            "table": table, "row": str(row), "reason": reason, "content": to_json(content),
            "created": datetime.now(UTC).replace(tzinfo=None).isoformat(sep=" "),
        },
    )  # fmt: skip


def set_broken_rows_aside(connection: Connection) -> int:
    """Set aside each row whose columns hold no JSON; how many there were. Tables that are not there yet are skipped."""
    count = 0
    for checked, rows in _broken_rows(connection):
        for row in rows:
            key = row[checked.key]
            content = {name: str(value) for name, value in row.items()}
            set_aside(connection, checked.table, key, "it holds no JSON", content)
            change = (
                f"UPDATE {checked.table} SET {checked.instead}" if checked.instead else f"DELETE FROM {checked.table}"
            )
            connection.execute(text(f"{change} WHERE {checked.key} = :key"), {"key": key})
            count += 1
    return count


def has_broken_rows(connection: Connection) -> bool:
    """Whether any row holds no JSON where it must."""
    return any(rows for _, rows in _broken_rows(connection))


def _broken_rows(connection: Connection) -> Iterator[tuple[_Columns, Sequence[RowMapping]]]:
    inspector = inspect(connection)
    there = set(inspector.get_table_names())
    for checked in _CHECKED:
        columns = {column["name"] for column in inspector.get_columns(checked.table)} if checked.table in there else ()
        if set(checked.json) <= set(columns):
            broken = " OR ".join(f"NOT json_valid({column})" for column in checked.json)
            yield checked, connection.execute(text(f"SELECT * FROM {checked.table} WHERE {broken}")).mappings().all()


def set_aside_sentences(connection: Connection) -> list[str]:
    """What was set aside, for people: the newest first. A shot or render that cannot be read says so itself."""
    chosen = """SELECT "table", "row", reason FROM set_aside WHERE "table" NOT IN ('shot', 'render')"""
    rows = connection.execute(text(f"{chosen} ORDER BY id DESC LIMIT 50")).all()
    return [
        f"{_WORDS.get(table, table)} {row} could not be read and was set aside: {reason}."
        for table, row, reason in rows
    ]


_WORDS = {
    "shot": "Shot", "render": "Render", "variant": "Variant", "revision": "Revision", "delivery": "Delivery",
    "preset": "Preset", "naming_rule": "Naming rule",
}  # fmt: skip
