import json
import sqlite3
from pathlib import Path
from typing import Any

import jsonpatch
from alembic import command
from alembic.config import Config
from sqlalchemy import create_engine
from sqlalchemy.orm import Session

from escala.engine.colour.chain import colouring_of
from escala.model.variant import Variant
from escala.record.database import MIGRATIONS, open_database
from escala.record.revisions import edit_variant, redo, state_at, undo
from escala.record.shots import add_shot, all_shots, shot_render
from tests.engine.made_shot import grid_engine
from tests.made import FolderTest
from tests.record.test_revisions import empty_render


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


class MattesTest(FolderTest):
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
            undo(session, variant)
            self.assertEqual(Variant.model_validate(variant.document), found[1])
            redo(session, variant)
            self.assertEqual(Variant.model_validate(variant.document), found[3])
            self.assertEqual(variant.document["schema_version"], 2)
