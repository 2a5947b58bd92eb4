"""The command line is a contract: renders in naming dialects of many kinds, separate files, sequences, bad input."""

import contextlib
import io
import json
import os
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import OpenEXR

from escala.cli import main
from escala.core.colour.transfer import srgb_encode
from tests.fixture_config import write_config
from tests.fixtures import FolderTest, add_up, box, light, read_colour, write_layers, write_parts

KEY, FILL, RIM = light(1), light(2), light(3)
LIT = {"": add_up(KEY, FILL, RIM), "lg_key": KEY, "lg_fill": FILL, "lg_rim": RIM}


class CommandTest(FolderTest):
    def run_command(self, *arguments: object) -> str:
        out = io.StringIO()
        with contextlib.redirect_stdout(out):
            main([str(argument) for argument in arguments])
        return out.getvalue()

    def said_by(self, *arguments: object) -> str:
        """What a command that succeeds writes to standard error."""
        err = io.StringIO()
        with contextlib.redirect_stderr(err):
            self.run_command(*arguments)
        return err.getvalue()

    def refused(self, *arguments: object) -> str:
        err = io.StringIO()
        with contextlib.redirect_stderr(err), self.assertRaises(SystemExit) as stop:
            main([str(argument) for argument in arguments])
        self.assertEqual(stop.exception.code, 2)
        self.assertEqual(err.getvalue().count("\n"), 1, err.getvalue())
        self.assertNotIn("Traceback", err.getvalue())
        return err.getvalue()

    def rebuilt(self, *sources: object) -> dict:
        return json.loads(self.run_command("rebuild", *sources, "--json"))

    def rendered(self, source: object, *options: object) -> np.ndarray:
        out = self.folder / "out.exr"
        self.run_command("render", source, "--out", out, *options)
        return read_colour(out)


class InspectTest(CommandTest):
    def test_json_has_the_promised_keys(self) -> None:
        path = write_layers(self.folder / "a.exr", {**LIT, "dd.T": light(9)[0] + 3})
        found = json.loads(self.run_command("inspect", path, "--json"))
        self.assertEqual((found["width"], found["height"], found["missing_frames"]), (32, 24, []))
        passes = {p["name"]: p for p in found["passes"]}
        self.assertEqual((passes["lg_key"]["role"], passes["lg_key"]["light"]), ("light_group", "key"))
        self.assertEqual((passes["dd"]["role"], passes["dd"]["pixel_type"]), ("depth", "float"))
        wanted = {"name", "role", "light", "component", "part", "file", "channels", "pixel_type", "diagnostics"}
        self.assertLessEqual(wanted, set(passes["lg_key"]))

    def test_missing_frames_and_empty_passes_are_reported(self) -> None:
        for number in (1, 2, 4):
            write_layers(self.folder / f"q.{number:04d}.exr", {**LIT, "emission": np.zeros_like(KEY)})
        found = json.loads(self.run_command("inspect", self.folder / "q.####.exr", "--json"))
        self.assertEqual((found["frames"], found["missing_frames"]), ([1, 2, 4], [3]))
        self.assertIn("missing_frames", {d["code"] for d in found["diagnostics"]})
        emission = next(p for p in found["passes"] if p["name"] == "emission")
        self.assertEqual([d["code"] for d in emission["diagnostics"]], ["empty"])

    def test_it_imports_no_more_than_it_needs(self) -> None:
        """Pipelines call it a thousand times: each library here takes a tenth of a second or more."""
        path = write_layers(self.folder / "a.exr", LIT)
        script = (
            "import sys; from escala.cli import main; main(sys.argv[1:]);"
            "print(*{'.'.join(name.split('.')[:2]) for name in sys.modules} - {''})"
        )

        def loaded_by(*arguments: str) -> set[str]:
            command = [sys.executable, "-c", script, *arguments]
            told = subprocess.run(command, check=True, capture_output=True, text=True).stdout.splitlines()[-1]
            return set(told.split())

        loaded = loaded_by("inspect", str(path))
        self.assertIn("numba.np", loaded)
        heavy = {
            "cffi",
            "cv2",
            "scipy.linalg",
            "scipy.signal",
            "scipy.stats",
            "scipy.ndimage",
            "scipy.interpolate",
            "scipy.optimize",
        }
        self.assertEqual(loaded & (heavy | {"sqlalchemy", "flask", "flask.app"}), set())
        document = self.folder / "variant.json"
        document.write_text("{}")
        self.assertFalse({"numba", "numba.np"} & loaded_by("check", str(document)))
        names = subprocess.run(
            [sys.executable, "-c", "import escala.cli, sys; print(*sys.modules)"], check=True, capture_output=True
        ).stdout.split()
        self.assertFalse({b"numpy", b"numba", b"pydantic"} & set(names))


