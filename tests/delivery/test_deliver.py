import cv2
import numpy as np
import OpenEXR

from escala.core.errors import BadSource, UnreadableFile
from escala.delivery.deliver import Delivery, write_frame
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.progress import Cancelled
from escala.media.configs import colour_config
from escala.model.balance import Balance, Level
from escala.model.display import DisplayChoice
from escala.model.variant import Variant
from tests.engine.depth.camera_shot import camera_engine, depth_passes
from tests.engine.fixture_shot import engine_for, grid_engine, grid_passes
from tests.fixtures import FolderTest, box, read_colour, write_layers

DIMMED = Variant(balance=Balance(lights={"key": Level(stops=-1)}))


class DeliverTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = grid_engine(self.folder)

    def test_untouched_it_is_the_beauty_in_half_and_float(self) -> None:
        for pixel_type, kind in (("half", np.float16), ("float", np.float32)):
            file = self.folder / f"{pixel_type}.exr"
            write_frame(self.evaluator, Variant(), Delivery(file, pixel_type=pixel_type))
            with OpenEXR.File(str(file), separate_channels=True) as found:
                self.assertEqual(found.channels()["R"].pixels.dtype, kind)
            np.testing.assert_array_equal(read_colour(file), grid_passes()[""])

    def test_it_reports_how_far_it_is_and_the_caller_can_stop_it(self) -> None:
        evaluator = camera_engine(self.folder, depth_passes(320, 64))
        variant = Variant.model_validate({"depth": {"defocus": {"on": True, "focus": 6, "aperture": 9, "limit_px": 2}}})
        heard: list[tuple[float, str]] = []
        write_frame(evaluator, variant, Delivery(self.folder / "a.exr"), lambda *told: heard.append(told))
        shares = [share for share, _ in heard]
        self.assertEqual(shares, sorted(shares))
        self.assertTrue(shares[0] == 0 and 0.9 < shares[-1] < 1, shares)
        self.assertEqual([doing for share, doing in heard if share < 0.5][:2], ["beauty", "defocus"])
        self.assertGreater(sum(doing == "beauty" for _, doing in heard), 1)  # band by band

        def stop(share: float, doing: str) -> None:
            if share > 0.5:
                raise Cancelled("exporting")

        with self.assertRaises(Cancelled):
            write_frame(evaluator, variant, Delivery(self.folder / "b.exr"), stop)
        self.assertFalse((self.folder / "b.exr").exists())

    def test_a_level_is_the_same_as_by_hand(self) -> None:
        file = self.folder / "dimmed.exr"
        write_frame(self.evaluator, DIMMED, Delivery(file, pixel_type="float"))
        passes = grid_passes()
        key = passes["key_diffuse"] + passes["key_specular"]
        np.testing.assert_allclose(read_colour(file), passes[""] - 0.5 * key, atol=2e-4)

    def test_another_space_is_what_the_processor_makes_of_it_and_is_tagged(self) -> None:
        file = self.folder / "cg.exr"
        write_frame(self.evaluator, Variant(), Delivery(file, "ACEScg", pixel_type="float"))
        expected = colour_config("ACES 2").convert(
            grid_passes()[""], resolve_colour(self.evaluator.render, Variant()).input_space, "ACEScg"
        )
        np.testing.assert_allclose(read_colour(file), expected, atol=1e-5)
        with OpenEXR.File(str(file), header_only=True) as found:
            header = dict(found.parts[0].header)
        self.assertIn("ACEScg", str(header))
        np.testing.assert_allclose(header["chromaticities"][0], 0.713, atol=1e-4)

    def test_pictures_equal_the_view_in_8_and_16_bits(self) -> None:
        config = colour_config("ACES 2")
        for bits, tolerance in ((8, 1 / 255), (16, 2e-5)):
            file = self.folder / f"view{bits}.png"
            write_frame(self.evaluator, Variant(), Delivery(file, as_view=True, bits=bits))
            shown = cv2.imread(str(file), cv2.IMREAD_UNCHANGED)[..., ::-1].astype(np.float64) / (2**bits - 1)
            scene = config.convert(
                grid_passes()[""], resolve_colour(self.evaluator.render, Variant()).input_space, "ACEScg"
            )
            expected = config.display(scene, "ACEScg", config.default_view)
            self.assertLessEqual(float(np.abs(shown.transpose(2, 0, 1) - np.clip(expected, 0, 1)).max()), tolerance)

    def test_another_view_makes_another_picture(self) -> None:
        files = []
        for view in (None, "Un-tone-mapped"):
            files.append(self.folder / f"{view}.png")
            variant = Variant(display=DisplayChoice(display="sRGB - Display", view=view))
            write_frame(self.evaluator, variant, Delivery(files[-1], as_view=True))
        self.assertNotEqual(files[0].read_bytes(), files[1].read_bytes())

    def test_the_data_window_is_kept_and_the_still_shows_the_display_window(self) -> None:
        windows = {"dataWindow": box(-4, -4, 64, 48), "displayWindow": box(0, 0, 40, 30)}
        evaluator = engine_for(write_layers(self.folder / "wide.exr", grid_passes(), **windows))
        write_frame(evaluator, DIMMED, Delivery(self.folder / "out.exr"))
        with OpenEXR.File(str(self.folder / "out.exr"), header_only=True) as found:
            np.testing.assert_array_equal(found.parts[0].header["dataWindow"], box(-4, -4, 64, 48))
        write_frame(evaluator, DIMMED, Delivery(self.folder / "out.tif", as_view=True))
        self.assertEqual(cv2.imread(str(self.folder / "out.tif")).shape[:2], (30, 40))

    def test_what_cannot_be_written_is_refused(self) -> None:
        for path, error in ((self.folder / "a.mov", BadSource), (self.folder / "nowhere" / "a.exr", UnreadableFile)):
            with self.subTest(path=path.name), self.assertRaises(error):
                write_frame(self.evaluator, Variant(), Delivery(path))
