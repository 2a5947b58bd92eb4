import unittest

import numpy as np
import PyOpenColorIO as ocio

from escala.core.corrections.corrections import apply_cdl, correct, expose
from tests.made import light


class CdlTest(unittest.TestCase):
    def test_agrees_with_opencolorio(self) -> None:
        slope, offset, power, saturation = (1.2, 0.9, 1.1), (0.02, -0.03, 0.0), (0.9, 1.0, 1.3), 0.7
        styles = ((False, ocio.CDL_NO_CLAMP), (True, ocio.CDL_ASC))
        for clamp, style in styles:
            with self.subTest(clamp=clamp):
                planes = light(3, top=2.0)
                transform = ocio.CDLTransform()
                transform.setStyle(style)
                transform.setSlope(slope)
                transform.setOffset(offset)
                transform.setPower(power)
                transform.setSat(saturation)
                processor = ocio.Config.CreateRaw().getProcessor(transform)
                expected = np.ascontiguousarray(planes.transpose(1, 2, 0))
                processor.getOptimizedCPUProcessor(ocio.OPTIMIZATION_LOSSLESS).applyRGB(expected)
                found = apply_cdl(planes, slope, offset, power, saturation, clamp)
                np.testing.assert_allclose(found, expected.transpose(2, 0, 1), rtol=2e-6, atol=1e-6)

    def test_neutral_changes_nothing(self) -> None:
        np.testing.assert_array_equal(apply_cdl(light(1)), light(1))


class OpacityTest(unittest.TestCase):
    def test_half_an_exposure(self) -> None:
        planes = light(1)
        found = correct(planes, lambda p: expose(p, 1.0), 0.5, None)
        np.testing.assert_allclose(found, planes * 1.5)

    def test_colour_is_divided_by_alpha_around_it_but_never_by_none(self) -> None:
        planes = np.full((3, 1, 3), 0.2, np.float32)
        alpha = np.array([[0.0, 0.5, 1.0]], np.float32)
        found = correct(planes, lambda p: p**2, 1.0, alpha)
        np.testing.assert_allclose(found[0, 0], [0.04, 0.08, 0.04], rtol=1e-5)