class RebuildTest(CommandTest):
    def test_recipes_are_found_in_many_dialects(self) -> None:
        albedo = (light(5, top=0.8) + np.float32(0.1)).astype(np.float16).astype(np.float32)
        lit = ((KEY + FILL) * albedo.astype(np.float64)).astype(np.float16).astype(np.float32)
        dialects = {
            "lights by prefix": (LIT, 3),
            "parts with albedo": ({"rgba": lit, "direct": KEY, "indirect": FILL, "Albedo": albedo}, None),
            "light and colour": ({"": lit, "DiffDir": KEY, "DiffInd": FILL, "DiffCol": albedo}, 1),
            "components": ({"C": add_up(KEY, FILL, RIM), "diffuse": KEY, "specularIndirect": FILL, "emission": RIM}, 3),
            "totals beside parts": (
                {"": add_up(KEY, FILL), "diffuse": add_up(KEY, FILL), "diffuse_direct": KEY, "diffuse_indirect": FILL},
                1,
            ),
        }
        for name, (passes, terms) in dialects.items():
            for write in (write_layers, write_parts):
                if write is write_parts and "" in passes:
                    continue
                with self.subTest(dialect=name, write=write.__name__):
                    found = self.rebuilt(write(self.folder / f"{name}.{write.__name__}.exr", passes))
                    self.assertTrue(found["exact"], found)
                    self.assertEqual(found["factor"], [1.0, 1.0, 1.0])
                    if terms:
                        self.assertEqual(len(found["recipe"]), terms)

    def test_separate_files_per_pass(self) -> None:
        names = {"beauty": KEY + FILL + RIM, "key": KEY, "fill": FILL, "rim": RIM}
        for name, planes in names.items():
            write_layers(self.folder / f"shot_{name}.exr", {"": planes}, np.float32)
        for sources in ([self.folder], sorted(self.folder.glob("*.exr"))):
            self.assertTrue(self.rebuilt(*sources)["exact"])

    def test_stills_of_display_values_are_added_as_light(self) -> None:
        y, x = np.mgrid[0:60, 0:80] / 80
        parts = {"key": np.stack([0.3 * x, 0.2 * y, 0.1 + 0.1 * x]), "fill": np.stack([0.1 * y, 0.2 * x, 0.3 * y])}
        parts["beauty"] = parts["key"] + parts["fill"]
        for ending, depth in ((".png", np.uint16), (".tif", np.uint16), (".png", np.uint8), (".tif", np.float32)):
            folder = self.folder / f"stills{ending}{np.dtype(depth).itemsize}"
            folder.mkdir()
            for name, planes in parts.items():
                pixels = planes.astype(depth)  # float holds light as it is
                if depth is not np.float32:
                    pixels = np.rint(srgb_encode(planes) * np.iinfo(depth).max).astype(depth)
                pixels = pixels.transpose(1, 2, 0)[..., ::-1]
                cv2.imwrite(str(folder / f"shot_{name}{ending}"), np.ascontiguousarray(pixels))
            with self.subTest(ending=ending, depth=depth.__name__):
                report = self.rebuilt(folder)
                self.assertTrue(report["exact"], report)
                self.assertEqual({term["term"] for term in report["recipe"]}, {"key", "fill"})

    def test_a_baked_exposure_is_reported_as_a_factor(self) -> None:
        baked = {**LIT, "": (LIT[""] * 2).astype(np.float16).astype(np.float32)}
        found = self.rebuilt(write_layers(self.folder / "b.exr", baked))
        self.assertFalse(found["exact"])
        np.testing.assert_allclose(found["factor"], 2.0, rtol=1e-2)

    def test_the_sum_is_written(self) -> None:
        out = self.folder / "sum.exr"
        self.run_command("rebuild", write_layers(self.folder / "a.exr", LIT), "--out", out)
        np.testing.assert_allclose(read_colour(out), KEY + FILL + RIM, rtol=1e-6)


