"""Encodings by identifier, against OpenImageIO's own table and OpenColorIO's transforms."""

import unittest

import numpy as np
import OpenImageIO as oiio
import PyOpenColorIO as ocio

from escala.core.colour.config import ColourConfig, View
from escala.core.colour.interop import encoding_of
from escala.media.configs import colour_config


class InteropTest(unittest.TestCase):
    def setUp(self) -> None:
        self.config = ocio.Config.CreateFromFile("ocio://default")

    def test_code_points_are_those_of_the_library(self) -> None:
        table, checked = oiio.ColorConfig("ocio://default"), 0
        for space in self.config.getColorSpaces():
            encoding = encoding_of(space.getInteropID())
            if encoding is None or encoding.cicp is None or encoding.transfer == "lin":
                continue
            known = table.get_cicp(space.getInteropID())
            if known:
                checked += 1
                self.assertEqual(encoding.cicp, tuple(known[:2]), space.getName())
        self.assertGreater(checked, 4)

    def test_curves_are_those_of_the_display_spaces(self) -> None:
        values = np.linspace(0, 1, 50)
        for name, white in (("sRGB - Display", 1), ("Rec.1886 Rec.709 - Display", 1), ("Rec.2100-PQ - Display", 100)):
            with self.subTest(name=name):
                encoding = encoding_of(self.config.getColorSpace(name).getInteropID())
                grey = np.repeat(values.astype(np.float32)[:, None], 3, axis=1)
                self.config.getProcessor(name, "cie_xyz_d65_interchange").getDefaultCPUProcessor().applyRGB(grey)
                assert encoding is not None
                np.testing.assert_allclose(encoding.decode(values) * white, grey[:, 1], rtol=2e-4, atol=2e-6)

    def test_spaces_of_other_configs_are_recognised_and_data_is_not(self) -> None:
        for name, view, expected in (
            ("ACES 2", View("sRGB - Display", "Un-tone-mapped"), "srgb_rec709_display"),
            ("ACES 2", View("sRGB - Display", "Raw"), None),
            ("ACES 1.3", View("Rec.2100-PQ - Display", "Raw"), None),
            ("Soft", View("Display P3", "Soft"), "srgb_p3d65_display"),
            ("ACES 1.3", View("sRGB - Display", "ACES 1.0 - SDR Video"), "srgb_rec709_display"),
        ):
            with self.subTest(config=name, view=view):
                found = colour_config(name).encoding_of_view(view)
                self.assertEqual(found and found.identifier, expected)
        self.assertEqual(ColourConfig("ocio://default").encoding_of("ACEScg"), encoding_of("lin_ap1_scene"))
        for identifier in ("data", "", None, "lin_nowhere_scene", "log_ap1_scene", "srgb_rec709"):
            self.assertIsNone(encoding_of(identifier))
