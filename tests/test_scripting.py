"""Escala from Python: scripts get what the command line writes; an import costs little and prints nothing."""

import doctest
import json
import os
import subprocess
import sys
import tempfile

import numpy as np

import escala
from escala import scripting
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import read_colour, write_layers
from tests.test_cli import CommandTest

REC709 = "Linear Rec.709 (sRGB)"
COLOUR = {"input_space": REC709, "working_space": REC709}


class ScriptingTest(CommandTest):
    def setUp(self) -> None:
        super().setUp()
        self.passes = grid_passes(24, 32)
        self.path = write_layers(self.folder / "grid.exr", self.passes, np.float32)
        self.shot = escala.open(self.path)
        self.addCleanup(self.shot.close)

    def test_what_a_shot_says(self) -> None:
        self.assertEqual((self.shot.name, self.shot.width, self.shot.height), ("grid", 32, 24))
        self.assertEqual((set(self.shot.lights), len(self.shot.frames)), ({"key", "fill"}, 1))
        roles = {one.name: one.role for one in self.shot.passes}
        self.assertIn("light_component", set(roles.values()))

    def test_set_gives_a_new_variant_and_its_picture(self) -> None:
        plain = self.shot.variant({"colour": COLOUR})
        look = plain.set("balance/lights/key/stops", 1).set("/finish/corrections/-", {"kind": "exposure", "stops": -1})
        expected = np.moveaxis((2 * self.passes["key"] + self.passes["fill"]) / 2, 0, -1)
        picture = look.picture()
        self.assertEqual((picture.dtype, picture.shape), (np.float32, (24, 32, 3)))
        np.testing.assert_allclose(picture, expected, rtol=1e-3, atol=2e-2)
        again = look.set("finish/corrections/exposure1/stops", 0)
        np.testing.assert_allclose(again.picture(), 2 * expected, rtol=1e-3, atol=2e-2)
        np.testing.assert_array_equal(plain.picture(station="source"), np.moveaxis(self.passes[""], 0, -1))
        self.assertEqual(plain.document["balance"]["lights"], {})
        self.assertEqual(look.document["balance"]["lights"]["key"]["stops"], 1)

    def test_the_picture_is_what_the_command_line_writes(self) -> None:
        document = {"balance": {"lights": {"key": {"stops": -1, "kelvin": 4000}}}, "lens": {"vignette": {"on": True}}}
        file, out = self.folder / "look.json", self.folder / "out.exr"
        file.write_text(json.dumps(document))
        self.run_command("render", self.path, "--variant", file, "--float", "--out", out, "--output-space", "ACEScg")
        picture = self.shot.variant(file).picture(space="ACEScg")
        np.testing.assert_array_equal(np.moveaxis(read_colour(out), 0, -1), picture)
        shown = self.shot.variant(document).picture(display="sRGB - Display", view="Un-tone-mapped")
        self.assertFalse(np.allclose(shown, picture, atol=0.02))

    def test_alpha_matte_sheet_and_solve(self) -> None:
        look = self.shot.variant({
            "colour": COLOUR, "balance": {"lights": {"key": {"stops": 2}}},
            "mattes": {"left": {"kind": "ellipse", "centre": [0, 12], "radii": [8, 40]}},
        })  # fmt: skip
        np.testing.assert_array_equal(look.alpha(), np.ones((24, 32), np.float32))
        matte = look.matte("left")
        self.assertEqual((matte.shape, float(matte[12, 2]), float(matte[12, 30])), ((24, 32), 1.0, 0.0))
        row = next(row for row in look.sheet() if row["light"] == "key")
        self.assertEqual((row["frame"], row["stops"], row["effective_green"]), (None, 2, 4))
        found = self.shot.variant({"colour": COLOUR}).solve(look.picture(), lock=["fill"])
        self.assertAlmostEqual(found["lights"]["key"]["stops"], 2, places=3)
        self.assertEqual((set(found["lights"]), found["locked"]), ({"key"}, ["fill"]))

    def test_files_are_those_of_the_command_line(self) -> None:
        preset = {"escala": "delivery", "name": "comp", "files": [
            {"what": "result", "format": "exr", "names": "{shot}.{frame}"}, {"what": "lights", "format": "png"},
        ]}  # fmt: skip
        document = {"balance": {"lights": {"key": {"stops": -1}}}}
        variant, file = self.folder / "v.json", self.folder / "p.json"
        variant.write_text(json.dumps(document))
        file.write_text(json.dumps(preset))
        written = self.shot.variant(document).deliver(preset, self.folder / "a")
        self.run_command("render", self.path, "--variant", variant, "--preset", file, "--out", self.folder / "b")
        exr, key = self.folder / "a" / "grid.0001.exr", self.folder / "a" / "grid_variant_lights_key.0001.png"
        self.assertEqual({path.name for path in written}, {p.name for p in (self.folder / "a").iterdir()})
        self.assertEqual(exr.read_bytes(), (self.folder / "b" / "grid.0001.exr").read_bytes())
        self.assertEqual(key.read_bytes(), (self.folder / "b" / "grid_v_lights_key.0001.png").read_bytes())
        before = exr.stat().st_mtime_ns
        again = self.shot.variant(document).deliver(file, self.folder / "a", resume=True)
        self.assertEqual((set(again), exr.stat().st_mtime_ns), (set(written), before))
        wrong = {**preset, "files": [{"what": "result", "format": "gif"}]}
        with self.assertRaisesRegex(escala.EscalaError, "not a delivery preset: files.0.format"):
            self.shot.variant().deliver(wrong, self.folder / "c")
        with self.assertRaisesRegex(escala.EscalaError, "has no mattes"):
            self.shot.variant().deliver({**preset, "files": [{"what": "mattes", "format": "exr"}]}, self.folder / "c")
        self.assertFalse((self.folder / "c").exists())

    def test_errors_are_sentences(self) -> None:
        look = self.shot.variant()
        for work, sentence in (
            (lambda: escala.open(self.folder / "none.exr"), "none.exr"),
            (lambda: escala.open(), "name at least one file"),
            (lambda: look.set("balance/lights/key/stops", 99), "balance.lights.key.stops"),
            (lambda: look.set("finish/corrections/nine/stops", 1), "names no entry 'nine'"),
            (lambda: look.picture(frame=77), "grid has no frame 77"),
            (lambda: look.picture(station="roof"), "roof"),
            (lambda: look.picture(space="ACEScg", view="Raw"), "exclude each other"),
            (lambda: look.matte("gone"), "gone"),
            (lambda: look.solve(np.zeros((3, 24, 32))), "does not fit"),
            (lambda: self.shot.variant({"colour": 4}), "not a variant: colour"),
        ):
            with self.subTest(sentence=sentence), self.assertRaisesRegex(escala.EscalaError, sentence):
                work()

    def test_doctests_run_from_an_empty_folder(self) -> None:
        before = os.getcwd()
        with tempfile.TemporaryDirectory() as folder:
            os.chdir(folder)
            try:
                found = doctest.testmod(scripting)
            finally:
                os.chdir(before)
        self.assertEqual((found.failed, found.attempted > 3), (0, True))

    def test_an_import_takes_no_web_and_no_numba_and_a_script_ends_by_itself(self) -> None:
        script = (
            "import os, sys; before = dict(os.environ); import escala; escala.open; escala.Shot\n"
            "assert os.environ == before\n"
            "assert not {'flask', 'numba', 'sqlalchemy', 'cv2'} & set(sys.modules), set(sys.modules)\n"
            f"shot = escala.open({str(self.path)!r})\n"
            "assert shot.variant().picture().shape == (24, 32, 3)\n"
        )
        done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, timeout=120)
        self.assertEqual((done.returncode, done.stdout, done.stderr), (0, "", ""))