class RenderTest(CommandTest):
    def test_untouched_is_the_beauty_to_the_bit(self) -> None:
        np.testing.assert_array_equal(self.rendered(write_layers(self.folder / "a.exr", LIT)), LIT[""])

    def test_levels_tints_off_and_alone(self) -> None:
        path = write_layers(self.folder / "a.exr", LIT)
        beauty = LIT[""]
        np.testing.assert_allclose(self.rendered(path, "--light", "key=1"), beauty + KEY, rtol=2e-3, atol=5e-3)
        np.testing.assert_allclose(self.rendered(path, "--mute", "FILL"), beauty - FILL, rtol=2e-3, atol=5e-3)
        np.testing.assert_allclose(self.rendered(path, "--solo", "lg_rim"), RIM, rtol=1e-3, atol=1e-3)
        tint = self.rendered(path, "--tint", "key=1,0,0", "--solo", "key", "--working-space", "Linear Rec.709 (sRGB)")
        np.testing.assert_allclose(tint[0], KEY[0] / 0.2126, rtol=2e-3, atol=2e-3)
        self.assertEqual(float(np.abs(tint[1:]).max()), 0.0)

    def test_component_levels(self) -> None:
        path = write_layers(self.folder / "c.exr", {"": add_up(KEY, FILL), "diffuse": KEY, "spec": FILL})
        found = self.rendered(path, "--component", "specular=-1")
        np.testing.assert_allclose(found, KEY + FILL / 2, rtol=2e-3, atol=5e-3)

    def test_windows_and_metadata_survive(self) -> None:
        windows = {"dataWindow": box(-3, -2, 32, 24), "displayWindow": box(0, 0, 20, 16), "owner": "quay", "take": 7}
        out = self.folder / "out.exr"
        self.run_command(
            "render", write_layers(self.folder / "w.exr", LIT, **windows), "--out", out, "--light", "key=0.5"
        )
        with OpenEXR.File(str(out)) as file:
            header = dict(file.header())
        self.assertEqual((header["owner"], header["take"]), ("quay", 7))
        self.assertEqual([tuple(corner) for corner in header["dataWindow"]], [(-3, -2), (28, 21)])
        self.assertEqual([tuple(corner) for corner in header["displayWindow"]], [(0, 0), (19, 15)])
        self.assertEqual(header["escalaColourSpace"], "Linear Rec.709 (sRGB)")

    def test_views_and_spaces_agree_with_the_processor(self) -> None:
        import cv2

        from escala.media.configs import colour_config

        path, out = write_layers(self.folder / "a.exr", LIT), self.folder / "a.png"
        config = colour_config("ACES 2")
        self.run_command(
            "render", path, "--out", out, "--display", "sRGB - Display", "--view", config.default_view.view
        )
        exact = config.display(LIT[""], "Linear Rec.709 (sRGB)", config.default_view)
        found = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)[:, :, ::-1]
        self.assertEqual(found.dtype, np.uint16)
        np.testing.assert_allclose(found.transpose(2, 0, 1) / 65535, np.clip(exact, 0, 1), atol=1e-4)
        converted = config.convert(LIT[""], "Linear Rec.709 (sRGB)", "ACEScg")
        np.testing.assert_allclose(self.rendered(path, "--space", "ACEScg", "--float"), converted, rtol=1e-5)

    def test_own_configs_with_variables_and_looks(self) -> None:
        from escala.core.colour.config import View
        from escala.media.configs import colour_config

        path, out = write_layers(self.folder / "a.exr", {"": KEY / 8}), self.folder / "a.png"
        own = write_config(self.folder / "studio")
        seen = ("--display", "Bridge", "--view", "Print", "--look", "Dawn", "--input-space", "quay_lin")
        self.run_command("render", path, "--out", out, "--ocio", own, "--context", "MOOD=night", *seen)
        config = colour_config(str(own), {"MOOD": "night"})
        exact = config.display((KEY / 8).astype(np.float32), "Quay Linear", View("Bridge", "Print", "Dawn"))
        found = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)[:, :, ::-1].transpose(2, 0, 1) / 65535
        np.testing.assert_allclose(found, np.clip(exact, 0, 1), atol=1e-4)
        self.run_command("render", path, "--out", out, "--ocio", "Soft")
        soft = colour_config("Soft")
        exact = soft.display((KEY / 8).astype(np.float32), "lin_rec709", soft.default_view)
        found = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)[:, :, ::-1].transpose(2, 0, 1) / 65535
        np.testing.assert_allclose(found, np.clip(exact, 0, 1), atol=1e-4)

    def test_what_is_wrong_with_colour_is_one_line(self) -> None:
        path, out = write_layers(self.folder / "a.exr", {"": KEY}), self.folder / "out.png"
        own = write_config(self.folder / "studio")
        torn = self.folder / "torn.ocio"
        torn.write_text("ocio_profile_version: [")
        for options, words in (
            (("--ocio", torn), "line"),
            (("--ocio", self.folder / "none.ocio"), "no such config file"),
            (("--ocio", own, "--context", "WEATHER=rain"), "MOOD"),
            (("--ocio", own, "--context", "MOOD"), "NAME=VALUE"),
            (("--ocio", own, "--view", "Film"), "Print"),
            (("--look", "Dusk"), "Gamut Compression"),
        ):
            with self.subTest(options=options):
                self.assertIn(words, self.refused("render", path, "--out", out, *options))
                self.assertFalse(out.exists())

    def test_a_recoloured_surface_by_a_variant_file(self) -> None:
        colour = light(4, top=0.5) + np.float32(0.1)
        passes = {"": KEY * colour, "diffuse": KEY * colour, "diffuse_color": colour}
        path = write_layers(self.folder / "s.exr", passes, np.float32)
        variant = self.folder / "v.json"
        variant.write_text(json.dumps({"surface": {"changes": [{"kind": "recolour", "value": 0.5}]}}))
        halved = self.rendered(path, "--variant", variant, "--float")
        np.testing.assert_allclose(halved, KEY * colour / 2, rtol=1e-3, atol=1e-5)

    def test_cdl_then_lut_at_finish(self) -> None:
        cdl = self.folder / "g.cc"
        cdl.write_text(
            '<ColorCorrection id="a"><SOPNode><Slope>2 1 1</Slope><Offset>0 0 0.5</Offset><Power>1 1 1</Power>'
            "</SOPNode><SatNode><Saturation>1</Saturation></SatNode></ColorCorrection>"
        )
        cube = self.folder / "half.cube"
        cube.write_text("LUT_1D_SIZE 2\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n0 0 0\n0.5 0.5 0.5\n")
        path = write_layers(self.folder / "a.exr", {"": KEY / 8, "key": KEY / 8})
        options = ("--working-space", "Linear Rec.709 (sRGB)", "--float")
        expected = KEY / 8 * np.array([2, 1, 1])[:, None, None] + np.array([0, 0, 0.5])[:, None, None]
        np.testing.assert_allclose(self.rendered(path, "--cdl", cdl, *options), expected, rtol=1e-3, atol=1e-4)
        halved = self.rendered(path, "--cdl", cdl, "--lut", cube, *options)
        np.testing.assert_allclose(halved, np.clip(expected, 0, 1) / 2, rtol=1e-3, atol=1e-3)

    def test_a_range_of_a_sequence(self) -> None:
        for number in range(1, 6):
            if number != 3:
                write_layers(self.folder / f"q.{number:04d}.exr", LIT)
        err = io.StringIO()
        with contextlib.redirect_stderr(err):
            self.run_command(
                "render", self.folder / "q.%04d.exr", "--out", self.folder / "o.####.exr", "--frames", "2-4"
            )
        self.assertEqual(sorted(p.name for p in self.folder.glob("o.*")), ["o.0002.exr", "o.0004.exr"])
        self.assertIn("frame 3", err.getvalue())

    def test_what_waits_and_what_is_not_exact_is_reported(self) -> None:
        def told(passes: dict[str, np.ndarray], *options: object) -> str:
            source, err = write_layers(self.folder / "s.exr", passes), io.StringIO()
            with contextlib.redirect_stderr(err):
                self.run_command("render", source, "--out", self.folder / "o.exr", *options)
            return err.getvalue()

        parts = {"diffuse": add_up(KEY, FILL), "specular": RIM}
        self.assertEqual(told(LIT, "--light", "key=1"), "")
        self.assertIn("does not match its reference", told({**LIT, "lg_rim": RIM * 0.5}, "--light", "key=1"))
        self.assertEqual(told({**LIT, "lg_rim": RIM * 0.5}), "")
        by_ratio = told({**LIT, **parts}, "--light", "key=1", "--component", "specular=1")
        self.assertEqual(by_ratio.count("\n"), 1)
        self.assertIn("by ratio, an approximation", by_ratio)

    def test_the_picture_at_a_station(self) -> None:
        source = write_layers(self.folder / "s.exr", LIT)
        variant = self.folder / "v.json"
        exposed = {"finish": {"corrections": [{"kind": "exposure", "stops": 1}]}}
        variant.write_text(json.dumps({"balance": {"lights": {"key": {"stops": -2}}}, **exposed}))
        options = ("--variant", variant, "--float", "--station")
        dimmed = LIT[""] - 0.75 * KEY
        for station, wanted in (
            ("source", LIT[""]), ("surface", LIT[""]), ("balance", dimmed), ("beauty", dimmed), ("lens", dimmed),
            ("finish", 2 * dimmed), ("display", 2 * dimmed),
        ):  # fmt: skip
            with self.subTest(station):
                np.testing.assert_allclose(self.rendered(source, *options, station), wanted, rtol=2e-3, atol=2e-3)
        self.assertIn(
            "no station is named 'nowhere'; known are balance",
            self.refused("render", source, "--out", self.folder / "n.exr", "--station", "nowhere"),
        )

    def test_a_variant_file_gives_the_same_pixels_as_the_options(self) -> None:
        variant = self.folder / "v.json"
        variant.write_text(json.dumps({"balance": {"lights": {"key": {"stops": -1, "kelvin": 4200}}}}))
        path = write_layers(self.folder / "a.exr", LIT)
        self.assertFalse(np.array_equal(self.rendered(path, "--variant", variant), LIT[""]))
        variant.write_text(json.dumps({"balance": {"lights": {"key": {"stops": -1}}}}))
        by_file = self.rendered(path, "--variant", variant)
        np.testing.assert_array_equal(by_file, self.rendered(path, "--light", "key=-1"))


