"""Compile every kernel by a tour of all stations: into the cache beside the sources, or, where that is read-only, the
user's (`NUMBA_CACHE_DIR`, else `numba` in the cache folder of the system).

Run as `python -m escala.compile_kernels`.
"""

import logging
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR

from escala.core.balance.mixing import mix_stored
from escala.core.source.intake_rows import FIGURES, split_band
from escala.environment import prepare_environment
from escala.stage.emblems import write_emblems
from escala.stage.render import StageJob, render_frame
from escala.web.app import create_app
from escala.web.app_context import APP_CONTEXT
from escala.web.settings import Settings

REGION = {"x": 0, "y": 0, "width": 96, "height": 54}
DELIVERED: list[dict[str, Any]] = [
    {"what": "result", "format": "exr"},
    {"what": "result", "format": "png", "size": 0.5},
    {"what": "result", "format": "exr", "size": 0.4, "names": "small.{frame}"},
    {"what": "lights", "format": "exr"},
    {"what": "passes", "format": "exr", "pixel_type": "float"},
    {"what": "mattes", "format": "exr"},
    {"what": "breakdown", "format": "exr"},
]
STATIONS = ("source", "surface", "balance", "beauty", "depth", "plate", "lens", "finish", "display")
MATTES: dict[str, dict[str, Any]] = {
    "hull": {"kind": "object", "names": ["hull"]},
    "grown": {"kind": "object", "names": ["crate*"], "grow_px": 3, "soften_px": 2},
    "wide": {"kind": "object", "names": ["hull"], "grow_px": -2, "soften_px": 20, "invert": True},
    "near": {"kind": "depth", "near": 1, "far": 9, "soft": 2},
    "ball": {"kind": "position", "centre": [0, 1, 0], "size": 4, "soft": 1},
    "box": {"kind": "position", "shape": "box", "centre": [0, 1, 0], "size": [4, 2, 3], "soft": 1},
    "up": {"kind": "normal", "direction": [0, 1, 0]},
    "bright": {"kind": "luminance", "low": -3, "high": 2, "soft": 1},
    "red": {"kind": "hue", "centre": 20, "width": 60, "soft": 20},
    "drawn": {"kind": "shape", "points": [[4, 4], [70, 6], [40, 40]], "feather_px": 9},
    "oval": {"kind": "ellipse", "centre": [40, 20], "radii": [20, 9]},
    "both": {"kind": "join", "how": "minus", "of": ["hull", "oval"]},
}
KINDS: list[dict[str, Any]] = [
    {"kind": "exposure", "stops": 0.3}, {"kind": "cdl", "slope": [1.1, 1, 0.9]},
    {"kind": "white_balance", "kelvin": 5000}, {"kind": "hue_saturation", "hue": 10, "saturation": 0.8},
    {"kind": "range", "black": 0.01, "gamma": 1.1}, {"kind": "contrast", "amount": 1.2},
    {"kind": "curves", "master": [[-6, -6], [0, 0.5], [4, 4]]},
    {"kind": "tint", "colour": [1, 0.8, 0.6], "amount": 0.3}, {"kind": "roll_off", "start": 2, "limit": 5},
    {"kind": "blur", "radius_px": [2, 2]}, {"kind": "blur", "radius_px": [3, 1], "turn": 30},
    {"kind": "sharpen", "radius_px": 1, "amount": 0.5},
]  # fmt: skip


