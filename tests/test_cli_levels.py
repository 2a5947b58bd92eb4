"""`escala solve`, `sheet`, `preset`, and what they give back to `render`: levels out and in again."""

import csv
import json

import cv2
import numpy as np

from escala.core.balance.levels import level_gain
from escala.media.configs import colour_config
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import add_up, read_colour, write_layers
from tests.test_cli import CommandTest

REC709 = "Linear Rec.709 (sRGB)"
SPACE = ("--input-space", REC709, "--working-space", REC709)


class LevelsTest(CommandTest):
    def setUp(self) -> None:
        super().setUp()
        self.passes = grid_passes(24, 32)
        self.source = write_layers(self.folder / "grid.exr", self.passes, np.float32)
        self.variant, self.out = self.folder / "v.json", self.folder / "out.json"

    def keep(self, **document: object) -> None:
        self.variant.write_text(json.dumps(document))

    def solved(self, *options: object) -> dict:
        return json.loads(self.run_command("solve", self.source, *options, *SPACE, "--json"))

    def test_levels_are_solved_from_a_reference_and_written_as_a_variant(self) -> None:
        wanted = 2.0 * self.passes["key"] + 0.25 * self.passes["fill"]
        reference = write_layers(self.folder / "wanted.exr", {"": wanted}, np.float32)
        found = self.solved("--reference", reference, "--out", self.out)
        self.assertEqual((set(found["lights"]), found["locked"], found["pixels"]), ({"key", "fill"}, [], 24 * 32))
        self.assertAlmostEqual(found["lights"]["key"]["stops"], 1.0, places=4)
        self.assertAlmostEqual(found["lights"]["fill"]["stops"], -2.0, places=3)
        self.assertGreater(found["before"]["rms"], 0.1)
        self.assertLess(found["after"]["rms"], 2e-3)
        shown = self.folder / "shown.exr"
        self.run_command("render", self.source, "--variant", self.out, "--out", shown, "--float", *SPACE)
        np.testing.assert_allclose(read_colour(shown), wanted, rtol=2e-3, atol=6e-3)
        self.assertIn("key: +1.000 stops", self.run_command("solve", self.source, "--reference", reference, *SPACE))

    def test_locked_lights_keep_their_level_and_dark_ones_have_sixteen_stops_less(self) -> None:
        self.keep(balance={"lights": {"fill": {"stops": 1}}})
        reference = write_layers(self.folder / "wanted.exr", {"": 2.0 * self.passes["fill"]}, np.float32)
        found = self.solved("--reference", reference, "--variant", self.variant, "--lock", "fill")
        self.assertEqual((list(found["lights"]), found["locked"]), (["key"], ["fill"]))
        self.assertEqual(found["lights"]["key"], {"stops": -16.0, "tint": [1.0, 1.0, 1.0]})
        refused = self.refused("solve", self.source, "--reference", reference, "--lock", "sun")
        self.assertIn("no light is named 'sun'", refused)

    def test_tints_and_cells(self) -> None:
        gain = np.array([1.5, 1.0, 0.5], np.float32)[:, None, None]
        tinted = add_up(self.passes["key"] * gain, self.passes["fill"])
        reference = write_layers(self.folder / "tinted.exr", {"": tinted}, np.float32)
        key = self.solved("--reference", reference, "--tints")["lights"]["key"]
        np.testing.assert_allclose(2 ** key["stops"] * np.array(key["tint"]), gain.ravel(), atol=3e-3)
        cells = {name: planes for name, planes in self.passes.items() if "_" in name}
        wanted = sum(planes * (3.0 if name == "key_specular" else 1.0) for name, planes in cells.items())
        reference = write_layers(self.folder / "cells.exr", {"": wanted}, np.float32)
        found = self.solved("--reference", reference, "--cells")["cells"]
        self.assertAlmostEqual(2 ** found["key/specular"]["stops"], 3.0, places=2)
        self.assertAlmostEqual(2 ** found["fill/diffuse"]["stops"], 1.0, places=2)

    def test_a_reference_of_another_size_or_kind(self) -> None:
        cv2.imwrite(str(self.folder / "small.png"), np.zeros((5, 5, 3), np.uint8))
        for name, words in (("small.png", "a reference has the size of the render"), ("gone.exr", "no such file")):
            self.assertIn(words, self.refused("solve", self.source, "--reference", self.folder / name))

    def rows(self, *options: object) -> tuple[str, list[dict[str, str]]]:
        out = self.folder / "sheet.csv"
        self.run_command("sheet", self.source, "--variant", self.variant, "--out", out, *options, *SPACE)
        first, *lines = out.read_text().splitlines()
        return first, list(csv.DictReader(lines))

    def test_a_light_sheet_reads_back_to_the_same_picture(self) -> None:
        level = {"stops": -1.3, "multiplier": 1.7, "tint": [1.2, 0.9, 0.7], "kelvin": 4300, "duv": 0.01}
        self.keep(balance={"lights": {"key": level, "fill": {"mute": True}}})
        first, rows = self.rows()
        self.assertEqual(first, f"# space: {REC709}")
        by_name = {row["light"]: row for row in rows}
        working = colour_config("ACES 2").working_space(REC709)
        gain = level_gain(working, -1.3, 1.7, (1.2, 0.9, 0.7), 4300, 0.01)
        effective = [np.float32(by_name["key"][f"effective_{c}"]) for c in ("red", "green", "blue")]
        np.testing.assert_array_equal(np.array(effective), gain)
        self.assertEqual((by_name["key"]["frame"], by_name["key"]["kelvin"]), ("", "4300.0"))
        self.assertEqual(float(by_name["fill"]["effective_red"]), 0.0)
        self.keep(balance={"lights": {"key": level}})
        self.rows()
        results = []
        for options in (("--variant", self.variant), ("--sheet", self.folder / "sheet.csv")):
            self.run_command("render", self.source, *options, "--out", self.folder / "r.exr", "--float", *SPACE)
            results.append(read_colour(self.folder / "r.exr"))
        np.testing.assert_array_equal(*results)
        self.run_command(
            "sheet", self.source, "--variant", self.variant, "--out", self.out, "--space", "ACEScg", *SPACE
        )
        sheet = json.loads(self.out.read_text())
        self.assertEqual((sheet["space"], sheet["rows"][0]["frame"]), ("ACEScg", None))

    def test_moving_levels_have_a_row_for_each_frame_and_come_back_as_keys(self) -> None:
        for number in range(1, 5):
            write_layers(self.folder / f"q.{number:04d}.exr", self.passes, np.float32)
        self.source = self.folder / "q.####.exr"
        self.keep(curves={"balance/lights/key/stops": {"kind": "ramp", "from": 0, "to": 3, "start": 1, "end": 4}})
        _, rows = self.rows()
        self.assertEqual([(r["frame"], float(r["stops"])) for r in rows if r["light"] == "key"],
                         [("1", 0.0), ("2", 1.0), ("3", 2.0), ("4", 3.0)])  # fmt: skip
        self.assertEqual([r["frame"] for r in rows if r["light"] == "fill"], [""])
        self.assertEqual([r["frame"] for r in self.rows("--frames", "2-3")[1] if r["light"] == "key"], ["2", "3"])
        self.rows()
        for options in (("--variant", self.variant), ("--sheet", self.folder / "sheet.csv")):
            self.run_command("render", self.source, *options, "--out", self.folder / "r.####.exr", "--float", *SPACE)
            for number in (1, 3):
                expected = self.passes["key"] * 2.0 ** (number - 1) + self.passes["fill"]
                found = read_colour(self.folder / f"r.{number:04d}.exr")
                np.testing.assert_allclose(found, expected, rtol=1e-3, atol=2e-2)

    def test_a_frame_alone_is_that_of_the_sequence(self) -> None:
        for number in range(1, 4):
            write_layers(self.folder / f"q.{number:04d}.exr", self.passes, np.float32)
        flicker = {"kind": "flicker", "amount": 0.7, "rate": 9, "seed": 5}
        self.keep(curves={"balance/lights/fill/stops": flicker, "finish/corrections/e/stops": flicker},
                  finish={"corrections": [{"kind": "exposure", "id": "e"}]})  # fmt: skip
        out = self.folder / "all.####.exr"
        self.run_command("render", self.folder / "q.####.exr", "--variant", self.variant, "--out", out, "--float")
        alone = self.folder / "one.exr"
        self.run_command("render", self.folder / "q.0002.exr", "--variant", self.variant, "--out", alone, "--float")
        np.testing.assert_array_equal(read_colour(alone), read_colour(self.folder / "all.0002.exr"))
        self.assertGreater(np.abs(read_colour(alone) - read_colour(self.folder / "all.0001.exr")).max(), 1e-3)

    def test_a_preset_replaces_whole_levels_and_reports(self) -> None:
        curve = {"kind": "sweep", "amount": 1, "period": 9}
        self.keep(
            balance={"lights": {"key": {"stops": 1, "mute": True}, "idle": {"stops": 2}}},
            curves={"balance/lights/key/stops": curve, "balance/lights/idle/stops": curve},
        )
        preset = self.folder / "night.json"
        preset.write_text(json.dumps({
            "escala": "balance", "lights": {"key": {"kelvin": 3000}, "sun": {"stops": -1}},
            "components": {"specular": {"stops": 0.5}}, "curves": {"balance/lights/sun/stops": curve},
        }))  # fmt: skip
        given = ("--apply", preset, "--variant", self.variant, "--out", self.out)
        report = json.loads(self.run_command("preset", self.source, *given))
        self.assertEqual((report["matched"], report["waiting"]), (["key", "specular"], ["sun"]))
        self.assertGreater(set(report["untouched"]), {"fill", "diffuse", "key/diffuse", "fill/specular"})
        made = json.loads(self.out.read_text())
        lights = made["balance"]["lights"]
        self.assertEqual((lights["key"]["stops"], lights["key"]["kelvin"], lights["key"]["mute"]), (0.0, 3000.0, False))
        self.assertEqual((lights["idle"]["stops"], lights["sun"]["stops"]), (2.0, -1.0))
        self.assertEqual(set(made["curves"]), {"balance/lights/idle/stops", "balance/lights/sun/stops"})
        direct = self.folder / "direct.exr"
        self.run_command("render", self.source, "--balance", preset, "--out", direct, "--float", *SPACE)
        self.run_command(
            "render", self.source, "--variant", self.out, "--out", self.folder / "r.exr", "--float", *SPACE
        )
        checked = json.loads(self.run_command("check", preset, self.source, "--json"))
        self.assertEqual(
            checked, {"kind": "balance", "waiting": [{"place": "lights", "name": "sun"}], "missing_files": []}
        )
        preset.write_text(json.dumps({"escala": "balance", "lights": {"key": {"stops": 99}}}))
        self.assertIn("not a balance preset", self.refused("check", preset))
