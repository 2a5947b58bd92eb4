import io
import struct
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
import OpenEXR
import OpenImageIO as oiio
from PIL import Image, ImageCms

from escala.core.errors import TooLarge
from escala.core.planes import as_planes
from escala.engine.colour.pipeline import resolve_colour
from escala.engine.progress import Cancelled
from escala.media.configs import colour_config
from escala.model.balance import Balance, Level
from escala.model.corrections import ExposureCorrection
from escala.model.display import DisplayChoice
from escala.model.finish import Finish
from escala.model.variant import Variant
from tests.delivery.orders import write_files, write_one
from tests.engine.depth.camera_shot import camera_engine, depth_passes
from tests.engine.fixture_shot import engine_for, grid_engine, grid_passes
from tests.fixtures import FolderTest, box, light, read_colour, write_layers

VIEW = colour_config("ACES 2").default_view
DIMMED = Variant(balance=Balance(lights={"key": Level(stops=-1)}))


class DeliverTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = grid_engine(self.folder)

    def test_untouched_it_is_the_beauty_in_half_and_float(self) -> None:
        for pixel_type, kind in (("half", np.float16), ("float", np.float32)):
            file = self.folder / f"{pixel_type}.exr"
            write_one(self.evaluator, Variant(), file, pixel_type=pixel_type)
            with OpenEXR.File(str(file), separate_channels=True) as found:
                self.assertEqual(found.channels()["R"].pixels.dtype, kind)
            np.testing.assert_array_equal(read_colour(file), grid_passes()[""])

    def test_it_reports_how_far_it_is_and_the_caller_can_stop_it(self) -> None:
        evaluator = camera_engine(self.folder, depth_passes(320, 64))
        variant = Variant.model_validate({"depth": {"defocus": {"on": True, "focus": 6, "aperture": 9, "limit_px": 2}}})
        heard: list[tuple[float, str]] = []
        write_one(evaluator, variant, self.folder / "a.exr", lambda *told: heard.append(told))
        shares = [share for share, _ in heard]
        self.assertEqual(shares, sorted(shares))
        self.assertTrue(shares[0] == 0 and 0.9 < shares[-1] < 1, shares)
        self.assertEqual([doing for share, doing in heard if share < 0.5][:2], ["beauty", "defocus"])
        self.assertGreater(sum(doing == "beauty" for _, doing in heard), 1)  # band by band

        def stop(share: float, doing: str) -> None:
            if share > 0.5:
                raise Cancelled("exporting")

        with self.assertRaises(Cancelled):
            write_one(evaluator, variant, self.folder / "b.exr", stop)
        self.assertFalse((self.folder / "b.exr").exists())

    def test_a_level_is_the_same_as_by_hand(self) -> None:
        file = self.folder / "dimmed.exr"
        write_one(self.evaluator, DIMMED, file, pixel_type="float")
        passes = grid_passes()
        key = passes["key_diffuse"] + passes["key_specular"]
        np.testing.assert_allclose(read_colour(file), passes[""] - 0.5 * key, atol=2e-4)

    def test_another_space_is_what_the_processor_makes_of_it_and_is_tagged(self) -> None:
        file = self.folder / "cg.exr"
        write_one(self.evaluator, Variant(), file, space="ACEScg", pixel_type="float")
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
            write_one(self.evaluator, Variant(), file, bits=bits)
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
            write_one(self.evaluator, variant, files[-1])
        self.assertNotEqual(files[0].read_bytes(), files[1].read_bytes())

    def test_the_data_window_is_kept_and_the_still_shows_the_display_window(self) -> None:
        windows = {"dataWindow": box(-4, -4, 64, 48), "displayWindow": box(0, 0, 40, 30)}
        evaluator = engine_for(write_layers(self.folder / "wide.exr", grid_passes(), **windows))
        write_one(evaluator, DIMMED, self.folder / "out.exr")
        with OpenEXR.File(str(self.folder / "out.exr"), header_only=True) as found:
            np.testing.assert_array_equal(found.parts[0].header["dataWindow"], box(-4, -4, 64, 48))
        write_one(evaluator, DIMMED, self.folder / "out.tif")
        self.assertEqual(cv2.imread(str(self.folder / "out.tif")).shape[:2], (30, 40))

    def test_each_compression_keeps_what_it_promises(self) -> None:
        lossy = ("pxr24", "b44", "b44a", "dwaa", "dwab")
        for name in ("none", "rle", "zips", "zip", "piz", *lossy):
            with self.subTest(compression=name):
                file = write_one(self.evaluator, Variant(), self.folder / f"{name}.exr", compression=name)
                with OpenEXR.File(str(file), header_only=True) as found:
                    said = found.parts[0].header["compression"]
                self.assertEqual(said, getattr(OpenEXR, f"{'NO' if name == 'none' else name.upper()}_COMPRESSION"))
                if name in lossy:
                    np.testing.assert_allclose(read_colour(file), grid_passes()[""], rtol=0.2, atol=0.3)
                else:
                    np.testing.assert_array_equal(read_colour(file), grid_passes()[""])

    def test_a_smaller_file_is_the_mean_of_its_light(self) -> None:
        file = write_one(self.evaluator, Variant(), self.folder / "half.exr", size=0.5, pixel_type="float")
        whole = grid_passes()[""].astype(np.float64)
        means = whole.reshape(3, 24, 2, 32, 2).mean(axis=(2, 4))
        np.testing.assert_allclose(read_colour(file), means, rtol=1e-6)
        small = write_one(self.evaluator, Variant(), self.folder / "half.png", size=[32, 24])
        config = colour_config("ACES 2")
        shown = config.display(as_planes(means), resolve_colour(self.evaluator.render, Variant()).input_space, VIEW)
        read = cv2.imread(str(small), cv2.IMREAD_UNCHANGED)[..., ::-1].transpose(2, 0, 1) / 65535
        np.testing.assert_allclose(read, np.clip(shown, 0, 1), atol=2e-5)

    def test_a_float_tiff_holds_scene_linear_light(self) -> None:
        for kind, tolerance in (("half", 0.0), ("float", 0.0)):
            facts = {"space": "Linear Rec.709 (sRGB)", "pixel_type": kind}
            file = write_one(self.evaluator, Variant(), self.folder / f"{kind}.tif", **facts)
            source = oiio.ImageInput.open(str(file))
            self.assertEqual(str(source.spec().format), kind)
            pixels = source.read_image(0, 0, 0, 3, oiio.FLOAT).transpose(2, 0, 1)
            source.close()
            np.testing.assert_allclose(pixels, grid_passes()[""], atol=tolerance)

    def test_alpha_of_stills_is_unassociated_and_colour_without_alpha_stays(self) -> None:
        alpha = np.tile(np.linspace(0, 1, 64, dtype=np.float32), (48, 1)).astype(np.float16).astype(np.float32)
        passes = {"": np.concatenate([grid_passes()[""] * 0.2, alpha[None]])}
        evaluator = engine_for(write_layers(self.folder / "cover.exr", passes))
        space = "Linear Rec.709 (sRGB)"
        facts = {"space": space, "pixel_type": "float", "alpha": True}
        file = write_one(evaluator, Variant(), self.folder / "alpha.tif", **facts)
        as_stored = oiio.ImageSpec()
        as_stored.attribute("oiio:UnassociatedAlpha", 1)
        source = oiio.ImageInput.open(str(file), as_stored)
        red, green, blue, cover = source.read_image(0, 0, 0, 4, oiio.FLOAT).transpose(2, 0, 1)
        source.close()
        np.testing.assert_array_equal(cover, alpha)
        stored = passes[""][:3].astype(np.float16).astype(np.float32)
        expected = np.where(alpha > 0, stored / np.where(alpha > 0, alpha, 1), stored)
        np.testing.assert_allclose([red, green, blue], expected, rtol=1e-6)
        plain = write_one(evaluator, Variant(), self.folder / "plain.png")
        self.assertEqual(cv2.imread(str(plain), cv2.IMREAD_UNCHANGED).shape[2], 3)
        with OpenEXR.File(
            str(write_one(evaluator, Variant(), self.folder / "own.exr")), separate_channels=True
        ) as found:
            np.testing.assert_array_equal(found.channels()["A"].pixels, alpha.astype(np.float16))

    def test_tags_say_what_a_file_holds(self) -> None:
        shown = {"display": "Display P3 - Display", "view": "ACES 2.0 - SDR 100 nits (P3 D65)"}
        path = write_one(self.evaluator, Variant(), self.folder / "p3.png", **shown)
        self.assertEqual(chunks(path)["cICP"], bytes((12, 13, 0, 1)))
        self.assertNotIn("sRGB", chunks(path))
        self.assertEqual(chunks(write_one(self.evaluator, Variant(), self.folder / "s.png"))["sRGB"], b"\x03")
        raw = {"display": "sRGB - Display", "view": "Raw"}
        untagged = chunks(write_one(self.evaluator, Variant(), self.folder / "raw.png", **raw))
        self.assertFalse({"sRGB", "cICP", "iCCP", "gAMA", "cHRM"} & set(untagged))
        for name in ("p3.tif", "p3.jpg"):
            with (
                self.subTest(name=name),
                Image.open(write_one(self.evaluator, Variant(), self.folder / name, **shown)) as i,
            ):
                profile = ImageCms.ImageCmsProfile(io.BytesIO(i.info["icc_profile"]))
                self.assertIn("srgb_p3d65_display", ImageCms.getProfileDescription(profile))

    def test_the_metadata_of_the_source_is_kept_and_its_colour_replaced(self) -> None:
        facts = {"owner": "Night quay", "colorInteropID": "lin_rec709_scene", "pixelAspectRatio": 2.0}
        evaluator = engine_for(write_layers(self.folder / "said.exr", grid_passes(), **facts))
        file = write_one(evaluator, Variant(), self.folder / "out.exr", space="ACEScg")
        with OpenEXR.File(str(file), header_only=True) as found:
            header = dict(found.parts[0].header)
        self.assertEqual((header["owner"], header["colorInteropID"]), ("Night quay", "lin_ap1_scene"))
        self.assertEqual(header["pixelAspectRatio"], 2.0)


