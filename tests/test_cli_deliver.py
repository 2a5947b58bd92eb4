"""`escala render` with delivery presets, workers and resuming; `escala breakdown`; `escala check` of a preset."""

import contextlib
import io
import json
import subprocess
import sys
import time
from datetime import datetime

import av
import cv2
import numpy as np

from escala.cli import main
from escala.media.whole_files import is_whole
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import read_colour, write_layers
from tests.test_cli import CommandTest

RESULT = {"what": "result", "format": "exr", "names": "{shot}.{frame}"}


class DeliverCommandTest(CommandTest):
    def setUp(self) -> None:
        super().setUp()
        for number in (1, 2, 4):
            passes = {name: planes * np.float32(number) for name, planes in grid_passes(24, 32).items()}
            write_layers(self.folder / f"walk.{number:03d}.exr", passes)
        self.source, self.out = self.folder / "walk.###.exr", self.folder / "out"

    def preset(self, *files: dict, **more: object) -> object:
        path = self.folder / "preset.json"
        path.write_text(json.dumps({"escala": "delivery", "name": "all", "files": files, **more}))
        return path

    def run_all(self, *arguments: object) -> tuple[int, list[str]]:
        """The exit code and the lines on standard error."""
        err, code = io.StringIO(), 0
        with contextlib.redirect_stderr(err), contextlib.redirect_stdout(io.StringIO()):
            try:
                main([str(argument) for argument in arguments])
            except SystemExit as stop:
                code = int(stop.code or 0)
        return code, err.getvalue().splitlines()

    def names(self) -> list[str]:
        return sorted(path.relative_to(self.out).as_posix() for path in self.out.rglob("*") if path.is_file())

    def test_a_preset_writes_all_its_files_and_names_what_is_missing(self) -> None:
        preset = self.preset(
            RESULT,
            {"what": "result", "format": "png", "bits": 8, "names": "{date}/{what}_{variant}.{frame}_r{revision}"},
            {"what": "result", "format": "mkv", "names": "{shot}"},
        )
        code, lines = self.run_all("render", self.source, "--preset", preset, "--out", self.out)
        self.assertEqual((code, lines), (0, ["escala: frame 3 of walk is missing and was skipped"]))
        today = datetime.now().strftime("%Y-%m-%d")
        pngs = [f"{today}/result_variant.{n:03d}_r0.png" for n in (1, 2, 4)]
        self.assertEqual(self.names(), sorted([*pngs, *(f"walk.{n:03d}.exr" for n in (1, 2, 4)), "walk.mkv"]))
        with av.open(str(self.out / "walk.mkv")) as file:
            frames = [frame.to_ndarray(format="rgb24") for frame in file.decode(video=0)]
        self.assertEqual(len(frames), 3)
        np.testing.assert_array_equal(frames[1], cv2.imread(str(self.out / pngs[1]))[..., ::-1])

    def test_it_is_what_single_options_write_and_the_variant_gives_the_name(self) -> None:
        variant = self.folder / "calmer.json"
        variant.write_text(json.dumps({"balance": {"lights": {"key": {"stops": -2}}}}))
        preset = self.preset({"what": "result", "format": "exr", "space": "ACEScg", "pixel_type": "float"})
        given = ("--variant", variant, "--light", "fill=1")
        self.run_all("render", self.source, *given, "--preset", preset, "--out", self.out)
        single = self.folder / "single.####.exr"
        self.run_all("render", self.source, *given, "--output-space", "ACEScg", "--float", "--out", single)
        for number in (1, 2, 4):
            ours = self.out / f"walk_calmer.{number:03d}.exr"
            np.testing.assert_array_equal(read_colour(ours), read_colour(self.folder / f"single.{number:04d}.exr"))

    def test_an_unreadable_frame_exits_with_2_and_the_others_are_there(self) -> None:
        (self.folder / "walk.002.exr").write_bytes(b"no image")
        for workers in (1, 2):
            out = self.folder / f"out{workers}"
            code, lines = self.run_all(
                "render", self.source, "--preset", self.preset(RESULT), "--out", out, "--workers", workers
            )
            self.assertEqual((code, len(lines)), (2, 2), lines)
            self.assertIn("walk.002.exr", lines[1])
            self.assertEqual(sorted(path.name for path in out.iterdir()), ["walk.001.exr", "walk.004.exr"])

    def test_a_killed_command_is_resumed_and_leaves_nothing_half_written(self) -> None:
        variant = self.folder / "glow.json"
        variant.write_text(json.dumps({"lens": {"glow": {"on": True, "size_px": 20}}}))
        arguments = [
            "render", self.source, "--variant", variant, "--preset", self.preset(RESULT), "--out", self.out,
        ]  # fmt: skip
        command = [sys.executable, "-m", "escala.cli", *map(str, arguments), "--workers", "2"]
        running = subprocess.Popen(command, stderr=subprocess.DEVNULL, start_new_session=True)
        end = time.monotonic() + 60
        while not list(self.out.glob("*.exr")) and running.poll() is None and time.monotonic() < end:
            time.sleep(0.01)
        running.kill()
        running.wait()
        self.assertTrue(all(is_whole(path) for path in self.out.glob("*.exr")))
        before = {path: path.stat().st_mtime_ns for path in self.out.glob("*.exr")}
        code, _ = self.run_all(*arguments, "--resume")
        self.assertEqual((code, self.names()), (0, [f"walk.{n:03d}.exr" for n in (1, 2, 4)]))
        self.assertEqual({path: path.stat().st_mtime_ns for path in before}, before)

    def test_what_contradicts_itself_is_refused_in_one_line(self) -> None:
        preset = self.preset(RESULT)
        for options, words in (
            (("--preset", preset, "--bits", "8"), "--preset says what files hold"),
            (("--preset", preset, "--float"), "--preset says what files hold"),
            (("--preset", self.folder / "none.json"), "none.json: no such file"),
            (("--workers", "0"), "not a number from 1"),
            (("--preset", preset, "--frames", "9"), "no frame from 9 to 9"),
        ):
            with self.subTest(options=options):
                self.assertIn(words, self.refused("render", self.source, "--out", self.out, *options))
        for files, words in (
            ([{**RESULT, "names": "one"}], "several frames"),
            ([{**RESULT, "names": "../{frame}"}], "leaves the target folder"),
            ([{**RESULT, "bits": 8}], "files.0: "),
            ([], "files"),
        ):
            with self.subTest(files=files):
                code, lines = self.run_all("render", self.source, "--preset", self.preset(*files), "--out", self.out)
                self.assertEqual(code, 2)
                self.assertIn(words, lines[-1])
        self.assertFalse(self.out.exists())

    def test_a_preset_is_checked_against_a_render(self) -> None:
        preset = self.preset({"what": "lights", "format": "exr", "only": ["key", "moon"]}, {**RESULT, "space": "Odd"})
        found = json.loads(self.run_command("check", preset, self.source, "--json"))
        waiting = [{"place": "files/0/only/1", "name": "moon"}, {"place": "files/1/space", "name": "Odd"}]
        self.assertEqual(found, {"kind": "delivery", "waiting": waiting, "missing_files": []})
        self.assertIn("nothing unresolved", self.run_command("check", self.preset(RESULT), self.source))
        self.assertIn("not a delivery preset: files.0.format", self.refused("check", self.preset({"what": "result"})))

    def test_a_breakdown_is_written_three_ways(self) -> None:
        source = self.folder / "walk.002.exr"
        printed = self.run_command("breakdown", source, "--out", self.folder / "steps").split()
        names = [f"{n:02d}_{t}.png" for n, t in enumerate(self.terms(source), 1)]
        self.assertEqual([p.rsplit("/", 1)[1] for p in printed], names)
        last = cv2.imread(printed[-1], cv2.IMREAD_UNCHANGED)
        self.run_command("render", source, "--out", self.folder / "result.png")
        result = cv2.imread(str(self.folder / "result.png"), cv2.IMREAD_UNCHANGED)
        np.testing.assert_allclose(last.astype(int), result, atol=200)  # rounding of the passes, of 65535
        for name in ("sheet.png", "steps.mkv", "steps.webm"):
            self.run_command("breakdown", source, "--out", self.folder / name, "--view", "Un-tone-mapped")
            self.assertTrue(is_whole(self.folder / name))
        self.assertIn("folder, a still", self.refused("breakdown", source, "--out", self.folder / "steps.gif"))

    def terms(self, source: object) -> list[str]:
        return [term["term"].replace(" ", "_") for term in self.rebuilt(source)["recipe"]]
