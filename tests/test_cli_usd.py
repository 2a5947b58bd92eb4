"""The light sheet as USD: overs for the lights of a scene, read back by the library itself, and rendered anew."""

import json
from pathlib import Path
from typing import Any

import numpy as np
from pxr import Sdf, Usd, UsdGeom, UsdLux

from tests.engine.fixture_shot import grid_passes
from tests.fixtures import read_colour, write_layers
from tests.test_cli import CommandTest

REC709 = "Linear Rec.709 (sRGB)"
SPACE = ("--input-space", REC709, "--working-space", REC709)


class UsdSheetTest(CommandTest):
    def setUp(self) -> None:
        super().setUp()
        self.source = write_layers(self.folder / "grid.exr", grid_passes(24, 32), np.float32)
        self.variant, self.out = self.folder / "v.json", self.folder / "over.usda"
        self.scene = self.folder / "scene.usda"
        stage = Usd.Stage.CreateNew(str(self.scene))
        stage.SetTimeCodesPerSecond(25)
        key = UsdLux.RectLight.Define(stage, "/set/key/softbox")
        key.CreateIntensityAttr(10.0)
        key.CreateExposureAttr(1.0)
        key.CreateColorAttr((1.0, 0.5, 0.25))
        inner = UsdLux.SphereLight.Define(stage, "/set/key/fill")
        inner.CreateIntensityAttr().Set(1.0, 1.0)
        inner.GetIntensityAttr().Set(3.0, 5.0)
        UsdLux.SphereLight.Define(stage, "/set/other").CreateIntensityAttr(7.0)
        UsdGeom.Sphere.Define(stage, "/set/ball")
        stage.Save()

    def keep(self, **balance: object) -> None:
        self.variant.write_text(json.dumps({"balance": balance}))

    def sheet(self, *more: object, source: Path | None = None) -> Usd.Stage:
        """The scene with the written layer over it."""
        options = ("--variant", self.variant, "--scene", self.scene, "--out", self.out, *SPACE, *more)
        self.run_command("sheet", source or self.source, *options)
        root = Sdf.Layer.CreateAnonymous(".usda")
        root.timeCodesPerSecond = 25
        root.subLayerPaths = [str(self.out), str(self.scene)]
        return Usd.Stage.Open(root)

    def radiance(self, stage: Usd.Stage, path: str, time: float | None = None) -> np.ndarray:
        light = UsdLux.LightAPI(stage.GetPrimAtPath(path))
        code = Usd.TimeCode.EarliestTime() if time is None else Usd.TimeCode(time)
        attributes = (light.GetExposureAttr(), light.GetIntensityAttr(), light.GetColorAttr())
        exposure, intensity, colour = (attribute.Get(code) for attribute in attributes)
        return 2.0**exposure * intensity * np.array(colour)

    def written(self) -> set[str]:
        """The prims of which the layer says anything."""
        found: set[str] = set()
        layer = Sdf.Layer.FindOrOpen(str(self.out))

        def note(path: Any) -> None:
            if path.IsPropertyPath():
                found.add(str(path.GetPrimPath()))
            elif path.IsPrimPath():
                self.assertEqual(layer.GetPrimAtPath(path).specifier, Sdf.SpecifierOver)

        layer.Traverse(Sdf.Path.absoluteRootPath, note)
        return found

    def test_levels_become_factors_of_the_scenes_own_values(self) -> None:
        self.keep(lights={"key": {"stops": 2, "tint": [1, 1, 0]}, "fill": {"multiplier": 0.5}})
        before = self.scene.read_bytes()
        stage = self.sheet()
        self.assertEqual(self.scene.read_bytes(), before)
        tint = np.array([1, 1, 0]) / (0.2126390059 + 0.7151686788)
        expected = 20 * np.array([1, 0.5, 0.25]) * 4 * tint
        np.testing.assert_allclose(self.radiance(stage, "/set/key/softbox"), expected, rtol=1e-5)
        # The nearest name counts, and own samples are kept.
        for time, value in ((1.0, 0.5), (5.0, 1.5), (3.0, 1.0)):
            np.testing.assert_allclose(self.radiance(stage, "/set/key/fill", time), value, rtol=1e-6)
        self.assertEqual(self.written(), {"/set/key/softbox", "/set/key/fill"})

    def test_neutral_lights_are_left_alone_and_muted_ones_are_dark(self) -> None:
        self.keep(lights={"fill": {"mute": True}})
        stage = self.sheet()
        self.assertEqual(self.written(), {"/set/key/fill"})
        self.assertEqual(float(self.radiance(stage, "/set/key/fill", 5.0).max()), 0.0)

    def test_a_level_that_moves_is_sampled_at_the_frames(self) -> None:
        source = self.folder / "s.####.exr"
        for number in (3, 4, 5):
            write_layers(self.folder / f"s.{number:04d}.exr", grid_passes(24, 32), np.float32)
        ramp = {"kind": "ramp", "from": 0, "to": 2, "start": 3, "end": 5}
        document = {"balance": {"lights": {"key": {}}}, "curves": {"balance/lights/key/stops": ramp}}
        self.variant.write_text(json.dumps(document))
        stage = self.sheet(source=source)
        attribute = stage.GetPrimAtPath("/set/key/softbox").GetAttribute("inputs:intensity")
        self.assertEqual(attribute.GetTimeSamples(), [3.0, 4.0, 5.0])
        np.testing.assert_allclose([attribute.Get(time) for time in (3, 4, 5)], [10, 20, 40], rtol=1e-6)
        self.assertEqual(Sdf.Layer.FindOrOpen(str(self.out)).timeCodesPerSecond, 25)

    def test_a_map_names_prims_and_what_has_none_is_named(self) -> None:
        self.keep(lights={"key": {"stops": 1}, "fill": {"stops": 1}})
        names = self.folder / "names.csv"
        names.write_text("light,prim\nfill,/set/other\n")
        stage = self.sheet("--map", names)
        self.assertEqual(self.written(), {"/set/other", "/set/key/softbox"})
        np.testing.assert_allclose(self.radiance(stage, "/set/other"), 14, rtol=1e-6)
        lonely = Usd.Stage.CreateNew(str(self.folder / "lonely.usda"))
        UsdLux.SphereLight.Define(lonely, "/fill")
        lonely.Save()
        options = ("--variant", self.variant, "--scene", self.folder / "lonely.usda", "--out", self.out)
        said = self.said_by("sheet", self.source, *options)
        self.assertIn("key: no prim of the scene has this name", said)

    def test_what_cannot_be_done_is_refused_in_a_sentence(self) -> None:
        self.keep(lights={"key": {"stops": 1}})
        names, broken, bare = self.folder / "m.csv", self.folder / "broken.usda", self.folder / "bare.usda"
        broken.write_text("#usda 1.0\ndef Sphere {")
        bare.write_text('#usda 1.0\ndef SphereLight "moon" {}')
        scene = ("--scene", self.scene)
        for lines, options, sentence in (
            ("", (), "needs --scene"),
            ("", ("--scene", self.folder / "none.usda"), "no such file"),
            ("", ("--scene", broken), "does not open as USD"),
            ("", ("--scene", bare), "no light of the scene is named as one of"),
            ("key,/set/gone", (*scene, "--map", names), "the prim /set/gone is not there"),
            ("key,/set/ball", (*scene, "--map", names), "the prim /set/ball is no light"),
            ("moon,/set/other", (*scene, "--map", names), "the render has no light 'moon'"),
            ("key", (*scene, "--map", names), "no line of the form light,/path/of/prim"),
            ("", (*scene, "--space", "ACEScg"), "leave --space out"),
        ):
            names.write_text(lines)
            with self.subTest(sentence=sentence):
                refused = self.refused("sheet", self.source, "--variant", self.variant, "--out", self.out, *options)
                self.assertIn(sentence, refused)
        self.assertFalse(self.out.exists())
        refused = self.refused("sheet", self.source, "--variant", self.variant, "--out", self.scene, *scene)
        self.assertIn("it is never written", refused)

    def test_rendered_anew_it_is_what_the_passes_gave(self) -> None:
        options = ("--size", "64x36", "--samples", "2", "--noisy")
        before, after, levelled = (self.folder / name for name in ("before", "after", "levelled.exr"))
        self.run_command("stage", *options, "--out", before)
        shot = before / "night_quay.0012.exr"
        levels = {"beacon": {"stops": -2, "tint": [1, 0.6, 0.4]}, "cabin": {"stops": 1.5, "kelvin": 4200}}
        self.keep(lights={**levels, "sky": {"mute": True}, "moon": {"stops": 0.5}})
        overs = ("--scene", before / "lights.usda", "--out", self.out, "--working-space", REC709)
        self.run_command("sheet", shot, "--variant", self.variant, *overs)
        self.run_command("stage", *options, "--lights", self.out, "--out", after)
        work = ("--station", "beauty", "--working-space", REC709, "--out", levelled)
        self.run_command("render", shot, "--variant", self.variant, *work)
        anew, found, plain = (read_colour(path) for path in (after / shot.name, levelled, shot))
        self.assertGreater(float(np.abs(plain - anew).mean()), 0.01)
        error = np.abs(found - anew) / (np.abs(anew) + 0.01)
        self.assertLess(float(error.mean()), 2e-3)
        self.assertLess(float(np.quantile(error, 0.99)), 0.03)
