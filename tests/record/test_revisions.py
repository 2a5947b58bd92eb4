import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import event
from sqlalchemy.orm import Session

from escala.model.render import Render, WindowBox
from escala.model.variant import Variant
from escala.record.database import open_database
from escala.record.revisions import (
    BadEdit,
    NothingToUndo,
    StaleRevision,
    can_redo,
    edit_variant,
    history,
    patched,
    redo,
    undo,
)
from escala.record.shots import LastVariant, NotFound, add_shot, add_variant, delete_variant, find_variant
from escala.record.tables import VariantRow
from tests.made import FolderTest

BOX = WindowBox(x=0, y=0, width=1, height=1)


def empty_render() -> Render:
    return Render(
        name="quay", frames={1: ()}, missing_frames=(), display=BOX, raster=BOX, pixel_aspect=1, passes=(),
        reference=None, recipes=(),
    )  # fmt: skip


def level(light: str, stops: float) -> list[dict]:
    return [{"op": "add", "path": f"/balance/lights/{light}", "value": {"stops": stops}}]


class RecordTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.engine = open_database(self.folder / "r.db")
        self.addCleanup(self.engine.dispose)
        self.session = Session(self.engine)
        self.addCleanup(self.session.close)
        self.variant = add_shot(self.session, empty_render(), ["/a.exr"]).variants[0]

    def edit(self, stops: float, light: str = "key") -> VariantRow:
        return edit_variant(self.session, self.variant, self.variant.head, level(light, stops), f"{light} {stops}")

    def stops(self, light: str = "key") -> float | None:
        found = Variant.model_validate(self.variant.document).balance.lights.get(light)
        return found.stops if found else None


class RevisionTest(RecordTest):
    def test_undo_and_redo_walk_the_edits(self) -> None:
        for stops in (1.0, 2.0, 3.0):
            self.edit(stops)
        self.assertEqual(self.stops(), 3.0)
        undo(self.session, self.variant)
        undo(self.session, self.variant)
        self.assertEqual((self.stops(), can_redo(self.session, self.variant)), (1.0, True))
        redo(self.session, self.variant)
        self.assertEqual(self.stops(), 2.0)

    def test_an_edit_after_undo_keeps_the_other_branch(self) -> None:
        self.edit(1.0)
        undo(self.session, self.variant)
        self.edit(5.0)
        self.assertEqual([(r.number, r.parent) for r in history(self.session, self.variant)], [(1, 0), (2, 0)])
        self.assertEqual(self.stops(), 5.0)

    def test_ends_of_the_history(self) -> None:
        with self.assertRaises(NothingToUndo):
            undo(self.session, self.variant)
        with self.assertRaises(NothingToUndo):
            redo(self.session, self.variant)

    def test_a_stale_edit_is_refused(self) -> None:
        self.edit(1.0)
        with self.assertRaisesRegex(StaleRevision, "revision 1, not 0"):
            edit_variant(self.session, self.variant, 0, level("key", 2.0), "late")

    def test_edits_that_do_not_fit_are_refused_and_change_nothing(self) -> None:
        wrong = (
            level("key", 99.0),
            [{"op": "replace", "path": "/no/such/place", "value": 1}],
            [{"op": "add", "path": "/colour/shade", "value": 1}],
            [{"op": "dance"}],
        )
        for patch in wrong:
            with self.subTest(patch=patch), self.assertRaises(BadEdit):
                edit_variant(self.session, self.variant, 0, patch, "wrong")
        self.assertEqual((self.variant.head, self.stops()), (0, None))

    def test_an_edit_that_changes_nothing_makes_no_revision(self) -> None:
        self.edit(1.0)
        self.edit(1.0)
        self.assertEqual(self.variant.head, 1)

    def test_an_edit_costs_few_statements(self) -> None:
        self.session.commit()
        seen: list[str] = []
        event.listen(self.engine, "before_cursor_execute", lambda *a: seen.append(a[2]))
        self.edit(1.0)
        self.session.commit()
        self.assertLessEqual(len(seen), 5, seen)

    @settings(max_examples=20, deadline=None)
    @given(st.lists(st.floats(-16, 16), min_size=1, max_size=6))
    def test_undoing_everything_gives_the_first_state(self, steps: list[float]) -> None:
        document = Variant().model_dump(mode="json")
        variant = add_variant(self.session, self.variant.shot, "any", Variant())
        for stops in steps:
            edit_variant(self.session, variant, variant.head, level("key", stops), "")
        while variant.head:
            undo(self.session, variant)
        self.assertEqual(variant.document, document)


class ShotTest(RecordTest):
    def test_a_shot_keeps_one_variant(self) -> None:
        with self.assertRaises(LastVariant):
            delete_variant(self.session, self.variant)
        other = add_variant(self.session, self.variant.shot, "Calm harbour", Variant())
        delete_variant(self.session, other)
        with self.assertRaisesRegex(NotFound, "deleted"):
            find_variant(self.session, other.id)

    def test_a_committed_edit_is_there_for_the_next_process(self) -> None:
        self.edit(-2.0, "beacon")
        self.session.commit()
        engine = open_database(self.folder / "r.db")
        self.addCleanup(engine.dispose)
        with Session(engine) as again:
            document = patched(find_variant(again, self.variant.id).document, [])
        self.assertEqual(document.balance.lights["beacon"].stops, -2.0)


class MigrationTest(unittest.TestCase):
    def test_the_tables_are_those_of_the_models(self) -> None:
        import tempfile

        from alembic.autogenerate import compare_metadata
        from alembic.migration import MigrationContext

        from escala.record.tables import Base

        with tempfile.TemporaryDirectory() as folder:
            engine = open_database(Path(folder) / "m.db")
            with engine.connect() as connection:
                self.assertEqual(compare_metadata(MigrationContext.configure(connection), Base.metadata), [])
            engine.dispose()
