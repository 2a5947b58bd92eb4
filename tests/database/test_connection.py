"""The record under several writers, after kills, on a full disk, and with a long history."""

import multiprocessing
import sqlite3
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from sqlalchemy import event

from escala.core.errors import NoRoom
from escala.database.connection import Database, RecordBroken, newest_schema
from escala.database.deliveries import (
    INTERRUPTED,
    RUNNING,
    begin_delivery,
    deliveries_of,
    end_delivery,
    mark_interrupted,
)
from escala.database.revisions import StaleRevision, can_redo, history, undo
from escala.database.shots import add_shot, find_variant
from escala.database.states import VariantStates
from escala.database.tables import RevisionRow, ShotRow
from escala.media.atomic_write import owner
from tests.database.test_revisions import edit_variant, empty_render, level
from tests.fixtures import FolderTest
from tests.small_disk import fill, mount_small_disk


def edit(database: Database, variant_id: int, base: int, stops: float) -> bool:
    """Whether an edit was taken."""
    try:
        with database.writing() as session:
            edit_variant(session, find_variant(session, variant_id), base, level("key", stops), "key")
    except StaleRevision:
        return False
    return True


def edit_many(file: Path, variant_id: int, bases: int, own: float, taken: "multiprocessing.Queue[int]") -> None:
    """In a process of its own: one edit on each base, as soon as it is there."""
    database, count = Database(file), 0
    for base in range(bases):
        while True:
            with database.reading() as session:
                head = find_variant(session, variant_id).head
            if head >= base:
                break
        count += edit(database, variant_id, base, own + base / 1000)
    taken.put(count)


class RecordTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "r.db"
        self.database = Database(self.file)
        with self.database.writing() as session:
            self.variant_id = add_shot(session, empty_render(), ["/a.exr"]).variants[0].id


class SeveralWritersTest(RecordTest):
    def test_of_two_edits_on_one_state_exactly_one_is_taken(self) -> None:
        gate = threading.Barrier(2)

        def one(base: int, stops: float) -> bool:
            gate.wait()
            return edit(self.database, self.variant_id, base, stops)

        with ThreadPoolExecutor(2) as pool:
            for base in range(40):
                self.assertEqual(sum(pool.map(one, (base, base), (1 + base / 100, -1 - base / 100))), 1)
        with self.database.reading() as session:
            variant = find_variant(session, self.variant_id)
            self.assertEqual((variant.head, len(history(session, variant))), (40, 40))

    def test_several_processes_take_each_state_once(self) -> None:
        context, bases = multiprocessing.get_context("spawn"), 25
        taken: multiprocessing.Queue[int] = context.Queue()
        jobs = [
            context.Process(target=edit_many, args=(self.file, self.variant_id, bases, float(own), taken))
            for own in (1, 2, 3)
        ]
        for job in jobs:
            job.start()
        counts = [taken.get(timeout=60) for _ in jobs]
        for job in jobs:
            job.join()
        self.assertEqual(sum(counts), bases)
        with self.database.reading() as session:
            numbers = [row.number for row in history(session, find_variant(session, self.variant_id))]
        self.assertEqual(numbers, list(range(1, bases + 1)))

    def test_who_only_looks_changes_nothing(self) -> None:
        with self.assertRaisesRegex(TypeError, "Database.writing"), self.database.reading() as session:
            find_variant(session, self.variant_id).name = "changed"
            session.flush()


class DeferredDocumentTest(RecordTest):
    def test_a_document_is_that_of_the_revision_read_before_though_another_client_edits_between(self) -> None:
        with self.database.writing() as session:
            variant = add_shot(session, empty_render(), []).variants[0]
            session.flush()
            number = variant.id
            edit_variant(session, variant, 0, level("key", 1), "first")
        states = VariantStates()
        with self.database.reading() as session:
            row = find_variant(session, number, is_deferred=True)
            with self.database.writing() as other:
                edit_variant(other, find_variant(other, number), 1, level("key", 2), "second")
            self.assertEqual(states.previewed(session, row, None, []).balance.lights["key"].stops, 1)
        with self.database.reading() as session:
            row = find_variant(session, number, is_deferred=True)
            self.assertEqual(states.previewed(session, row, None, []).balance.lights["key"].stops, 2)
            self.assertEqual(states.previewed(session, row, 1, []).balance.lights["key"].stops, 1)


