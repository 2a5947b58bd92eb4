"""The wheel: it holds the built pages, the licences and the data files, and starts from a clean, read-only place."""

import os
import re
import shutil
import subprocess
import sys
import sysconfig
import urllib.request
import venv
import zipfile
from pathlib import Path

from tests.engine.fixture_shot import grid_passes
from tests.fixtures import FolderTest, write_layers

ROOT = Path(__file__).parents[1]


class WheelTest(FolderTest):
    def built(self) -> Path:
        """The wheel, built from a copy of the sources."""
        source, out = self.folder / "source", self.folder / "wheel"
        kept = shutil.ignore_patterns("__pycache__", "*.egg-info")
        shutil.copytree(ROOT / "src", source / "src", ignore=kept)
        for name in ("pyproject.toml", "README.md"):
            shutil.copy(ROOT / name, source)
        command = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "--wheel-dir", str(out), str(source)]
        subprocess.run(command, check=True, capture_output=True, timeout=300)
        (found,) = out.glob("*.whl")
        return found

    def installed(self, wheel: Path) -> Path:
        """The command, installed beside the packages of this environment, but not beside its Escala."""
        place = self.folder / "env"
        venv.create(place, symlinks=True)
        python = place / "bin" / "python"
        site = next((place / "lib").glob("python3*")) / "site-packages"
        (site / "packages.pth").write_text(sysconfig.get_path("purelib") + "\n")
        pip = [sys.executable, "-m", "pip", "--python", str(python), "install", "--quiet", "--no-deps", "--no-index"]
        subprocess.run([*pip, str(wheel)], check=True, capture_output=True, timeout=120)
        package = site / "escala"
        self.assertTrue((package / "web" / "static" / "index.html").is_file())
        mount = ["mount", "--bind", str(package), str(package)]
        if not subprocess.run(mount, capture_output=True, check=False).returncode:
            self.addCleanup(subprocess.run, ["umount", "-l", str(package)], check=False)
            subprocess.run(["mount", "-o", "remount,ro,bind", str(package)], capture_output=True, check=True)
            with self.assertRaises(OSError):
                (package / "new").touch()
        return place / "bin" / "escala"

    def test_it_holds_everything_and_starts_from_a_read_only_place(self) -> None:
        wheel = self.built()
        names = set(zipfile.ZipFile(wheel).namelist())
        for name in (
            "web/static/index.html", "web/static/share.html", "web/static/notices.txt", "py.typed", "media/naming.toml",
            "media/soft/config.ocio", "delivery/type/LICENSE", "database/migrations/versions/0001_first_tables.py",
        ):  # fmt: skip
            self.assertIn(f"escala/{name}", names)
        self.assertTrue([name for name in names if re.search(r"static/assets/.*manual.*\.js$", name)], "the manual")
        with zipfile.ZipFile(wheel) as content:
            notices = content.read("escala/web/static/notices.txt").decode()
        for package in ("vue", "primevue", "pinia", "@fontsource/atkinson-hyperlegible-next"):
            self.assertRegex(notices, rf"(?m)^{re.escape(package)} \d")
        self.assertIn("SIL OPEN FONT LICENSE", notices.upper())

        escala = self.installed(wheel)
        environment = {**os.environ, "XDG_CACHE_HOME": str(self.folder / "cache"), "PYTHONUNBUFFERED": "1"}
        environment.pop("PYTHONPATH", None)
        source = write_layers(self.folder / "grid.exr", grid_passes(16, 16))
        run = subprocess.run(
            [str(escala), "render", str(source), "--light", "key=1", "--out", str(self.folder / "out.exr")],
            capture_output=True, text=True, cwd=self.folder, env=environment, timeout=600, check=False,
        )  # fmt: skip
        self.assertEqual((run.returncode, run.stderr.count("Traceback")), (0, 0), run.stderr)
        self.assertTrue(any((self.folder / "cache").rglob("*.nbi")), "kernels are kept in the cache folder of the user")
        server = subprocess.Popen(
            [str(escala), "demo", "--home", str(self.folder / "home"), "--port", "0"],
            stdout=subprocess.PIPE, text=True, cwd=self.folder, env=environment,
        )  # fmt: skip
        self.addCleanup(server.wait)
        self.addCleanup(server.kill)
        assert server.stdout is not None
        self.addCleanup(server.stdout.close)
        address = re.search(r"http://\S+", server.stdout.readline())
        assert address is not None
        with urllib.request.urlopen(address[0], timeout=60) as page:
            self.assertIn(b'<div id="app">', page.read())
        with urllib.request.urlopen(f"{address[0].rstrip('/')}/notices.txt", timeout=60) as page:
            self.assertEqual(page.read().decode(), notices)
