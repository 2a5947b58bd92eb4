import sqlite3

from sqlalchemy.orm import Session

from escala.database.connection import newest_schema, open_database
from escala.database.naming_rules import remember_rules, rule_name, rules_for, suggested_rules
from escala.database.shots import (
    LastVariant,
    NotFound,
    add_shot,
    add_variant,
    all_shots,
    delete_variant,
    find_shot,
    find_variant,
    shot_render,
)
from escala.engine.balance.plan import render_lights
from escala.model.source import PassReading, SourceChoice
from escala.model.variant import Variant
from tests.database.test_migrations import move_renders_back
from tests.database.test_revisions import RecordTest
from tests.engine.fixture_shot import grid_engine


class NamingRuleTest(RecordTest):
    def test_names_differ_neither_by_case_nor_by_separators(self) -> None:
        self.assertEqual({rule_name(name) for name in ("LG-Key", "lg_key", "lgKey", "Lg.Key")}, {"lgkey"})
        self.assertNotEqual(rule_name("light1"), rule_name("light2"))

    def test_the_newest_correction_is_the_rule(self) -> None:
        states = [
            Variant(source=SourceChoice(roles={"Strange": PassReading(role=role)})) for role in ("mask", "occlusion")
        ]
        remember_rules(self.session, Variant(), states[0])
        self.assertEqual(rules_for(self.session, ["strange"])["strange"].role, "mask")
        remember_rules(self.session, *states)
        self.assertEqual(rules_for(self.session, ["STRANGE"])["STRANGE"].role, "occlusion")
        self.assertEqual(rules_for(self.session, ["other"]), {})

    def test_a_rule_is_offered_where_it_would_change_something(self) -> None:
        render = grid_engine(self.folder).render
        said = Variant(source=SourceChoice(roles={"Key": PassReading(role="mask")}))
        remember_rules(self.session, Variant(), said)
        self.assertEqual(list(suggested_rules(self.session, render, Variant())), ["key"])
        by_hand = Variant(source=SourceChoice(roles={"key": PassReading(role="light_group", light="key")}))
        self.assertEqual(suggested_rules(self.session, render, by_hand), {})


class SchemaTest(RecordTest):
    def test_an_older_database_is_brought_up_to_date_and_keeps_its_rows(self) -> None:
        file = self.folder / "older.db"
        open_database(file).dispose()
        with sqlite3.connect(file) as older:
            move_renders_back(older)
            older.execute("DROP TABLE naming_rule")
            older.execute("DROP TABLE delivery")
            older.execute("DROP TABLE preset")
            older.execute("DROP INDEX ix_revision_variant_id_parent")
            older.execute("ALTER TABLE shot DROP COLUMN status")
            older.execute("UPDATE alembic_version SET version_num = '0001'")
            older.execute("INSERT INTO shot (name, sources, render, created) VALUES ('kept', '[]', '{}', '2026-01-01')")
        older.close()
        engine = open_database(file)
        self.addCleanup(engine.dispose)
        with Session(engine) as session:
            self.assertEqual([shot.name for shot in all_shots(session)], ["kept"])
            self.assertEqual(rules_for(session, ["any"]), {})
        self.assertEqual(newest_schema(), "0014")


class ShotTest(RecordTest):
    def setUp(self) -> None:
        super().setUp()
        self.render = grid_engine(self.folder).render
        self.shot = add_shot(self.session, self.render, ["/media/grid.exr"])

    def test_a_shot_keeps_its_render_and_begins_with_one_neutral_variant(self) -> None:
        self.assertEqual(shot_render(find_shot(self.session, self.shot.id)), self.render)
        self.assertEqual(render_lights(shot_render(self.shot)), render_lights(self.render))
        self.assertEqual([v.document for v in self.shot.variants], [Variant().model_dump(mode="json")])
        self.assertEqual(all_shots(self.session)[-1].id, self.shot.id)

    def test_the_last_variant_stays(self) -> None:
        first = self.shot.variants[0]
        with self.assertRaises(LastVariant):
            delete_variant(self.session, first)
        second = add_variant(self.session, self.shot, "Calm", Variant(residual=False))
        delete_variant(self.session, first)
        self.assertEqual([v.id for v in self.shot.variants], [second.id])

    def test_what_is_not_there_is_said(self) -> None:
        for find in (find_shot, find_variant):
            with self.subTest(find=find.__name__), self.assertRaisesRegex(NotFound, "99"):
                find(self.session, 99)
