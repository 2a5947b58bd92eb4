import os
from pathlib import Path
from unittest import mock

import numpy as np
import PyOpenColorIO as ocio

from escala.core.colour.baked_view import BakedView
from escala.core.colour.config import View
from escala.core.errors import ColourError, UnknownChoice
from escala.media import configs
from escala.media.configs import BUILTIN_CONFIGS, _FolderFiles, colour_config
from escala.media.path_safety import EVERYWHERE
from tests.fixture_config import CONFIG, write_config
from tests.fixtures import FolderTest, light

LOOK = "ACES 1.3 Reference Gamut Compression"


def through(processor: ocio.Processor, planes: np.ndarray) -> np.ndarray:
    """Planes through the library itself, packed and in one piece."""
    packed = np.ascontiguousarray(planes.transpose(1, 2, 0))
    processor.getDefaultCPUProcessor().applyRGB(packed)
    return packed.transpose(2, 0, 1)


class ExactnessTest(FolderTest):
    """Every way to the screen is the library's own, to the bit."""

    def test_views_of_the_builtin_configs(self) -> None:
        planes = light(3, 70, 40, top=8)
        for name, address in BUILTIN_CONFIGS.items():
            library, config = ocio.Config.CreateFromFile(address), colour_config(name)
            for display, views in list(config.views.items())[:2]:
                for view in views:
                    with self.subTest(config=name, display=display, view=view):
                        wanted = through(
                            library.getProcessor("ACEScg", display, view, ocio.TRANSFORM_DIR_FORWARD), planes
                        )
                        np.testing.assert_array_equal(config.display(planes, "ACEScg", View(display, view)), wanted)

    def test_a_look_before_the_view(self) -> None:
        for name in ("ACES 2", "ACES 1.3"):
            library, config = ocio.Config.CreateFromFile(BUILTIN_CONFIGS[name]), colour_config(name)
            view = config.default_view
            planes = light(4) - np.float32(0.4)  # colours beyond the gamut, which the look brings in
            look = ocio.LookTransform(src="ACEScg", dst="ACEScg", looks=LOOK)
            shown = ocio.DisplayViewTransform(src="ACEScg", display=view.display, view=view.view)
            wanted = through(library.getProcessor(ocio.GroupTransform([look, shown])), planes)
            found = config.display(planes, "ACEScg", View(view.display, view.view, LOOK))
            np.testing.assert_array_equal(found, wanted)
            self.assertGreater(float(np.abs(found - config.display(planes, "ACEScg", view)).max()), 0.05)

    def test_an_own_config_with_tables(self) -> None:
        file = write_config(self.folder)
        library, config = ocio.Config.CreateFromFile(str(file)), colour_config(str(file))
        planes = light(5, top=1)
        wanted = through(library.getProcessor("Quay Linear", "Bridge", "Print", ocio.TRANSFORM_DIR_FORWARD), planes)
        found = config.display(planes, "quay_lin", View("Bridge", "Print"))
        np.testing.assert_array_equal(found, wanted)
        # The view's own look is in it, unless another one, or none, is chosen.
        none = config.display(planes, "quay_lin", View("Bridge", "Print", ""))
        np.testing.assert_allclose(
            config.display(planes * np.float32([[[0.9]], [[0.8]], [[1.1]]]), "quay_lin", View("Bridge", "Print", "")),
            found,
            atol=1e-6,
        )
        self.assertGreater(float(np.abs(none - found).max()), 0.02)

    def test_the_baked_view_of_an_own_config_stays_near(self) -> None:
        config = colour_config(str(write_config(self.folder)))
        planes = light(6, 60, 80, top=1)
        baked = BakedView(config, "Quay Linear", View("Bridge", "Print"))
        baked.refine()
        exact = np.rint(np.clip(config.display(planes, "Quay Linear", View("Bridge", "Print")), 0, 1) * 255)
        off = np.abs(baked.to_bytes(planes).transpose(2, 0, 1) - exact)
        self.assertLessEqual(float(off.max()), 2)
        self.assertLess(float(off.mean()), 0.35)


class OwnConfigTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.file = write_config(self.folder)
        self.config = colour_config(str(self.file))

    def test_it_reports_what_it_offers(self) -> None:
        self.assertEqual(self.config.looks, ["Dusk", "Dawn"])
        self.assertEqual(self.config.named_transforms, ["Halve"])
        self.assertEqual(self.config.variables, {"MOOD": "day"})
        self.assertEqual(self.config.roles["scene_linear"], "Quay Linear")
        self.assertEqual(self.config.default_working_space, "Quay Linear")
        self.assertNotIn("Numbers", self.config.spaces)
        self.assertEqual(self.config.scene_spaces, ["Quay Linear", "ACES2065-1"])
        self.assertEqual(self.config.faults, ())

    def test_a_context_variable_chooses_the_table(self) -> None:
        planes = np.full((3, 2, 2), 0.8, np.float32)
        night = colour_config(str(self.file), {"MOOD": "night"})
        np.testing.assert_allclose(self.config.transform(planes, "Dawn", "Quay Linear"), 0.8, atol=1e-6)
        np.testing.assert_allclose(night.transform(planes, "Dawn", "Quay Linear"), 0.2, atol=1e-6)
        with self.assertRaisesRegex(UnknownChoice, "MOOD"):
            colour_config(str(self.file), {"WEATHER": "rain"})

    def test_whether_it_has_changed_is_checked_while_another_thread_reads_a_table(self) -> None:
        files, stamp = _FolderFiles(self.file, EVERYWHERE), configs._stamp
        files.read("tables/day/mood.spi1d")

        def stamp_while_another_reads(path: Path) -> object:
            files._stamps[self.file.with_name(f"{len(files._stamps)}.cube")] = None
            return stamp(path)

        with mock.patch.object(configs, "_stamp", stamp_while_another_reads):
            self.assertTrue(files.is_unchanged)

    def test_named_transforms_go_both_ways(self) -> None:
        planes = light(1)
        half = self.config.transform(planes, "Halve", "Quay Linear")
        np.testing.assert_allclose(half, planes / 2, rtol=1e-6)
        np.testing.assert_allclose(self.config.transform(half, "Halve", "Quay Linear", inverse=True), planes, rtol=1e-6)
        with self.assertRaisesRegex(UnknownChoice, "Halve"):
            self.config.transform(planes, "Double", "Quay Linear")

    def test_a_failing_part_is_named_with_its_place(self) -> None:
        (self.folder / "tables" / "print.cube").unlink()
        broken = write_config(self.folder / "other", CONFIG.replace("print.cube", "lost.cube"))
        config = colour_config(str(broken))
        self.assertEqual(len([fault for fault in config.faults if "lost.cube" in fault]), 2)
        self.assertTrue(any(fault.startswith("view Print of Bridge") for fault in config.faults))
        with self.assertRaisesRegex(ColourError, r"lost\.cube"):
            config.display(light(1), "Quay Linear", View("Bridge", "Print"))

    def test_a_config_that_cannot_be_read_says_where(self) -> None:
        self.file.write_text(CONFIG.replace("displays:", "displays: [what"))
        os.utime(self.file, (1, 1))
        with self.assertRaisesRegex(ColourError, "line"):
            colour_config(str(self.file))

    def test_a_changed_file_is_loaded_anew(self) -> None:
        self.file.write_text(CONFIG.replace("Dusk", "Gloom"))
        os.utime(self.file, (9, 9))
        self.assertIn("Gloom", colour_config(str(self.file)).looks)
