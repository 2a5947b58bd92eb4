import unittest

import numpy as np
import PyOpenColorIO as ocio

from escala.core.corrections.steps import cdl_step
from tests.core.fixture_planes import corrected
from tests.fixtures import light


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
                found = corrected(planes, cdl_step(slope, offset, power, saturation, clamp))
                np.testing.assert_allclose(found, expected.transpose(2, 0, 1), rtol=2e-6, atol=1e-6)

    def test_neutral_changes_nothing(self) -> None:
        np.testing.assert_array_equal(corrected(light(1), cdl_step()), light(1))