class LongHistoryTest(RecordTest):
    def statements(self, count: int) -> int:
        """How many statements two edits and an undo take after so many revisions, which none of them reads."""
        with self.database.writing() as session:
            variant = add_shot(session, empty_render(), []).variants[0]
            session.flush()
            session.add_all(
                RevisionRow(variant_id=variant.id, number=n, parent=n - 1, label="x", patch=[], inverse=[])
                for n in range(1, count + 1)
            )
            variant.head, number = count, variant.id
        seen: list[str] = []
        with self.database.writing() as session:
            event.listen(session.get_bind(), "before_cursor_execute", lambda c, u, text, *rest: seen.append(text))
            variant = edit_variant(session, find_variant(session, number), count, level("key", 1), "x")
            undo(session, variant, variant.head)
            self.assertTrue(can_redo(session, variant))
            edit_variant(session, variant, count, level("key", 3), "x")
            kept = [row for row in session.identity_map.values() if isinstance(row, RevisionRow)]
            self.assertLessEqual(len(kept), 2)
        return len(seen)

    def test_an_edit_costs_the_same_after_ten_and_after_ten_thousand(self) -> None:
        self.assertEqual(self.statements(10), self.statements(10_000))
        questions = {
            "number=?": "SELECT id FROM revision WHERE variant_id = 1 AND number = 5",
            "parent=?": "SELECT id FROM revision WHERE variant_id = 1 AND parent = 5 ORDER BY number DESC LIMIT 1",
            "variant_id=?": "SELECT max(number) FROM revision WHERE variant_id = 1",
        }
        with sqlite3.connect(self.file) as plain:
            for found_by, question in questions.items():
                ((*_, plan),) = plain.execute(f"EXPLAIN QUERY PLAN {question}").fetchall()
                self.assertIn("INDEX", plan)
                self.assertIn(found_by, plan)
        plain.close()


class FirstStartTest(FolderTest):
    def test_a_start_that_was_killed_half_way_is_begun_anew(self) -> None:
        file = self.folder / "r.db"
        half = sqlite3.connect(file)
        half.execute("CREATE TABLE shot (id INTEGER PRIMARY KEY, name VARCHAR NOT NULL)")
        half.execute("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL)")
        half.commit()
        half.close()
        with Database(file).writing() as session:
            add_shot(session, empty_render(), [])
        with sqlite3.connect(file) as plain:
            self.assertEqual(plain.execute("SELECT version_num FROM alembic_version").fetchone(), (newest_schema(),))
        plain.close()

    def test_all_migrations_are_one_step(self) -> None:
        file = self.folder / "r.db"
        Database(file)
        with sqlite3.connect(file) as plain:
            plain.execute("DELETE FROM alembic_version")
            plain.execute("DROP TABLE naming_rule")
            plain.execute("INSERT INTO shot (name, status, created) VALUES ('kept', 'active', '2026-01-01')")
        plain.close()
        with self.assertRaisesRegex(RecordBroken, "choose another home"):
            Database(file)
        with sqlite3.connect(file) as plain:
            self.assertEqual(plain.execute("SELECT name FROM shot").fetchall(), [("kept",)])
        plain.close()

    def test_many_first_starts_at_once_make_one_database(self) -> None:
        file = self.folder / "r.db"
        with ThreadPoolExecutor(6) as pool:
            records = list(pool.map(lambda _: Database(file), range(6)))
        with records[0].writing() as session:
            add_shot(session, empty_render(), [])
        with records[5].reading() as session:
            self.assertEqual(session.query(ShotRow).count(), 1)

    def test_what_is_no_database_is_reported(self) -> None:
        (self.folder / "r.db").write_bytes(b"not a database at all" * 100)
        with self.assertRaisesRegex(RecordBroken, "cannot be used"):
            Database(self.folder / "r.db")

    def test_homes_of_any_name(self) -> None:
        for name in ("a b", "50%", "grüße?x=1", "#1"):
            (self.folder / name).mkdir()
            with Database(self.folder / name / "r.db").writing() as session:
                add_shot(session, empty_render(), [])
            self.assertTrue((self.folder / name / "r.db").is_file())


class FullDiskTest(FolderTest):
    def test_a_full_disk_is_reported_nothing_is_lost_and_all_goes_on(self) -> None:
        disk = mount_small_disk(self, self.folder / "disk", 2048)
        database = Database(disk / "r.db")
        with database.writing() as session:
            variant_id = add_shot(session, empty_render(), []).variants[0].id
        self.assertTrue(edit(database, variant_id, 0, 1.0))
        filler = fill(disk)
        taken = 1
        with self.assertRaisesRegex(NoRoom, "disk full"):
            for base in range(1, 200):
                edit(database, variant_id, base, 2 + base / 100)
                taken += 1
        filler.unlink()
        self.assertTrue(edit(database, variant_id, taken, -3.0))
        with database.reading() as session:
            variant = find_variant(session, variant_id)
            self.assertEqual(variant.document["balance"]["lights"]["key"]["stops"], -3.0)
            self.assertEqual(len(history(session, variant)), taken + 1)

    def test_a_home_without_room_is_reported(self) -> None:
        disk = mount_small_disk(self, self.folder / "disk", 64)
        fill(disk)
        with self.assertRaises(NoRoom):
            Database(disk / "home" / "r.db")


class DeliveriesTest(RecordTest):
    def test_what_a_dead_process_was_writing_is_broken_off(self) -> None:
        with self.database.writing() as session:
            numbers = [begin_delivery(session, self.variant_id, f"d{n}", {"format": "exr"}, 3) for n in range(3)]
            end_delivery(session, numbers[0], "done")
        with self.database.writing() as session:
            mark_interrupted(session, lambda process: process == owner())
        states = self.states()
        self.assertEqual(states, [RUNNING, RUNNING, "done"])
        with self.database.writing() as session:
            mark_interrupted(session, lambda process: False)
        self.assertEqual(self.states(), [INTERRUPTED, INTERRUPTED, "done"])

    def states(self) -> list[str]:
        with self.database.reading() as session:
            return [row.state for row in deliveries_of(session, self.variant_id)]