class Tour:
    """What a user does at one station after the other, as the page requests it."""

    def __init__(self, folder: Path, render: Path) -> None:
        self.emblem = write_emblems(folder)[0]
        self.app = create_app(Settings(folder / "home", (folder,)))
        self.client = self.app.test_client()
        job: Any = self.client.post("/api/shots", json={"sources": [str(render)]}).json
        for thread in self.app.extensions[APP_CONTEXT].jobs.threads:
            thread.join()
        self.shot = self._json(f"/api/jobs/{job['id']}")["result"]["shot_id"]
        self.variant = self._json(f"/api/shots/{self.shot}")["variants"][0]["id"]
        self.head = 0

    def close(self) -> None:
        """Stop the application."""
        self.app.extensions[APP_CONTEXT].close()

    def _json(self, path: str) -> Any:
        return self.client.get(path).json

    def post(self, path: str, **body: Any) -> Any:
        """Post a request about the variant. Raises `AssertionError` with the sentence of a refusal."""
        answer = self.client.post(f"/api/variants/{self.variant}/{path}", json=body)
        assert answer.status_code < 300, (path, answer.get_data(as_text=True)[:300])
        return answer

    def get(self, path: str) -> None:
        """Get an address. Raises as `post`."""
        answer = self.client.get(path)
        assert answer.status_code < 300, (path, answer.get_data(as_text=True)[:300])

    def edit(self, place: str, value: Any) -> None:
        """Set a field of the document."""
        patch = [{"op": "add", "path": place, "value": value}]
        self.head = self.post("edits", base=self.head, patch=patch, label="tour").json["head"]

    def look(self, station: str, **more: Any) -> None:
        """The picture in a preview and at rest, of the whole and of a part."""
        part = {"x": 11, "y": 7, "width": 40, "height": 30}
        for live in (True, False):
            for region, size in ((REGION, (96, 54)), (REGION, (61, 34)), (part, (40, 30))):
                wish = {"region": region, "out_width": size[0], "out_height": size[1], "viewer": "tour"}
                self.post("picture", station=station, live=live, **wish, **more)

    def measure(self) -> None:
        """Scopes, probe, values, board, tally, difference, warnings and depth."""
        for kind in ("waveform", "parade", "histogram", "chromaticity"):
            for scale in ("stops", "display"):
                self.post("scope", kind=kind, scale=scale)
        self.post("scope", object_name="hull")
        self.post("probe", x=30, y=30, size=3)
        self.post("values", region={"x": 3, "y": 3, "width": 2, "height": 2})
        self.post("board", lifted=True)
        self.post("board/sheet")
        self.get(f"/api/variants/{self.variant}/tally")
        self.get(f"/api/variants/{self.variant}/tally/sheet")
        self.get(f"/api/variants/{self.variant}/difference")
        self.get(f"/api/variants/{self.variant}/colour-warnings")
        self.post("depth/analysis")
        self.post("depth/sample", x=20, y=30)

    def walk(self) -> None:
        """From Source to Display, and out into files."""
        for station in STATIONS:
            self.look(station)
        passes = self._json(f"/api/shots/{self.shot}")["render"]["passes"]
        repaired = next(one["name"] for one in passes if one["component"] and len(one["channels"]) >= 3)
        self.edit("/source/repairs", [{"pass_name": repaired, "how": "fireflies"}])
        self.look("source")
        self.edit("/source/repairs", [])
        for one in passes:
            for lift in (0, 2):
                self.get(f"/api/shots/{self.shot}/pass?name={one['name']}&width=64&lift={lift}")
            self.get(f"/api/shots/{self.shot}/pass/histogram?name={one['name']}")
        for show in ("red", "luminance", "alpha", "stops", "gamut"):
            self.look("display", aids={"show": show, "marks": True, "behind": "checker", "exposure": 1, "gamma": 1.2})
        self.edit("/mattes", MATTES)
        for name in MATTES:
            for way in ("hatched", "alone"):
                self.look("display", aids={"matte": name, "matte_as": way})
            self.post("mattes/outline", name=name)
        self.post("mattes")
        self.post("mattes/sheet")
        self.post("mattes/pick", x=50, y=30)
        self.post("mattes/pick", x=10, y=10, width=40, height=30)
        self.get(f"/api/variants/{self.variant}/mattes/layers")
        self.edit("/surface/changes", [
            {"kind": "recolour", "hue": 140, "matte": "hull"},
            {"kind": "repaint", "from": [0.5, 0.3, 0.1], "to": [0.1, 0.4, 0.4], "matte": "grown"},
            {"kind": "label", "pictures": [str(self.emblem)], "scale": [0.5, 0.5], "turn": 9, "matte": "up"},
        ])  # fmt: skip
        self.look("surface")
        level = {"stops": -2, "kelvin": 4000, "duv": 0.01, "tint": [1, 0.9, 0.8], "matte": "near"}
        self.edit("/balance/lights/beacon", level)
        self.edit("/balance/components/specular", {"stops": 0.5})
        self.edit("/balance/corrections", [{"kind": "blur", "radius_px": [1, 1], "of": {"light": "moon"}}])
        self.edit("/balance/added", [
            {"kind": "side", "name": "window", "direction": [1, 1, 0], "specular": 0.5},
            {"kind": "point", "name": "torch", "position": [0, 2, 4], "radius": 2},
        ])  # fmt: skip
        self.look("balance")
        self.edit("/beauty/removed", [{"matte": "oval", "opacity": 0.5}])
        self.edit("/beauty/corrections", [{**kind, "matte": name} for kind, name in zip(KINDS, MATTES, strict=True)])
        self.look("beauty")
        self.edit("/depth/haze", {"on": True, "height": {"thickness": 2}, "matte": "oval"})
        for blades in (0, 6):
            self.edit("/depth/defocus", {"on": True, "focus": 6, "aperture": 60, "blades": blades, "limit_px": 12})
            self.look("depth")
        self.edit("/depth/motion", {"on": True, "shutter": 2})
        self.look("depth")
        self.edit("/plate/layers", [
            {"kind": "solid", "gradient": {"from": [0, 0], "to": [0, 54], "colours": [[0.1, 0.2, 0.4], [1, 0.5, 0.2]]}},
            {"kind": "picture", "path": str(self.emblem), "distance": 40, "operator": "depth", "turn": 9},
            {"kind": "cg", "edges": {"grow_px": -1, "soften_px": 1}, "clean_colour": [0, 0, 0.1]},
            {"kind": "shadow", "pass": "shadow", "soft_px": 2}, {"kind": "reflection", "pass": "specular"},
            {"kind": "picture", "path": str(self.emblem), "operator": "screen", "opacity": 0.5, "matte": "oval"},
        ])  # fmt: skip
        self.look("plate")
        self.post("plate")
        self.post("plate/sheet")
        self.edit("/lens", {
            "distortion": {"on": True, "k1": 0.1}, "aberration": {"on": True, "shift_px": 2}, "vignette": {"on": True},
            "glow": {"on": True, "threshold": -3, "matte": "oval"}, "glare": {"on": True, "threshold": -3},
            "dirt": {"on": True, "picture": str(self.emblem)}, "grain": {"on": True},
        })  # fmt: skip
        self.look("lens")
        self.edit("/finish/corrections", KINDS)
        self.look("finish")
        self.measure()
        self.post("deliveries", files=DELIVERED)
        for thread in self.app.extensions[APP_CONTEXT].jobs.threads:
            thread.join()
        rows = self._json(f"/api/variants/{self.variant}/deliveries")["deliveries"]
        assert {row["state"] for row in rows} == {"done"}, rows


