"""After set-up, nothing is compiled while somebody waits."""

import subprocess
import sys
import unittest


class CompiledTest(unittest.TestCase):
    def test_a_tour_of_all_stations_compiles_nothing(self) -> None:
        command = [sys.executable, "-m", "tests.compiled"]
        found = subprocess.run(command, capture_output=True, text=True, check=False)
        self.assertEqual((found.returncode, found.stdout.strip()), (0, ""), found.stderr[-2000:])
