import sys
import unittest
from contextlib import nullcontext
from pathlib import Path
from unittest import mock

from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import event, select
from sqlalchemy.orm import Session

from escala.database import states as database_states
from escala.database.connection import open_database
from escala.database.revisions import (
    BadEdit,
    DamagedHistory,
    NothingToUndo,
    StaleRevision,
    can_redo,
    history,
    patched,
    prepare_edit,
    prepare_restore,
    redo,
    save_edit,
    state_at,
    undo,
)
from escala.database.shots import LastVariant, NotFound, add_shot, add_variant, delete_variant, find_variant
from escala.database.states import VariantStates
from escala.database.tables import RevisionRow, VariantRow
from escala.model.render import Render, WindowBox
from escala.model.strict_json import to_json
from escala.model.variant import Variant
from tests.fixtures import FolderTest

BOX = WindowBox(x=0, y=0, width=1, height=1)


def empty_render() -> Render:
    return Render(
        name="quay", frames={1: ()}, missing_frames=(), display=BOX, raster=BOX, pixel_aspect=1, passes=(),
        reference=None, recipes=(),
    )  # fmt: skip


def edit_variant(session: Session, variant: VariantRow, base: int, patch: list[dict], label: str) -> VariantRow:
    return save_edit(session, variant, prepare_edit(variant, base, patch, label))


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


