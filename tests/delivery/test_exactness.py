"""What is seen at rest and delivered, against the library itself: one processor from file to screen."""

import cv2
import numpy as np
import PyOpenColorIO as ocio

from escala.engine.request import Quality
from escala.engine.viewer.screen import screen_picture
from escala.engine.viewer.subject import Subject
from escala.engine.viewer.viewport import full_viewport
from escala.media.configs import BUILTIN_CONFIGS, SOFT
from escala.model.colour import ColourChoice
from escala.model.display import DisplayChoice
from escala.model.variant import Variant
from tests.delivery.orders import write_one
from tests.engine.fixture_shot import engine_for
from tests.fixture_config import write_config
from tests.fixtures import FolderTest, add_up, light, read_colour, write_layers

LOOK = "ACES 1.3 Reference Gamut Compression"
FULL = full_viewport(0, 0, 64, 48)


class ExactnessTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.own = str(write_config(self.folder / "colour"))
        # Light of every strength: dark, above 1, and some beyond the gamut.
        key = light(1, 48, 64, top=12) - np.float32(0.02)
        self.beauty = add_up(key.astype(np.float16).astype(np.float32), light(2, 48, 64, top=0.2))
        self.file = write_layers(self.folder / "all.exr", {"": self.beauty})
        self.evaluator = engine_for(self.file)
        aces, space = "sRGB - Display", "Linear Rec.709 (sRGB)"
        # Config, its address, input space, display, view, look, context.
        self.chains = [
            ("ACES 2", space, aces, "ACES 2.0 - SDR 100 nits (Rec.709)", None, {}),
            ("ACES 2", space, "Rec.2100-PQ - Display", "ACES 2.0 - HDR 1000 nits (P3 D65)", None, {}),
            ("ACES 2", "ACEScg", "Display P3 - Display", "ACES 2.0 - SDR 100 nits (P3 D65)", LOOK, {}),
            ("ACES 1.3", space, aces, "ACES 1.0 - SDR Video", None, {}),
            ("ACES 1.3", space, aces, "ACES 1.0 - SDR Video", LOOK, {}),
            (SOFT, space, "sRGB", "Soft", None, {}),
            (SOFT, space, "Display P3", "Soft", None, {}),
            (self.own, "Quay Linear", "Bridge", "Print", None, {}),
            (self.own, "Quay Linear", "Bridge", "Print", "Dawn", {"MOOD": "night"}),
        ]

    def variant(self, pipeline: tuple) -> Variant:
        config, space, display, view, look, context = pipeline
        return Variant(
            colour=ColourChoice(config=config, input_space=space, context=context),
            display=DisplayChoice(display=display, view=view, look=look),
        )

    def expected(self, pipeline: tuple) -> np.ndarray:
        """Display values (3, H, W) by one processor from the file's space to the screen, nothing of ours between."""
        name, space, display, view, look, variables = pipeline
        config = ocio.Config.CreateFromFile(BUILTIN_CONFIGS.get(name, name))
        context = ocio.Context(
            config.getCurrentContext().getWorkingDir(), list(config.getSearchPaths()), dict(variables)
        )
        working = "Quay Linear" if name == self.own else "ACEScg"
        steps = [ocio.ColorSpaceTransform(src=space, dst=working)]
        if look:
            steps.append(ocio.LookTransform(src=working, dst=working, looks=look))
        steps.append(ocio.DisplayViewTransform(src=working, display=display, view=view, looksBypass=bool(look)))
        group = ocio.GroupTransform(steps)
        forward = ocio.TRANSFORM_DIR_FORWARD
        processor = (
            config.getProcessor(context, group, forward) if variables else config.getProcessor(group, forward)
        ).getDefaultCPUProcessor()
        packed = np.ascontiguousarray(self.beauty.transpose(1, 2, 0))
        processor.applyRGB(packed)
        return np.clip(packed.transpose(2, 0, 1), 0, 1)

    def test_the_settled_picture_is_the_processors_to_a_code_value(self) -> None:
        for pipeline in self.chains:
            with self.subTest(pipeline=pipeline[:5]):
                file, kind = screen_picture(Subject(self.evaluator, self.variant(pipeline)), FULL, Quality.EXACT)
                self.assertEqual(kind, "image/png")
                shown = cv2.imdecode(np.frombuffer(file, np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(float)
                off = np.abs(shown.transpose(2, 0, 1) - np.rint(self.expected(pipeline) * 255))
                self.assertLessEqual(float(off.max()), 1)
                self.assertLess(float((off > 0).mean()), 0.002)

    def test_delivered_pictures_are_the_processors(self) -> None:
        for index, pipeline in enumerate(self.chains):
            wanted = self.expected(pipeline)
            for bits, tolerance in ((8, 1 / 255), (16, 2e-5)):
                for ending in ("png", "tif"):
                    with self.subTest(pipeline=pipeline[:5], bits=bits, ending=ending):
                        file = self.folder / f"view{index}_{bits}.{ending}"
                        write_one(self.evaluator, self.variant(pipeline), file, bits=bits)
                        shown = cv2.imread(str(file), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(float) / (2**bits - 1)
                        self.assertLessEqual(float(np.abs(shown.transpose(2, 0, 1) - wanted).max()), tolerance)

    def test_scene_linear_files_are_the_processors_to_half_rounding(self) -> None:
        for name, target in (("ACES 2", "ACES2065-1"), ("ACES 1.3", "Linear P3-D65"), (SOFT, "ACEScg")):
            with self.subTest(config=name):
                file = self.folder / f"{target}.exr"
                variant = Variant(colour=ColourChoice(config=name))
                write_one(self.evaluator, variant, file, space=target)
                config = ocio.Config.CreateFromFile(BUILTIN_CONFIGS[name])
                packed = np.ascontiguousarray(self.beauty.transpose(1, 2, 0))
                config.getProcessor("Linear Rec.709 (sRGB)", target).getDefaultCPUProcessor().applyRGB(packed)
                wanted = packed.transpose(2, 0, 1)
                scale = np.abs(wanted).max(axis=0, keepdims=True)
                self.assertTrue(np.all(np.abs(read_colour(file) - wanted) <= 2.0**-11 * np.abs(wanted) + 3e-7 * scale))

    def test_untouched_light_leaves_to_the_bit_whatever_the_view(self) -> None:
        for pipeline in (self.chains[0], self.chains[5]):
            file = self.folder / "same.exr"
            write_one(self.evaluator, self.variant(pipeline), file)
            np.testing.assert_array_equal(read_colour(file), self.beauty)
