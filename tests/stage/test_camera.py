"""The stand-in renderer's own lens and shutter: what defocus and motion blur are compared with on the demo."""

import numpy as np
import OpenEXR

from escala.core.depth.defocus import blur_radius, defocus
from escala.core.depth.distance import distance_of
from escala.core.depth.motion import motion_blur, shutter_times
from escala.stage.quay import Lens, quay_scene
from escala.stage.render import StageJob, render_frame
from tests.core.depth.layered import decibels
from tests.core.depth.test_defocus import gathered
from tests.fixtures import FolderTest

SIZE = 96, 54
SAMPLES = 32


class CameraTest(FolderTest):
    def rendered(self, name: str, **how: object) -> dict[str, np.ndarray]:
        path = self.folder / f"{name}.exr"
        render_frame(StageJob(*SIZE, SAMPLES, 1, False, **how), 12, path)
        with OpenEXR.File(str(path), separate_channels=True) as file:
            return {n: channel.pixels.astype(np.float32) for n, channel in file.channels().items()}

    def test_a_pinhole_and_a_closed_shutter_change_nothing(self) -> None:
        plain, same = (quay_scene(12, 32, 18, *how)[0] for how in ((), (Lens(0.0, 4.0), 0.0)))
        np.testing.assert_array_equal(plain.camera, same.camera)
        later = quay_scene(12, 32, 18, Lens(), 0.5)[0]
        self.assertGreater(np.abs(later.bounds - plain.bounds).max(), 0.05)
        np.testing.assert_array_equal(later.heading, plain.heading)

    def test_defocus_comes_near_the_renderers_own_lens(self) -> None:
        radius_metres, focus = 0.2, 5.5
        pinhole, through = self.rendered("pinhole"), self.rendered("lens", lens=Lens(radius_metres, focus))
        colour, wanted = (np.stack([channels[c] for c in "RGB"]) for channels in (pinhole, through))
        half_width = np.tan(np.radians(18)) * SIZE[0] / SIZE[1]
        aperture = radius_metres * SIZE[0] / 2 / half_width
        radius = blur_radius(distance_of(pinhole["depth.Z"], pinhole["A"], "planar"), focus, aperture, 64.0)
        found, _ = defocus(colour, pinhole["A"], radius)
        ours, naive = decibels(found, wanted, 4), decibels(gathered(colour, radius), wanted, 4)
        self.assertGreater(ours, decibels(colour, wanted, 4) + 6.0)
        self.assertGreater(ours, naive + 1.5)  # the noise of so few samples stands between

    def test_motion_blur_comes_near_the_renderers_own_shutter(self) -> None:
        closed, opened = self.rendered("closed"), self.rendered("open", shutter=4.0)
        colour, wanted = (np.stack([channels[c] for c in "RGB"]) for channels in (closed, opened))
        vectors = np.stack([closed["motion.X"], closed["motion.Y"]])
        distance = distance_of(closed["depth.Z"], closed["A"], "planar")
        found, _ = motion_blur(colour, closed["A"], vectors, distance, shutter_times(4.0, 0.0))
        ship = np.abs(vectors).max(axis=0) > 0.5
        error = [np.abs(np.log2(p[:, ship] + 0.01) - np.log2(wanted[:, ship] + 0.01)).mean() for p in (found, colour)]
        self.assertLess(error[0], 0.8 * error[1])