class StatesTest(RecordTest):
    def test_a_state_is_read_once_and_stays_as_it_was(self) -> None:
        states = VariantStates()
        for stops in (1.0, 2.0, 3.0):
            self.edit(stops)
        queries: list[str] = []
        event.listen(self.engine, "before_cursor_execute", lambda *given: queries.append(given[2]))
        first = states.previewed(self.session, self.variant, 1, [])
        self.assertEqual(first.balance.lights["key"].stops, 1.0)
        self.assertTrue(queries)
        undo(self.session, self.variant, self.variant.head)
        self.edit(5.0, "fill")  # on another branch
        queries.clear()
        self.assertIs(states.previewed(self.session, self.variant, 1, []), first)
        moved = states.previewed(self.session, self.variant, 1, level("key", -1.0))
        self.assertEqual((moved.balance.lights["key"].stops, first.balance.lights["key"].stops), (-1.0, 1.0))
        self.assertEqual(queries, [])
        newest = states.previewed(self.session, self.variant, None, [])
        self.assertEqual((newest.balance.lights["fill"].stops, newest.balance.lights["key"].stops), (5.0, 2.0))
        self.assertIs(states.previewed(self.session, self.variant, self.variant.head, []), newest)
        self.edit(6.0, "fill")
        self.assertEqual(states.previewed(self.session, self.variant, None, []).balance.lights["fill"].stops, 6.0)
        for number in range(40, 0, -1):
            self.edit(number / 4)
        for number in range(6, 46):
            states.at(self.session, self.variant, number)
        self.assertIsNot(states.at(self.session, self.variant, 1), first)
        self.assertEqual(states.at(self.session, self.variant, 1), first)

    def test_states_are_kept_as_far_as_there_is_memory_for_them(self) -> None:
        states = VariantStates()
        for stops in (1.0, 2.0, 3.0, 4.0):
            self.edit(stops)
        characters = len(to_json(self.variant.document))
        for most, kept in ((characters * 5 // 2, [3, 4]), (1, [4])):
            with self.subTest(most=most), mock.patch.object(database_states, "_MOST_CHARACTERS", most):
                before = [states.at(self.session, self.variant, number) for number in (1, 2, 3, 4)]
                again = [states.at(self.session, self.variant, number) for number in (4, 3, 2, 1)]
                same = [4 - i for i, one in enumerate(again) if one is before[3 - i]]
                self.assertEqual(sorted(same), kept)


class LargeEditTest(unittest.TestCase):
    """Edits that are long or large are worked out in a time that grows with what they say, or are refused at once."""

    def calls(self, document: dict, patch: list[dict], refused: str | None = None) -> int:
        """How many functions are called: a measure of work that no other load changes."""
        count = 0

        def note(frame: object, event: str, argument: object) -> None:
            nonlocal count
            count += event in ("call", "c_call")

        with nullcontext() if refused is None else self.assertRaisesRegex(BadEdit, refused):
            sys.setprofile(note)
            try:
                patched(document, patch)
            finally:
                sys.setprofile(None)
        return count

    def test_a_thousand_steps_on_a_large_document(self) -> None:
        corrections = [{"kind": "exposure", "stops": 0.1, "id": f"e{i}"} for i in range(8000)]
        document = Variant.model_validate({"finish": {"corrections": corrections}}).model_dump(mode="json")
        patch = [{"op": "replace", "path": f"/finish/corrections/e{i}/stops", "value": 0.5} for i in range(1000)]
        few, many = self.calls(document, patch[:10]), self.calls(document, patch)
        self.assertLess(many, few + 990 * 400)
        changed = patched(document, patch).finish.corrections
        self.assertEqual([changed[i].stops for i in (0, 999, 1000)], [0.5, 0.5, 0.1])

    def test_entries_that_are_moved_are_still_found_by_their_ids(self) -> None:
        corrections = [{"kind": "exposure", "id": name} for name in "abc"]
        document = Variant.model_validate({"finish": {"corrections": corrections}}).model_dump(mode="json")
        patch = [
            {"op": "replace", "path": "/finish/corrections/a/stops", "value": 1},
            {"op": "move", "from": "/finish/corrections/a", "path": "/finish/corrections/2"},
            {"op": "replace", "path": "/finish/corrections/b/stops", "value": 2},
            {"op": "replace", "path": "/finish/corrections/b/id", "value": "0"},
            {"op": "replace", "path": "/finish/corrections/0/stops", "value": 3},
        ]
        found = {c.id: c.stops for c in patched(document, patch).finish.corrections}
        self.assertEqual(found, {"0": 3, "c": 0, "a": 1})

    def test_a_table_copied_into_itself_is_refused_at_once(self) -> None:
        mattes = {f"m{i}": {"kind": "object"} for i in range(50)}
        document = Variant.model_validate({"mattes": mattes}).model_dump(mode="json")
        for paths in (["/mattes/x"] * 1000, [f"/mattes/x{i}" for i in range(40)]):
            copies = [{"op": "copy", "from": "/mattes", "path": path} for path in paths]
            once = self.calls(document, copies[:1], "Unable to extract")
            many = self.calls(document, copies, "copies more than 1 million characters")
            self.assertLess(many, 12 * once)

    def test_what_defaults_make_of_it_counts(self) -> None:
        short = [{"kind": "exposure"}] * 60_000
        patch = [{"op": "add", "path": "/finish/corrections", "value": short}]
        variant = VariantRow(name="v", document=Variant().model_dump(mode="json"), head=0)
        with self.assertRaisesRegex(BadEdit, "larger than 4 million"):
            prepare_edit(variant, 0, patch, "many")


class RevisionTest(RecordTest):
    def test_undo_and_redo_walk_the_edits(self) -> None:
        for stops in (1.0, 2.0, 3.0):
            self.edit(stops)
        self.assertEqual(self.stops(), 3.0)
        undo(self.session, self.variant, self.variant.head)
        undo(self.session, self.variant, self.variant.head)
        self.assertEqual((self.stops(), can_redo(self.session, self.variant)), (1.0, True))
        redo(self.session, self.variant, self.variant.head)
        self.assertEqual(self.stops(), 2.0)

    def test_undo_and_redo_are_refused_on_another_state(self) -> None:
        for stops in (1.0, 2.0):
            self.edit(stops)
        with self.assertRaisesRegex(StaleRevision, "at revision 2, not 1"):
            undo(self.session, self.variant, 1)
        undo(self.session, self.variant, 2)
        with self.assertRaises(StaleRevision):
            redo(self.session, self.variant, 2)
        with self.assertRaises(StaleRevision):
            prepare_restore(self.session, self.variant, 2, 0)
        self.assertEqual(self.stops(), 1.0)

    def test_a_damaged_revision_leaves_the_current_state(self) -> None:
        for stops in (1.0, 2.0, 3.0):
            self.edit(stops)
        damaged = self.session.scalar(select(RevisionRow).where(RevisionRow.number == 2))
        for broken in (None, [{"op": "replace", "path": "/nowhere/at/all", "value": 1}]):
            damaged.patch, damaged.inverse = broken, broken
            with self.subTest(broken=broken):
                with self.assertRaisesRegex(DamagedHistory, "Revision 2 of .* is damaged"):
                    state_at(self.session, self.variant, 0)
                undo(self.session, self.variant, 3)
                with self.assertRaises(DamagedHistory):
                    undo(self.session, self.variant, 2)
                redo(self.session, self.variant, 2)
                self.assertEqual(self.stops(), 3.0)

    def test_an_edit_after_undo_keeps_the_other_branch(self) -> None:
        self.edit(1.0)
        undo(self.session, self.variant, self.variant.head)
        self.edit(5.0)
        self.assertEqual([(r.number, r.parent) for r in history(self.session, self.variant)], [(1, 0), (2, 0)])
        self.assertEqual(self.stops(), 5.0)

    def test_ends_of_the_history(self) -> None:
        with self.assertRaises(NothingToUndo):
            undo(self.session, self.variant, self.variant.head)
        with self.assertRaises(NothingToUndo):
            redo(self.session, self.variant, self.variant.head)

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
            undo(self.session, variant, variant.head)
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

        from escala.database.tables import Base

        with tempfile.TemporaryDirectory() as folder:
            engine = open_database(Path(folder) / "m.db")
            with engine.connect() as connection:
                self.assertEqual(compare_metadata(MigrationContext.configure(connection), Base.metadata), [])
            engine.dispose()
