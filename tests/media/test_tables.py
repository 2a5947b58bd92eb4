"""LUTs and tables of configs: only contents that may be read, read anew when they change, refused in a sentence."""

import os
from pathlib import Path

import numpy as np

from escala.core.colour.config import ColourConfig, View, apply_lut
from escala.core.errors import ColourError, EscalaError
from escala.media.configs import colour_config, read_lut
from escala.media.path_safety import EVERYWHERE, Roots
from tests.fixture_config import CONFIG, write_config
from tests.fixtures import FolderTest

GREY = np.full((3, 1, 2), 0.5, np.float32)
KINDS = (
    ".cube",
    ".3dl",
    ".spi1d",
    ".spi3d",
    ".csp",
    ".clf",
    ".ctf",
    ".lut",
    ".vf",
    ".mga",
    ".itx",
    ".look",
    ".hdl",
    ".icc",
)


def cube(top: float) -> str:
    return f"LUT_1D_SIZE 2\n0 0 0\n{top} {top} {top}\n"


class LutTest(FolderTest):
    def applied(self, path: Path) -> float:
        return float(apply_lut(GREY, read_lut(path))[0, 0, 0])

    def test_a_replaced_file_is_noticed_at_once(self) -> None:
        path = self.folder / "look.cube"
        for top in (1.0, 0.5, 0.25):
            path.write_text(cube(top))
            os.utime(path, ns=(0, int(top * 1e9)))
            self.assertAlmostEqual(self.applied(path), 0.5 * top, places=6)

    def test_no_name_is_expanded_and_no_other_file_found(self) -> None:
        os.environ["ESCALA_TEST_LUT"] = "other"
        self.addCleanup(os.environ.pop, "ESCALA_TEST_LUT")
        (self.folder / "other.cube").write_text(cube(0.1))
        path = self.folder / "$ESCALA_TEST_LUT.cube"
        with self.assertRaisesRegex(EscalaError, "no such file"):
            self.applied(path)
        path.write_text(cube(1.0))
        self.assertAlmostEqual(self.applied(path), 0.5, places=6)

    def test_a_table_that_takes_a_part_of_itself_from_elsewhere_is_refused(self) -> None:
        other = self.folder / "secret.cube"
        other.write_text(cube(0.1))
        path = self.folder / "sly.ctf"
        path.write_text(
            '<?xml version="1.0"?><ProcessList id="1" version="1.7">'
            f'<Reference inBitDepth="32f" outBitDepth="32f" path="{other}"/></ProcessList>'
        )
        with self.assertRaisesRegex(ColourError, "refers to another file"):
            self.applied(path)

    def test_a_file_of_other_bytes_is_named_with_a_reason(self) -> None:
        path = self.folder / "noise.cube"
        for seed in range(6):
            path.write_bytes(np.random.default_rng(seed).integers(0, 256, 3000, np.uint8).tobytes())
            with self.assertRaisesRegex(ColourError, "noise.cube.*[a-z]{4}"):
                self.applied(path)
            os.utime(path, ns=(0, seed + 1))

    def test_what_is_no_config_is_named(self) -> None:
        path = self.folder / "plain.ocio"
        path.write_text("this is no config")
        with self.assertRaisesRegex(ColourError, "plain.ocio is not a colour config: "):
            colour_config(str(path))

    def test_what_is_no_table_is_reported_in_one_line_whatever_its_kind(self) -> None:
        rng = np.random.default_rng(3)
        for kind in KINDS:
            for contents in (
                b"",
                b"\x00\xff\xfe" * 40,
                rng.bytes(3000),
                b"LUT_3D_SIZE 99999999\n",
                "灯\n".encode("utf-16"),
            ):
                with self.subTest(kind=kind, contents=contents[:12]):
                    path = self.folder / f"odd{kind}"
                    path.write_bytes(contents)
                    with self.assertRaises(ColourError) as report_progress:
                        self.applied(path)
                    self.assertTrue(str(report_progress.exception).isprintable(), str(report_progress.exception))
                    self.assertNotIn("/escala-", str(report_progress.exception))
                    self.assertNotIn("debug log", str(report_progress.exception))
        with self.assertRaisesRegex(EscalaError, "no such file"):
            read_lut(self.folder / "ghost.cube")


class TablesOfConfigsTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.home = self.folder / "home"
        self.home.mkdir()
        self.secret = self.folder / "secret"
        write_config(self.secret)
        self.roots = Roots((self.home,))

    def config(self, text: str = CONFIG, roots: Roots | None = None, **context: str) -> ColourConfig:
        file = write_config(self.home / "quay", text)
        return colour_config(str(file), context, self.roots if roots is None else roots)

    def test_two_configs_with_tables_of_the_same_names_do_not_share_them(self) -> None:
        file = write_config(self.home / "other")
        table = file.parent / "tables" / "print.cube"
        table.write_text("LUT_3D_SIZE 2\n" + "0.25 0.25 0.25\n" * 8)
        shown = [
            config.display(GREY, "Quay Linear", View("Bridge", "Print", ""))
            for config in (self.config(), colour_config(str(file), roots=self.roots))
        ]
        np.testing.assert_allclose(shown[1], 0.25, atol=1e-6)
        self.assertGreater(float(np.abs(shown[0] - shown[1]).max()), 0.1)

    def test_a_replaced_table_makes_another_config(self) -> None:
        before = self.config()
        file, table = (str(self.home / "quay" / "config.ocio"), self.home / "quay" / "tables" / "print.cube")
        self.assertIs(colour_config(file, {}, self.roots), before)
        before.display(GREY, "Quay Linear", View("Bridge", "Print", ""))
        table.write_text("LUT_3D_SIZE 2\n" + "0.25 0.25 0.25\n" * 8)
        after = colour_config(file, {}, self.roots)
        self.assertNotEqual(after.key, before.key)
        np.testing.assert_allclose(after.display(GREY, "Quay Linear", View("Bridge", "Print", "")), 0.25, atol=1e-6)

    def test_no_way_leads_to_a_table_outside(self) -> None:
        table = self.secret / "tables" / "print.cube"
        (self.home / "link.cube").symlink_to(table)
        ways = {
            "an absolute name": CONFIG.replace("src: print.cube", f"src: {table}"),
            "a search path": CONFIG.replace("search_path: tables", f"search_path: {table.parent}"),
            "a variable": CONFIG.replace("MOOD: day", f"MOOD: {table.parent}").replace(
                "src: print.cube", 'src: "${MOOD}/print.cube"'
            ),
            "in a group": CONFIG.replace(
                "!<FileTransform> {src: print.cube, interpolation: tetrahedral}",
                f"!<GroupTransform> {{children: [!<FileTransform> {{src: {table}}}]}}",
            ),
        }
        for way, text in ways.items():
            with (
                self.subTest(way=way),
                self.assertRaisesRegex(ColourError, "outside the media roots") as report_progress,
            ):
                self.config(text)
            self.assertNotIn("LUT_3D_SIZE", str(report_progress.exception))
        for src in ("../../secret/tables/print.cube", "../link.cube"):
            faults = self.config(CONFIG.replace("src: print.cube", f"src: {src}")).faults
            self.assertTrue(any("Print of Bridge" in fault for fault in faults), faults)
            self.assertFalse(any("LUT_3D_SIZE" in fault for fault in faults), faults)
        with self.assertRaisesRegex(ColourError, "outside the media roots"):
            self.config(CONFIG.replace("src: print.cube", 'src: "${MOOD}/print.cube"'), MOOD=str(table.parent))
        self.assertEqual(self.config(ways["an absolute name"], EVERYWHERE).faults, ())

    def test_the_environment_counts_only_at_a_terminal(self) -> None:
        os.environ["MOOD"] = "night"
        self.addCleanup(os.environ.pop, "MOOD")
        lit = np.full((3, 1, 1), 1.0, np.float32)
        dawn = [
            self.config(roots=roots).transform(lit, "Dawn", "Quay Linear")[0, 0, 0]
            for roots in (self.roots, EVERYWHERE)
        ]
        self.assertEqual([round(float(value), 3) for value in dawn], [1.0, 0.25])
