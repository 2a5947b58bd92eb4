"""`escala notes`: the notes of a shot as a table, as text, or as JSON."""

import argparse
from pathlib import Path
from typing import Any


def add_commands(commands: Any) -> None:
    """Register the command."""
    notes = commands.add_parser("notes", help="write the notes of a shot as CSV, text or JSON")
    notes.add_argument("shot", metavar="SHOT_NAME")
    notes.add_argument("--out", type=Path, required=True, metavar="F.csv|F.txt|F.json")
    notes.add_argument("--home", type=Path, help="data folder")
    notes.set_defaults(run=run_notes)


def run_notes(options: argparse.Namespace) -> None:
    """Write all notes of all shots of a name, the newest first."""
    from escala.core.errors import UnknownChoice, UnreadableFile, choose
    from escala.database.connection import Database
    from escala.database.notes import note_facts, notes_of
    from escala.database.shots import all_shots
    from escala.media.atomic_write import write_bytes
    from escala.model.note_formats import FORMATS
    from escala.web.settings import Settings, default_home

    write = choose("file extension", options.out.suffix.lower(), FORMATS)
    home = (options.home or default_home()).resolve()
    file = Settings(home).database
    if not file.is_file():
        raise UnreadableFile(file, "no such file: there is no data of Escala")
    database = Database(file)
    with database.reading() as session:
        shots = all_shots(session)
        wanted = [shot.id for shot in shots if shot.name == options.shot]
        if not wanted:
            raise UnknownChoice("shot", options.shot, [shot.name for shot in shots])
        notes = [note_facts(row) for number in wanted for row in notes_of(session, number, limit=None).notes]
    write_bytes(options.out, [write(notes).encode()])
