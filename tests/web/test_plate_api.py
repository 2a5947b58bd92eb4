"""Plates and further renders over HTTP: layers in words, odd files each with a sentence, renders added and removed."""

from pathlib import Path
from typing import Any

import cv2
import numpy as np

from tests.engine.fixture_shot import grid_passes
from tests.fixtures import light, write_layers
from tests.media.cmyk import write_cmyk_jpeg
from tests.media.test_clips import write_video
from tests.web.test_api import WHOLE, ApiTest


class PlateApiTest(ApiTest):
    def setUp(self) -> None:
        super().setUp()
        self.variant = self.open_grid()
        self.shot = self.client.get(f"/api/variants/{self.variant}").json["shot_id"]

    def lay(self, *layers: dict[str, Any]) -> list[dict[str, Any]]:
        """The layers in words, from back to front, once the document has them."""
        head = self.client.get(f"/api/variants/{self.variant}").json["head"]
        patch = [{"op": "add", "path": "/plate/layers", "value": layers}]
        body = {"base": head, "patch": patch, "label": "layers"}
        answer = self.client.post(f"/api/variants/{self.variant}/edits", json=body)
        self.assertEqual(answer.status_code, 200, answer.json)
        return self.facts()["layers"]

    def facts(self) -> dict[str, Any]:
        answer = self.client.post(f"/api/variants/{self.variant}/plate", json={})
        self.assertEqual(answer.status_code, 200, answer.json)
        return answer.json["plate"]

    def picture(self, path: Path, **more: Any) -> dict[str, Any]:
        return {"kind": "picture", "path": str(path), **more}

    def test_layers_in_words_with_their_tiles(self) -> None:
        cv2.imwrite(str(self.media / "sky.png"), np.full((96, 256, 3), 90, np.uint8))
        solid = {"kind": "solid", "name": "Dusk", "operator": "screen", "opacity": 0.4}
        sky, cg, dusk = self.lay(self.picture(self.media / "sky.png"), {"kind": "cg"}, solid)
        self.assertEqual((sky["title"], sky["words"], sky["state"]), ("sky.png", "256 × 96 · fill", "ready"))
        self.assertIn("larger than the frame and fills it: 50% of its width is cropped", " ".join(sky["notes"]))
        self.assertIn("The file has no alpha", " ".join(sky["notes"]))
        self.assertEqual((cg["title"], cg["near"]), ("CG", None))
        self.assertEqual((dusk["title"], dusk["words"]), ("Dusk", "a colour · screen 40%"))
        sheet = self.client.post(f"/api/variants/{self.variant}/plate/sheet", json={})
        tiles = cv2.imdecode(np.frombuffer(sheet.data, np.uint8), cv2.IMREAD_COLOR)
        facts = self.facts()
        self.assertEqual(tiles.shape, (3 * facts["tile_height"], facts["tile_width"], 3))
        stations = {s["name"]: s["words"] for s in self.client.get(f"/api/variants/{self.variant}").json["stations"]}
        self.assertEqual(stations["plate"], "3 layers")
        self.assertIn("no alpha", facts["alpha"][0])

    def test_odd_plates_each_have_a_sentence(self) -> None:
        write_cmyk_jpeg(self.media / "inks.jpg", (40, 100, 200, 20))
        bits = np.zeros((48, 64), np.uint8)
        bits[:, 32:] = 255
        cv2.imwrite(str(self.media / "bits.png"), bits, [cv2.IMWRITE_PNG_BILEVEL, 1])
        write_video(self.media / "portrait.mkv", 8, (48, 80), rate=30)
        for number in (1, 2, 5):
            cv2.imwrite(str(self.media / f"rain.{number:03d}.png"), np.full((48, 64, 4), 40 * number, np.uint8))
        (self.media / "broken.png").write_bytes(b"not a picture")
        for path, words in (
            ("inks.jpg", "The file holds inks (CMYK): they are converted without a profile"),
            ("bits.png", "sRGB-encoded"),
            ("portrait.mkv", "It is portrait, larger than the frame and fills it: 55% of its height is cropped."),
            ("portrait.mkv", "It runs at 30 frames a second, the shot at 24: some frames are skipped."),
            ("rain.###.png", "Frames 3, 4 are missing: the one before is shown."),
            ("rain.###.png", "The sequence names no frame rate: that of the shot, 24, is used."),
            ("rain.###.png", "Alpha is unassociated: colour is multiplied by it."),
            ("broken.png", "Frame 0 of broken.png cannot be read: it may be damaged."),
            ("gone.png", "gone.png cannot be read, or is not there: choose the file again, or put it back."),
        ):
            with self.subTest(path=path, words=words):
                (layer, _) = self.lay(self.picture(self.media / path))
                self.assertIn(words, " ".join(layer["notes"]), layer)
                answer = self.client.post(f"/api/variants/{self.variant}/picture", json=WHOLE)
                self.assertEqual(answer.status_code, 200)

    def test_a_picture_comes_from_below_the_roots_only(self) -> None:
        outside = self.folder / "secret.png"
        cv2.imwrite(str(outside), np.zeros((4, 4, 3), np.uint8))
        for path in (outside, self.folder / "secret.####.png"):
            patch = [{"op": "add", "path": "/plate/layers", "value": [self.picture(path)]}]
            body = {"base": 0, "patch": patch, "label": "outside"}
            answer = self.client.post(f"/api/variants/{self.variant}/edits", json=body)
            self.assertEqual(answer.status_code, 422, answer.json)

    def test_what_lies_beside_a_shot(self) -> None:
        (self.media / "plates").mkdir()
        for number in (1, 2):
            cv2.imwrite(str(self.media / "plates" / f"fog.{number:04d}.jpg"), np.zeros((4, 4, 3), np.uint8))
        write_video(self.media / "plates" / "sea.mkv", 2)
        clips = self.client.get(f"/api/shots/{self.shot}/clips").json["clips"]
        self.assertEqual([(c["name"], c["frames"]) for c in clips], [("fog.####.jpg", 2), ("sea.mkv", 1)])

    def test_a_further_render_is_added_replaced_and_removed(self) -> None:
        near = write_layers(self.media / "near.exr", grid_passes())
        address = f"/api/shots/{self.shot}/renders"
        job = self.finished(self.client.post(address, json={"sources": [str(near)], "name": "ropes"}).json)
        self.assertEqual((job["state"], job["result"]), ("done", {"shot_id": self.shot, "name": "ropes"}))
        (render,) = self.client.get(f"/api/shots/{self.shot}").json["renders"]
        self.assertEqual((render["name"], render["lights"], render["matches"]), ("ropes", ["fill", "key"], True))
        layer = {"kind": "render", "render": "ropes", "opacity": 0.5}
        _, ropes = self.lay({"kind": "cg"}, layer)
        self.assertEqual(ropes["state"], "ready")
        self.assertIn("Levels of fill, key are those of Balance.", ropes["notes"])
        before = self.client.post(f"/api/variants/{self.variant}/picture", json=WHOLE).data
        newer = write_layers(self.media / "newer.exr", {name: p * 0.5 for name, p in grid_passes().items()})
        job = self.finished(self.client.put(f"{address}/ropes", json={"sources": [str(newer)]}).json)
        self.assertEqual(job["state"], "done", job)
        self.assertNotEqual(self.client.post(f"/api/variants/{self.variant}/picture", json=WHOLE).data, before)
        self.assertEqual(self.client.delete(f"{address}/ropes").status_code, 204)
        self.assertEqual(self.facts()["layers"][1]["state"], "missing")
        self.assertEqual(self.client.delete(f"{address}/ropes").status_code, 404)

    def test_a_render_of_another_size_is_refused_in_a_sentence(self) -> None:
        small = write_layers(self.media / "small.exr", {"": light(1, 10, 20)})
        job = self.client.post(f"/api/shots/{self.shot}/renders", json={"sources": [str(small)]}).json
        job = self.finished(job)
        self.assertEqual(job["state"], "failed")
        self.assertIn("mall is 20 × 10 and grid 64 × 48 pixels: renders of one shot have the same size", job["error"])
