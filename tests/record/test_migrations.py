import json
import sqlite3
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine
from sqlalchemy.orm import Session

from escala.engine.colour.chain import colouring_of
from escala.model.variant import Variant
from escala.record.database import MIGRATIONS, open_database
from escala.record.shots import all_shots, shot_render
from tests.engine.made_shot import grid_engine
from tests.made import FolderTest


class ColourOfFilesTest(FolderTest):
    """Renders of before, whose space was one for all files."""

    def older(self, space: str, reason: str) -> Path:
        """A database as the version before wrote it."""
        file = self.folder / "older.db"
        open_database(file).dispose()
        render = grid_engine(self.folder).render.as_json()
        render |= {"input_space": space, "input_space_reason": reason}
        for entry in render["passes"]:
            del entry["colour"]
        del render["alpha_ignored"]
        with sqlite3.connect(file) as older:
            older.execute("DROP TABLE delivery")
            older.execute("ALTER TABLE shot DROP COLUMN place")
            older.execute("DROP INDEX ix_revision_variant_id_parent")
            older.execute("UPDATE alembic_version SET version_num = '0002'")
            older.execute(
                "INSERT INTO shot (name, sources, render, created) VALUES ('kept', '[]', ?, '2026-01-01')",
                (json.dumps(render),),
            )
        older.close()
        return file

    def test_a_render_keeps_the_space_that_it_was_read_in(self) -> None:
        for space, reason in (
            ("ACEScg", "the header's primaries are those of AP1"),
            ("sRGB Encoded Rec.709 (sRGB)", "whole numbers in PNG and TIFF are taken as sRGB-encoded"),
        ):
            with self.subTest(space=space):
                file = self.older(space, reason)
                engine = open_database(file)
                with Session(engine) as session:
                    (shot,) = all_shots(session)
                    render = shot_render(shot)
                engine.dispose()
                file.unlink()
                self.assertEqual(colouring_of(render, Variant()).input_space, space)
                self.assertEqual({p.colour.encoded for p in render.passes}, {"whole numbers" in reason})

    def test_the_way_back_names_the_space_again(self) -> None:
        file = self.older("ACEScg", "the header names it")
        open_database(file).dispose()
        engine = create_engine(f"sqlite:///{file}")
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.downgrade(config, "0002")
        engine.dispose()
        with sqlite3.connect(file) as older:
            (text,) = older.execute("SELECT render FROM shot").fetchone()
        older.close()
        render = json.loads(text)
        self.assertEqual(render["input_space"], "ACEScg")
        self.assertTrue(all("colour" not in entry for entry in render["passes"]))
