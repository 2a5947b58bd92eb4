import os
import unittest
from pathlib import Path, PurePosixPath, PureWindowsPath

from hypothesis import given
from hypothesis import strategies as st

from escala.core.errors import BadSource
from escala.media.path_safety import (
    EVERYWHERE,
    MOST_NAME_BYTES,
    NothingThere,
    OutsideRoots,
    Roots,
    distinct_names,
    is_file,
    place_in,
    plain_name,
    printable,
)
from tests.fixtures import FolderTest

SIGNS = st.text(st.sampled_from("ab.:/\\~ \x00\n灯é#%$*?\"'\u202e\ud800"), max_size=12)


class PlaceInTest(FolderTest):
    @given(SIGNS)
    def test_whatever_the_name_is_it_lies_inside_or_is_refused(self, name: str) -> None:
        folder = Path("/some/folder")
        try:
            place = place_in(folder, name)
        except BadSource as error:
            self.assertTrue(str(error).isprintable(), repr(str(error)))
            return
        self.assertTrue(Path(os.path.normpath(place)).is_relative_to(folder), name)
        self.assertNotEqual(Path(os.path.normpath(place)), folder)
        for kind in (PurePosixPath, PureWindowsPath):
            parts = kind(name).parts
            self.assertNotIn("..", parts)
            self.assertFalse(kind(name).is_absolute() or kind(name).anchor, name)

    def test_names_that_lead_out_are_refused_on_every_system(self) -> None:
        for name in ("..\\..\\x.cube", "a\\b.cube", "/etc/x.cube", "C:/x.cube", "c:x.cube", "a/../b.cube", "", "."):
            with self.subTest(name=name), self.assertRaises(BadSource):
                place_in(self.folder, name)
        for name in ("a//b.cube", ".hidden.cube", "a/.b/c.cube", "x\x00.cube", "x\n.cube", "n" * 240 + ".cube"):
            with self.subTest(name=name), self.assertRaisesRegex(BadSource, "invalid file name"):
                place_in(self.folder, name)

    def test_a_folder_that_is_a_link_to_elsewhere_is_refused(self) -> None:
        (self.folder / "inside").mkdir()
        (self.folder / "inside" / "link").symlink_to(self.folder)
        with self.assertRaisesRegex(BadSource, "by a link"):
            place_in(self.folder / "inside", "link/x.cube")

    def test_spaces_quotes_and_scripts_are_names_like_any_other(self) -> None:
        for name in ("day & night.cube", 'o\'hara "2".exr', "grüße/灯.exr", " x.exr", "$HOME.cube", "50%.exr"):
            self.assertEqual(place_in(self.folder, name), self.folder / name)


class PlainNameTest(unittest.TestCase):
    @given(st.text(max_size=400))
    def test_any_text_becomes_a_name_that_every_system_takes(self, text: str) -> None:
        name = plain_name(text, "pass")
        self.assertRegex(name, r"^[\w.-]+$")
        self.assertFalse(name.startswith("."))
        self.assertLessEqual(len(name.encode("utf-8", "surrogatepass")), MOST_NAME_BYTES // 2)

    def test_names_that_become_one_are_distinguished(self) -> None:
        self.assertEqual(distinct_names(["a b", "a_b", "A?b", "灯", "***"]), ["a_b", "a_b-2", "A_b-3", "灯", "pass"])

    def test_a_foreign_name_is_fit_for_a_sentence(self) -> None:
        self.assertEqual(printable("a\nb\x1b[31m"), "a�b�[31m")
        self.assertLess(len(printable("x" * 10_000)), 200)


class RootsTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.media, self.secret = self.folder / "media", self.folder / "secret"
        self.media.mkdir()
        self.secret.mkdir()
        self.kept, self.hidden = self.media / "a.exr", self.secret / "s.exr"
        self.kept.touch()
        self.hidden.touch()
        self.roots = Roots((self.media,))

    def test_what_lies_below_a_root_is_found_by_either_path(self) -> None:
        self.assertEqual(self.roots.readable(self.kept), self.kept.resolve())
        self.assertEqual(self.roots.readable("a.exr"), self.kept.resolve())
        self.assertEqual(EVERYWHERE.readable(self.hidden), self.hidden.resolve())

    def test_what_leads_outside_is_refused_whether_it_is_there_or_not(self) -> None:
        (self.media / "link.exr").symlink_to(self.hidden)
        (self.media / "door").symlink_to(self.secret)
        for name in (
            self.hidden,
            "../secret/s.exr",
            "link.exr",
            "door/s.exr",
            "../nothing",
            "/nowhere/x",
            "door/####.exr",
        ):
            with self.subTest(name=name), self.assertRaises(OutsideRoots):
                self.roots.sources(str(name))
        with self.assertRaisesRegex(OutsideRoots, r"link\.exr is a link"):
            self.roots.check([self.kept, self.media / "link.exr"])
        with self.assertRaises(OutsideRoots):
            self.roots.check([self.media / "door" / "s.exr"])
        self.roots.check([self.kept])

    def test_odd_names_are_reported_in_a_sentence(self) -> None:
        (self.media / "round").symlink_to(self.media / "round")
        for name in ("a\x00.exr", "n" * 300, "round", "round/x", "\ud800"):
            with self.subTest(name=name), self.assertRaises(BadSource) as report_progress:
                self.roots.readable(name)
            self.assertTrue(str(report_progress.exception).isprintable())
        with self.assertRaises(NothingThere):
            self.roots.readable("ghost.exr")

    def test_patterns_of_all_kinds_are_sources(self) -> None:
        for pattern in ("b.####.exr", "b.%04d.exr", "b.@@@@.exr"):
            self.assertEqual(self.roots.sources(pattern), self.media.resolve() / pattern)

    def test_a_pipe_is_no_file(self) -> None:
        os.mkfifo(self.media / "pipe.exr")
        self.assertEqual(
            [is_file(self.kept), is_file(self.media / "pipe.exr"), is_file(Path("a\x00b"))], [True, False, False]
        )