class VariantTest(CommandTest):
    """Documents through `--variant`: mattes, what they limit, labels, what waits."""

    def setUp(self) -> None:
        super().setUp()
        self.mask = np.linspace(0, 1, 24 * 32, dtype=np.float32).reshape(24, 32)
        self.source = write_layers(self.folder / "m.exr", {**LIT, "mask.Y": self.mask}, np.float32)
        self.file = self.folder / "set" / "v.json"
        self.file.parent.mkdir()

    def keep(self, **document: object) -> None:
        self.file.write_text(json.dumps(document))

    def told(self, *arguments: object) -> list[str]:
        err = io.StringIO()
        with contextlib.redirect_stderr(err):
            self.run_command(*arguments)
        return err.getvalue().splitlines()

    def test_a_matte_of_the_document_for_each_frame(self) -> None:
        keys = {1: [[0, 0], [8, 0], [8, 8], [0, 8]], 3: [[16, 0], [24, 0], [24, 8], [16, 8]]}
        self.keep(mattes={
            "half": {"kind": "channel", "pass": "mask", "gain": 0.5},
            "moving": {"kind": "shape", "keys": keys, "smooth": False},
        })  # fmt: skip
        out = self.folder / "matte.exr"
        self.run_command("matte", self.source, "--variant", self.file, "--matte", "half", "--out", out)
        with OpenEXR.File(str(out), separate_channels=True) as file:
            np.testing.assert_allclose(file.channels()["A"].pixels, self.mask / 2, atol=1e-6)
        for number in (1, 2, 3):
            write_layers(self.folder / f"q.{number:04d}.exr", LIT)
        sequence = self.folder / "q.####.exr"
        self.run_command(
            "matte", sequence, "--variant", self.file, "--matte", "moving", "--out", out, "--frames", "1-2"
        )
        self.assertEqual(sorted(p.name for p in self.folder.glob("matte.0*")), ["matte.0001.exr", "matte.0002.exr"])
        with OpenEXR.File(str(self.folder / "matte.0002.exr"), separate_channels=True) as file:
            self.assertEqual(np.argwhere(file.channels()["A"].pixels)[0].tolist(), [0, 8])
        self.assertIn("no matte is named 'lost'", self.refused(
            "matte", self.source, "--variant", self.file, "--matte", "lost", "--out", out
        ))  # fmt: skip
        self.assertIn("give both", self.refused("matte", self.source, "--matte", "half", "--out", out))

    def test_levels_and_corrections_where_the_document_says(self) -> None:
        mask = {"mask": {"kind": "channel", "pass": "mask"}}
        self.keep(mattes=mask, balance={
            "lights": {"key": {"stops": 1, "matte": "mask"}},
            "corrections": [{"kind": "exposure", "stops": 1, "of": {"light": "fill"}, "matte": "mask"}],
        })  # fmt: skip
        wanted = LIT[""] + self.mask * (KEY + FILL)
        found = self.rendered(self.source, "--variant", self.file, "--float")
        np.testing.assert_allclose(found, wanted, rtol=1e-4, atol=1e-3)
        more = self.rendered(self.source, "--variant", self.file, "--float", "--light", "rim=1")
        np.testing.assert_allclose(more, wanted + RIM, rtol=1e-4, atol=1e-3)

    def test_a_label_beside_the_document(self) -> None:
        albedo = np.zeros((3, 24, 32), np.float32)
        fell = KEY + np.float32(0.5)
        v, u = np.mgrid[0:24, 0:32]
        uv = {"uv.U": ((u + 0.5) / 32).astype(np.float32), "uv.V": (1 - (v + 0.5) / 24).astype(np.float32)}
        passes = {"": albedo, "diffuse_direct": fell, "diffuse_color": albedo, **uv}
        source = write_layers(self.folder / "black.exr", passes, np.float32)
        emblem = np.random.default_rng(1).integers(0, 255, (24, 32, 3), np.uint8)
        cv2.imwrite(str(self.file.parent / "emblem.png"), emblem)
        label = {"kind": "label", "pictures": ["gone.png", "emblem.png"], "chosen": 1}
        self.keep(surface={"changes": [label]})
        found = self.rendered(source, "--variant", self.file, "--float", "--working-space", "Linear Rec.709 (sRGB)")
        shown = emblem[:, :, ::-1].transpose(2, 0, 1) / 255
        linear = np.where(shown <= 0.04045, shown / 12.92, ((shown + 0.055) / 1.055) ** 2.4)
        np.testing.assert_allclose(found, linear * fell, rtol=1e-3, atol=1e-4)
        self.keep(surface={"changes": [{**label, "chosen": 0}]})
        lines = self.told("render", source, "--variant", self.file, "--out", self.folder / "o.exr")
        gone = self.file.parent / "gone.png"
        self.assertIn(f"escala: {gone} is missing: what uses it is unresolved", lines)
        answer = json.loads(self.run_command("check", self.file, "--json"))
        self.assertEqual(answer["missing_files"], [str(gone)])

    def test_everything_that_waits_is_a_line(self) -> None:
        self.keep(
            mattes={"who": {"kind": "object", "names": ["ghost"]}, "far": {"kind": "depth", "near": 1, "far": 2}},
            balance={
                "lights": {"sun": {"stops": 1}},
                "corrections": [{"id": "c", "kind": "exposure", "of": {"component": "sheen"}}],
            },
            surface={"changes": [{"id": "l", "kind": "label", "pictures": [], "component": "velvet"}]},
        )
        lines = self.told("render", self.source, "--variant", self.file, "--out", self.folder / "o.exr")
        self.assertEqual(lines, [
            "escala: balance/lights/sun is unresolved: m has no sun",
            "escala: mattes/who/names is unresolved: m has no ghost",
            "escala: mattes/far is unresolved: m has no depth pass",
            "escala: surface/changes/l/component is unresolved: m has no velvet",
            "escala: surface/changes/l/uv is unresolved: m has no uv pass",
            "escala: balance/corrections/c/of is unresolved: m has no sheen",
        ])  # fmt: skip

    def test_layers_beside_the_document_and_a_further_render(self) -> None:
        near = write_layers(self.folder / "near.exr", {"": KEY, "lg_key": KEY, "A": self.mask}, np.float32)
        cg = write_layers(self.folder / "cg.exr", {**LIT, "A": self.mask}, np.float32)
        sky = np.full((24, 32, 3), 188, np.uint8)
        for number in (1, 2):
            cv2.imwrite(str(self.file.parent / f"sky.{number}.png"), sky // number)
        layers = [
            {"kind": "picture", "path": "sky.#.png", "first_frame": 2}, {"kind": "cg"},
            {"id": "ropes", "kind": "render", "render": "ropes"},
        ]  # fmt: skip
        self.keep(plate={"layers": layers}, balance={"lights": {"key": {"stops": 1}}})
        space = ("--working-space", "Linear Rec.709 (sRGB)", "--float", "--station", "plate")
        found = self.rendered(cg, "--variant", self.file, "--render", f"ropes={near}", *space)
        shown = ((94 / 255 + 0.055) / 1.055) ** 2.4
        below = LIT[""] + KEY + shown * (1 - self.mask)
        np.testing.assert_allclose(found, 2 * KEY + below * (1 - self.mask), rtol=1e-3, atol=1e-3)
        lines = self.told("render", cg, "--variant", self.file, "--out", self.folder / "o.exr")
        self.assertIn("escala: plate/layers/ropes/render is unresolved: cg has no ropes", lines)
        parts = {"beauty": {"": KEY, "A": self.mask}, "lg_key": {"": KEY}}
        files = [write_layers(self.folder / f"{name}.exr", passes, np.float32) for name, passes in parts.items()]
        in_files = [part for file in files for part in ("--render", f"ropes={file}")]
        np.testing.assert_array_equal(self.rendered(cg, "--variant", self.file, *in_files, *space), found)
        answer = json.loads(self.run_command("check", self.file, cg, "--json", "--render", f"ropes={near}"))
        self.assertEqual((answer["waiting"], answer["missing_files"]), ([], []))
        for number in (1, 2):
            (self.file.parent / f"sky.{number}.png").unlink()
        answer = json.loads(self.run_command("check", self.file, cg, "--json"))
        self.assertEqual(answer["waiting"], [{"place": "plate/layers/ropes/render", "name": "ropes"}])
        self.assertEqual(answer["missing_files"], [str(self.file.parent / "sky.#.png")])
        small = write_layers(self.folder / "small.exr", {"": KEY[:, ::2, ::2]})
        for options, words in (
            (("--render", "ropes"), "NAME=SOURCE"),
            (("--render", f"ropes={small}"), "renders of one shot have the same size"),
        ):
            out = self.folder / "none.exr"
            self.assertIn(words, self.refused("render", cg, "--variant", self.file, "--out", out, *options))


class RefusalTest(CommandTest):
    def test_a_document_is_checked_before_it_is_used(self) -> None:
        source = write_layers(self.folder / "c.exr", LIT)
        file = self.folder / "v.json"
        levels = {"key": {"stops": 1}, "gone/by": {"stops": 1}, "idle": {}}
        lut = {"kind": "lut", "path": str(self.folder / "lost.cube")}
        recolour = {"id": "band", "hue": 20, "object_name": "hull"}
        document = {
            "balance": {"lights": levels},
            "finish": {"corrections": [lut]},
            "surface": {"recolours": [recolour]},
        }
        file.write_text(json.dumps(document))
        found = json.loads(self.run_command("check", file, source, "--json"))
        waiting = [
            {"place": "balance/lights/gone~1by", "name": "gone/by"},
            {"place": "mattes/hull/names", "name": "hull"},
        ]
        self.assertEqual(found, {"kind": "variant", "waiting": waiting, "missing_files": [lut["path"]]})
        self.assertEqual(json.loads(self.run_command("check", file, "--json"))["waiting"], [])
        self.assertIn("balance/lights/gone~1by: unresolved", self.run_command("check", file, source))
        file.write_text("{}")
        self.assertIn("nothing unresolved and nothing missing", self.run_command("check", file, source))
        file.write_text('{"balance": {"lights": {"key": {"stops": 99}}}}')
        self.assertIn("balance.lights.key.stops", self.refused("check", file))

    def test_bad_input_takes_one_line_and_leaves_nothing(self) -> None:
        path = write_layers(self.folder / "a.exr", LIT)
        text = self.folder / "note.exr"
        text.write_text("hello")
        out = self.folder / "o.exr"
        cases = {
            "ghost.exr": ("inspect", self.folder / "ghost.exr"),
            "note.exr": ("rebuild", text, "--json"),
            "no light is named": ("render", path, "--out", out, "--light", "ghost=1"),
            "NAME=STOPS": ("render", path, "--out", out, "--light", "key"),
            "no display is named": ("render", path, "--out", out, "--display", "x", "--view", "y"),
            "no colour space is named": ("render", path, "--out", out, "--space", "x"),
            ".ocio": ("render", path, "--out", out, "--ocio", self.folder / "no.ocio"),
            ".xyz": ("render", path, "--out", self.folder / "o.xyz"),
            "folder does not exist": ("render", path, "--out", self.folder / "none" / "o.exr"),
            "no.cdl": ("render", path, "--out", out, "--cdl", self.folder / "no.cdl"),
            "not a variant": ("render", path, "--out", out, "--variant", path),
            "no frame": ("render", path, "--out", out, "--frames", "90-95"),
            "has no cryptomatte": ("matte", path, "--name", "hull", "--out", out),
            "invalid choice": ("nonsense",),
        }
        before = set(self.folder.iterdir())
        for words, arguments in cases.items():
            with self.subTest(case=words):
                self.assertIn(words, self.refused(*arguments))
        self.assertEqual(set(self.folder.iterdir()), before)

    def test_the_installed_command_refuses_too(self) -> None:
        command = [str(Path(sys.executable).parent / "escala"), "inspect", str(self.folder / "ghost.exr")]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1))


