import json
import sqlite3
from pathlib import Path
from typing import Any

import jsonpatch
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine
from sqlalchemy.orm import Session

from escala.database.connection import MIGRATIONS, Database, open_database
from escala.database.revisions import history, redo, state_at, undo
from escala.database.shots import (
    DELETED,
    FIRST_VARIANT,
    BrokenDocument,
    NotFound,
    add_shot,
    add_variant,
    all_shots,
    clear_deleted,
    delete_variant,
    find_shot,
    find_variant,
    restore_variant,
    shot_render,
    variant_document,
)
from escala.engine.colour.pipeline import resolve_colour
from escala.model.variant import Variant
from tests.database.test_revisions import edit_variant, empty_render
from tests.engine.fixture_shot import grid_engine
from tests.fixtures import FolderTest


def move_renders_back(older: sqlite3.Connection) -> None:
    """Undo the tenth migration and later ones: the render of a shot stood in its row."""
    for table in ("answer", "note", "share", "balance_preset"):
        older.execute(f"DROP TABLE {table}")
    older.execute("DROP TABLE delivery_frame")
    older.execute("DROP TABLE delivery_preset")
    older.execute("ALTER TABLE shot DROP COLUMN light_names")
    older.execute("ALTER TABLE shot ADD COLUMN sources JSON NOT NULL DEFAULT '[]'")
    older.execute("ALTER TABLE shot ADD COLUMN render JSON NOT NULL DEFAULT '{}'")
    older.execute("UPDATE shot SET (sources, render) = (SELECT sources, document FROM render WHERE shot_id = shot.id)")
    older.execute("DROP TABLE render")


def _drop_newer(older: sqlite3.Connection) -> None:
    """What the eighth to tenth migrations made."""
    move_renders_back(older)
    older.execute("ALTER TABLE shot RENAME COLUMN status TO place")
    older.execute("DROP TABLE set_aside")
    older.execute("ALTER TABLE variant DROP COLUMN deleted")


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
            _drop_newer(older)
            older.execute("DROP TABLE preset")
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
            ("sRGB Encoded Rec.709 (sRGB)", "integer images and videos are treated as sRGB-encoded"),
        ):
            with self.subTest(space=space):
                file = self.older(space, reason)
                engine = open_database(file)
                with Session(engine) as session:
                    (shot,) = all_shots(session)
                    render = shot_render(shot)
                engine.dispose()
                file.unlink()
                self.assertEqual(resolve_colour(render, Variant()).input_space, space)
                self.assertEqual({p.colour.encoded for p in render.passes}, {"integers" in reason})

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


class OlderHomeTest(FolderTest):
    """Documents of version 1, with a history that branches."""

    def older(self) -> Path:
        file = self.folder / "older.db"
        engine = open_database(file)
        with Session(engine) as session:
            variant = add_shot(session, empty_render(), ["/a.exr"]).variants[0]
            for stops in (1, 2, 3):
                patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": stops}}]
                edit_variant(session, variant, variant.head, patch, f"key {stops}")
            session.commit()
        engine.dispose()
        states: dict[int, dict[str, Any]] = {0: self.document([])}
        states[1] = self.document([{"id": "a", "kind": "recolour", "hue": 20.0, "object_name": "hull"}])
        states[2] = self.document([*states[1]["surface"]["recolours"], {"id": "b", "kind": "recolour", "value": 0.5}])
        states[3] = self.document([{"id": "a", "kind": "recolour", "hue": 40.0, "object_name": None}])
        with sqlite3.connect(file) as older:
            _drop_newer(older)
            older.execute("DROP TABLE preset")
            older.execute("UPDATE alembic_version SET version_num = '0005'")
            older.execute("UPDATE variant SET document = ?, head = 3", (json.dumps(states[3]),))
            for number, parent in ((1, 0), (2, 1), (3, 1)):
                there = json.dumps(jsonpatch.make_patch(states[parent], states[number]).patch)
                back = json.dumps(jsonpatch.make_patch(states[number], states[parent]).patch)
                row = (parent, there, back, number)
                older.execute("UPDATE revision SET parent = ?, patch = ?, inverse = ? WHERE number = ?", row)
        older.close()
        return file

    def document(self, recolours: list[dict[str, Any]]) -> dict[str, Any]:
        """As version 1 kept it: some parts that have come since are not there."""
        return {"schema_version": 1, "surface": {"recolours": recolours}, "finish": {"corrections": []}}


class MattesTest(OlderHomeTest):
    def test_every_state_is_read_as_one_of_today(self) -> None:
        engine = open_database(self.older())
        self.addCleanup(engine.dispose)
        with Session(engine) as session:
            (shot,) = all_shots(session)
            variant = shot.variants[0]
            found = {number: state_at(session, variant, number) for number in range(4)}
            self.assertEqual(
                [[c.id for c in found[n].surface.changes] for n in range(4)], [[], ["a"], ["a", "b"], ["a"]]
            )
            self.assertEqual([found[n].surface.changes[0].matte for n in (1, 3)], ["hull", None])
            self.assertEqual(found[2].mattes["hull"].names, ("hull",))
            undo(session, variant, variant.head)
            self.assertEqual(Variant.model_validate(variant.document), found[1])
            redo(session, variant, variant.head)
            self.assertEqual(Variant.model_validate(variant.document), found[3])
            self.assertEqual(variant.document["schema_version"], 2)