class OutputsTest(FolderTest):
    """Everything that can be written beside the result."""

    def setUp(self) -> None:
        super().setUp()
        self.evaluator = grid_engine(self.folder)
        self.passes = grid_passes()

    def channels(self, path: Path) -> dict[str, np.ndarray]:
        with OpenEXR.File(str(path), separate_channels=True) as found:
            return {name: channel.pixels for name, channel in found.channels().items()}

    def test_lights_are_layers_of_one_file_and_sum_to_the_image(self) -> None:
        (path,) = write_files(self.evaluator, DIMMED, self.folder, {"what": "lights", "format": "exr"})
        self.assertEqual(path.name, "grid_look_lights.0001.exr")
        found = self.channels(path)
        self.assertEqual(sorted(found), [f"{light}.{x}" for light in ("fill", "key") for x in "BGR"])
        key = (self.passes["key_diffuse"] + self.passes["key_specular"])[0] / 2
        np.testing.assert_allclose(found["key.R"], key, rtol=1e-3, atol=1e-6)

    def test_one_file_each_where_names_say_so(self) -> None:
        facts = {"what": "cells", "format": "exr", "names": "cells/{name}.{frame}", "only": ["key_diffuse"]}
        (path,) = write_files(self.evaluator, DIMMED, self.folder, facts)
        self.assertEqual(path.relative_to(self.folder).as_posix(), "cells/key_diffuse.0001.exr")
        np.testing.assert_allclose(read_colour(path), self.passes["key_diffuse"] / 2, rtol=1e-3, atol=1e-6)

    def test_passes_leave_as_they_came_and_data_keeps_its_type(self) -> None:
        passes = {**self.passes, "depth": light(9, 48, 64)[0] * 100}
        evaluator = engine_for(write_layers(self.folder / "all.exr", passes))
        facts = {"what": "passes", "format": "exr", "pixel_type": "half"}
        found = self.channels(write_files(evaluator, DIMMED, self.folder, facts)[0])
        before = self.channels(self.folder / "all.exr")
        self.assertEqual(sorted(found), sorted(before))
        for name, pixels in before.items():
            self.assertEqual(found[name].dtype, pixels.dtype, name)
            np.testing.assert_array_equal(found[name], pixels)

    def test_a_pass_with_alpha_of_its_own_is_no_alpha_of_a_still_unless_it_is_wanted(self) -> None:
        passes = {**self.passes, "key": np.concatenate([self.passes["key"], np.full((1, 48, 64), 0.5, np.float32)])}
        evaluator = engine_for(write_layers(self.folder / "rgba.exr", passes))
        facts = {"what": "passes", "format": "tiff", "only": ["key"], "pixel_type": "float", "names": "{name}"}
        space = {"space": "Linear Rec.709 (sRGB)"}
        for alpha, count, gain in ((False, 3, 1), (True, 4, 2)):
            (path,) = write_files(evaluator, DIMMED, self.folder / str(alpha), {**facts, **space, "alpha": alpha})
            as_stored = oiio.ImageSpec()
            as_stored.attribute("oiio:UnassociatedAlpha", 1)
            source = oiio.ImageInput.open(str(path), as_stored)
            pixels = source.read_image(0, 0, 0, source.spec().nchannels, oiio.FLOAT)
            source.close()
            self.assertEqual(pixels.shape[2], count)
            np.testing.assert_allclose(pixels[..., :3].transpose(2, 0, 1), passes["key"][:3] * gain, rtol=1e-6)

    def test_what_is_too_large_for_the_memory_is_refused(self) -> None:
        sentence = TooLarge(self.folder / "a.exr", "too large for the memory")
        checked = mock.patch("escala.delivery.frame_writer.check_memory", side_effect=sentence)
        with checked as asked, self.assertRaises(TooLarge):
            write_files(self.evaluator, DIMMED, self.folder, {"what": "lights", "format": "exr"})
        self.assertEqual(asked.call_args.args[1], 2 * 2 * 3 * 2 * 64 * 48)

    def test_mattes_are_floats_of_their_own(self) -> None:
        variant = Variant.model_validate({"mattes": {"bright": {"kind": "luminance", "low": 0.5, "high": 2.0}}})
        (path,) = write_files(self.evaluator, variant, self.folder, {"what": "mattes", "format": "exr"})
        found = self.channels(path)
        self.assertEqual([*found], ["bright.A"])
        self.assertEqual(found["bright.A"].dtype, np.float32)
        self.assertTrue(0 <= found["bright.A"].min() < found["bright.A"].max() <= 1)

    def test_a_breakdown_begins_with_the_first_term_and_ends_with_the_result(self) -> None:
        variant = DIMMED.model_copy(update={"finish": Finish(corrections=(ExposureCorrection(id="e", stops=1),))})
        facts = {"what": "breakdown", "format": "exr", "names": "{name}", "pixel_type": "float"}
        paths = write_files(self.evaluator, variant, self.folder, facts)
        names = [path.stem for path in paths]
        self.assertEqual(names[0], "01_fill_diffuse")
        self.assertEqual(names[-2:], ["05_balance", "06_finish"])
        np.testing.assert_allclose(read_colour(paths[0]), self.passes["fill_diffuse"], atol=2e-6)
        np.testing.assert_allclose(read_colour(paths[3]), self.passes[""], atol=5e-3)
        result = write_one(self.evaluator, variant, self.folder / "result.exr", pixel_type="float")
        np.testing.assert_array_equal(read_colour(paths[-1]), read_colour(result))


def chunks(path: Path) -> dict[str, bytes]:
    """The chunks of a PNG file by their names, the first of each."""
    data, found, place = path.read_bytes(), dict[str, bytes](), 8
    while place < len(data):
        (size,) = struct.unpack(">I", data[place : place + 4])
        found.setdefault(data[place + 4 : place + 8].decode(), data[place + 8 : place + 8 + size])
        place += 12 + size
    return found