class HostileFilesTest(CommandTest):
    """Files that nobody means, at a terminal: one line that names them, and nothing else."""

    def test_tables_that_are_none_are_refused_whatever_their_kind(self) -> None:
        path = write_layers(self.folder / "a.exr", LIT)
        for kind in (".cube", ".3dl", ".spi1d", ".spi3d", ".csp", ".clf", ".ctf", ".lut"):
            table = self.folder / f"odd{kind}"
            table.write_bytes(b"\x00\xff\xfe\x80" * 300)
            with self.subTest(kind=kind):
                self.refused("render", path, "--out", self.folder / "x.exr", "--lut", table)
        for name in ("g.cdl", "g.cc", "g.ccc"):
            (self.folder / name).write_bytes(b"<\xff\xfe\x80" * 300)
            self.assertIn(
                name, self.refused("render", path, "--out", self.folder / "x.exr", "--cdl", self.folder / name)
            )
        self.assertFalse((self.folder / "x.exr").exists())

    def test_a_name_with_a_dollar_is_a_name(self) -> None:
        path = write_layers(self.folder / "a.exr", LIT)
        table = self.folder / "$HOME.cube"
        table.write_text("LUT_1D_SIZE 2\n0 0 0\n0.5 0.5 0.5\n")
        halved = self.rendered(path, "--lut", table, "--input-space", "ACEScg")
        np.testing.assert_allclose(halved, np.minimum(LIT[""], 1) * 0.5, rtol=2e-3, atol=1e-3)

    def test_documents_that_nobody_means_are_refused(self) -> None:
        path, document = write_layers(self.folder / "a.exr", LIT), self.folder / "v.json"
        deep = '{"balance":' * 5000 + "1" + "}" * 5000
        slope = '{"finish": {"corrections": [{"kind": "cdl", "slope": [%s, 1, 1]}]}}'
        for text in (
            deep,
            "[" * 100_000,
            slope % "NaN",
            slope % "1e39",
            slope % "1e400",
            "\x00",
            '{"tally": {"added": 3}}',
        ):
            with self.subTest(text=text[:20]):
                document.write_text(text)
                self.assertIn(
                    "v.json", self.refused("render", path, "--out", self.folder / "x.exr", "--variant", document)
                )

    def test_headers_with_numbers_that_are_none_are_passed_over(self) -> None:
        odd = {
            "chromaticities": (float("nan"),) * 8,
            "framesPerSecond": "1e400",
            "comments": "\udcff".encode("utf-8", "surrogateescape").decode("latin-1"),
        }
        for name, value in odd.items():
            with self.subTest(name=name):
                path = write_layers(self.folder / f"{name}.exr", LIT, **{name: value})
                found = json.loads(self.run_command("inspect", path, "--json"), parse_constant=self.fail)
                self.assertEqual(found["input_space"], "Linear Rec.709 (sRGB)")

    def test_pixels_that_are_no_numbers_make_no_line_on_the_terminal(self) -> None:
        broken = {name: planes.copy() for name, planes in LIT.items()}
        broken[""][:, 2, 3], broken["lg_key"][0, 4, 5] = np.inf, np.nan
        path = write_layers(self.folder / "a.exr", broken)
        out = self.folder / "x.png"
        command = [sys.executable, "-m", "escala.cli", "render", str(path), "--out", str(out), "--light", "key=1"]
        done = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertEqual((done.returncode, done.stderr), (0, ""))

    def test_pipes_and_circles_are_no_files(self) -> None:
        os.mkfifo(self.folder / "pipe.exr")
        (self.folder / "round.exr").symlink_to(self.folder / "round.exr")
        for name in ("pipe.exr", "round.exr", "n" * 300 + ".exr", "a\x00b.exr"):
            self.refused("inspect", self.folder / name)