def main() -> None:
    """Tour a tiny frame of the demo scene, stored in halves, and one in floats that is larger than what is shown.

    Loops on pixels as they are stored are compiled for both.
    """
    prepare_environment()
    logging.disable()
    with tempfile.TemporaryDirectory() as name:
        for kind in ("half", "float"):
            folder = Path(name).resolve() / kind
            folder.mkdir()
            render_frame(StageJob(96, 54, 1), 12, folder / "tiny.exr")
            if kind == "float":
                store_as_float(folder / "tiny.exr")
            tour = Tour(folder, folder / "tiny.exr")
            try:
                tour.walk()
            finally:
                tour.close()
    sum_many_terms()
    split_bands()


def sum_many_terms() -> None:
    """Sum halves as they are stored, which only renders of many terms need."""
    stored = [np.zeros((3, 4, 4), np.float16)] * 5
    for matrix in (np.eye(3), np.ones((3, 3))):
        mix_stored(stored, [matrix] * 5)


def split_bands() -> None:
    """Split bands of rows, in which only large files are read."""
    for given, stored in ((np.uint16, np.uint16), (np.float32, np.uint16), (np.float32, np.float32)):
        band, full, small = np.zeros((2, 4, 1), given), np.zeros((1, 2, 4), stored), np.zeros((1, 1, 2), stored)
        order, nearest = np.zeros(1, np.int32), np.zeros(1, np.bool_)
        split_band(band, order, nearest, 0, full, small, np.zeros((1, 1, FIGURES)))


def store_as_float(path: Path, **header: Any) -> None:
    """Write a render anew with all passes in float, its data window larger than its display window."""
    with OpenEXR.File(str(path), separate_channels=True) as file:
        kept = {name: value for name, value in file.header().items() if name not in ("channels", "type", *_WINDOWS)}
        channels = {name: channel.pixels.astype(np.float32) for name, channel in file.channels().items()}
    height, width = next(iter(channels.values())).shape
    corners = {
        "dataWindow": ((-4, -2), (width - 5, height - 3)),
        "displayWindow": ((0, 0), (width - 9, height - 5)),
    }
    windows = {name: tuple(np.array(corner, np.int32) for corner in pair) for name, pair in corners.items()}
    OpenEXR.File({**kept, "type": OpenEXR.scanlineimage, **windows, **header}, channels).write(str(path))


_WINDOWS = ("dataWindow", "displayWindow")


if __name__ == "__main__":
    main()