class BrokenRowsTest(OlderHomeTest):
    """A home starts, whatever one row holds."""

    def broken(self, statement: str, *values: object) -> Path:
        file = self.older()
        with sqlite3.connect(file) as older:
            older.execute(statement, values)
        older.close()
        return file

    def opened(self, file: Path) -> tuple[list[str], Variant, int]:
        """What is set aside, the variant as it is read, and its head; the home opens a second time, too."""
        Database(file).close()
        database = Database(file)
        self.addCleanup(database.close)
        with database.reading() as session:
            variant = all_shots(session)[0].variants[0]
            return database.set_aside(), variant_document(variant), variant.head

    def test_a_history_that_cannot_be_walked(self) -> None:
        broken = json.dumps([{"op": "replace", "path": "/gone/for/good", "value": 1}])
        file = self.broken("UPDATE revision SET inverse = ? WHERE number = 1", broken)
        told, variant, head = self.opened(file)
        self.assertEqual((len(told), head), (1, 0))
        self.assertRegex(told[0], "Variant 1 could not be read and was set aside: its history is damaged")
        self.assertEqual(variant.surface.changes[0].hue, 40)
        file.unlink()

    def test_rows_that_hold_no_json(self) -> None:
        for table, column, what in (("revision", "patch", "Revision"), ("variant", "document", "Variant")):
            with self.subTest(table=table):
                file = self.broken(f"UPDATE {table} SET {column} = '{{half'")
                told, variant, _ = self.opened(file)
                self.assertTrue(all(sentence.startswith(what) for sentence in told[1:]), told)
                self.assertEqual(variant.surface.changes == (), table == "variant")
                with sqlite3.connect(file) as kept:
                    self.assertIn("{half", kept.execute("SELECT content FROM set_aside").fetchone()[0])
                kept.close()
                file.unlink()

    def test_a_shot_whose_render_is_broken_stays_and_says_so(self) -> None:
        database = Database(self.broken("UPDATE shot SET render = 'no json'"))
        self.addCleanup(database.close)
        with database.reading() as session:
            (shot,) = all_shots(session)
            with self.assertRaisesRegex(BrokenDocument, "The stored render of 'quay' cannot be read"):
                shot_render(shot)
            self.assertEqual(len(shot.variants), 1)


class IdsTest(OlderHomeTest):
    def test_ids_of_what_was_deleted_are_never_given_again(self) -> None:
        database = Database(self.folder / "r.db")
        self.addCleanup(database.close)
        with database.writing() as session:
            shot = add_shot(session, empty_render(), ["/a.exr"])
            gone = add_variant(session, shot, "gone", Variant())
            delete_variant(session, gone)
            self.assertEqual([v.name for v in shot.variants], [FIRST_VARIANT])
            with self.assertRaises(NotFound):
                find_variant(session, gone.id)
        with database.writing() as session:
            restore_variant(session, gone.id)
            self.assertEqual(len(find_variant(session, gone.id).shot.variants), 2)
            delete_variant(session, find_variant(session, gone.id))
            other = add_shot(session, empty_render(), ["/b.exr"])
            other.status = DELETED
        with database.writing() as session:
            clear_deleted(session)
        with database.writing() as session:
            self.assertGreater(add_variant(session, find_shot(session, shot.id), "new", Variant()).id, other.id + 1)
            self.assertGreater(add_shot(session, empty_render(), ["/c.exr"]).id, other.id)
            with self.assertRaises(NotFound):
                restore_variant(session, gone.id)

    def test_an_older_home_keeps_its_rows_and_counts_on(self) -> None:
        file = self.older()
        database = Database(file)
        self.addCleanup(database.close)
        with database.writing() as session:
            (shot,) = all_shots(session)
            self.assertEqual(len(history(session, shot.variants[0])), 3)
            second = add_variant(session, shot, "second", Variant())
            number = second.id
            session.delete(second)
        with database.writing() as session:
            self.assertGreater(add_variant(session, all_shots(session)[0], "third", Variant()).id, number)

    def test_the_kind_of_depth_is_taken_from_its_reason(self) -> None:
        file = self.folder / "r.db"
        database = Database(file)
        entry = {
            "name": "Z", "role": "depth", "sure": 1, "reason": "its name; it holds one over distance: by its name",
            "file": "/a.exr", "file_part": "", "channels": ["Z"], "pixel_type": "float",
            "statistics": {"low": [0], "high": [1], "mean": [0.5], "count": 1, "finite": 1},
        }  # fmt: skip
        with database.writing() as session:
            shot = add_shot(session, empty_render(), ["/a.exr"])
            (row,) = shot.renders
            row.document = {**row.document, "passes": [entry]}
        database.close()
        with sqlite3.connect(file) as older:
            _drop_newer(older)
            older.execute("UPDATE alembic_version SET version_num = '0007'")
        older.close()
        database = Database(file)
        self.addCleanup(database.close)
        with database.reading() as session:
            found = all_shots(session)[0].renders[0].document["passes"][0]["depth"]
        self.assertEqual(found, {"kind": "inverse", "reason": "by its name"})
