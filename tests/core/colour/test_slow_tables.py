"""Tables that come slowly: several threads wait for one of them, and none for ever."""

import subprocess
import sys
import threading
import time
import unittest

import numpy as np

from escala.core.colour.config import ColourConfig, View

CUBE = "LUT_3D_SIZE 2\n" + "".join(f"{r / 2} {g / 2} {b / 2}\n" for b in (0, 1) for g in (0, 1) for r in (0, 1))


class SlowFiles:
    """A config whose view needs a table that halves; reading it takes a while."""

    text = (
        "ocio_profile_version: 2\nroles: {default: raw, scene_linear: lin}\n"
        "file_rules: [!<Rule> {name: Default, colorspace: default}]\n"
        "displays: {d: [!<View> {name: v, colorspace: out}]}\n"
        "colorspaces:\n"
        "  - !<ColorSpace> {name: raw}\n"
        "  - !<ColorSpace> {name: lin, encoding: scene-linear}\n"
        "  - !<ColorSpace> {name: out, from_scene_reference: !<FileTransform> {src: half.cube}}\n"
    )

    def as_named(self, words: str) -> str:
        return words

    def read(self, name: str) -> bytes:
        time.sleep(0.1)
        if name != "half.cube":
            raise LookupError(name)
        return CUBE.encode()


def show_from_many_threads() -> None:
    """Ask one config for the same view from several spaces at once."""
    config, found = ColourConfig(SlowFiles()), list[float]()

    def show(space: str) -> None:
        found.append(float(config.display(np.ones((3, 1, 1), np.float32), space, View("d", "v"))[0, 0, 0]))

    threads = [threading.Thread(target=show, args=(space,)) for space in ("lin", "raw") * 3]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    print(found)


class SlowTablesTest(unittest.TestCase):
    def test_threads_that_need_one_table_do_not_stop_each_other(self) -> None:
        # In a process of its own: what stops here holds the interpreter, and no time limit within would be heard.
        code = f"from {__name__} import show_from_many_threads; show_from_many_threads()"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
        self.assertEqual(done.stdout.strip(), str([0.5] * 6))
