"""The renders of a shot as rows of the database."""

import sqlite3

from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine

from escala.database.connection import MIGRATIONS, Database
from escala.database.shots import NotFound, add_render, add_shot, find_render, find_shot, remove_render, shot_render
from tests.database.test_revisions import empty_render
from tests.fixtures import FolderTest


class RendersTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "r.db"
        self.database = Database(self.file)
        self.addCleanup(self.database.close)
        with self.database.writing() as session:
            shot = add_shot(session, empty_render(), ["/quay.exr"])
            for name in ("ropes", "ropes", "gulls"):
                add_render(session, shot, name, empty_render(), [f"/{name}.exr"])
            self.shot_id = shot.id

    def names(self) -> list[str]:
        with self.database.reading() as session:
            return [row.name for row in find_shot(session, self.shot_id).renders]

    def test_the_first_has_no_name_and_others_have_distinct_ones(self) -> None:
        self.assertEqual(self.names(), ["", "ropes", "ropes 2", "gulls"])
        with self.database.reading() as session:
            shot = find_shot(session, self.shot_id)
            self.assertEqual(find_render(shot).sources, ["/quay.exr"])
            self.assertEqual(shot_render(shot, "gulls").name, empty_render().name)
            with self.assertRaisesRegex(NotFound, "has no render 'mist'"):
                find_render(shot, "mist")

    def test_removed_they_are_gone_but_the_first_stays(self) -> None:
        with self.database.writing() as session:
            remove_render(session, find_shot(session, self.shot_id), "ropes")
        self.assertEqual(self.names(), ["", "ropes 2", "gulls"])
        with self.database.writing() as session, self.assertRaisesRegex(NotFound, "cannot be removed"):
            remove_render(session, find_shot(session, self.shot_id), "")

    def test_they_go_with_their_shot(self) -> None:
        with self.database.writing() as session:
            session.delete(find_shot(session, self.shot_id))
        with sqlite3.connect(self.file) as plain:
            self.assertEqual(plain.execute("SELECT count(*) FROM render").fetchone(), (0,))
        plain.close()

    def test_the_way_back_keeps_the_first(self) -> None:
        self.database.close()
        engine = create_engine(f"sqlite:///{self.file}")
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.downgrade(config, "0009")
        engine.dispose()
        with sqlite3.connect(self.file) as older:
            self.assertEqual(older.execute("SELECT sources FROM shot").fetchall(), [('["/quay.exr"]',)])
        older.close()
        Database(self.file).close()
        self.database = Database(self.file)
        self.assertEqual(self.names(), [""])
