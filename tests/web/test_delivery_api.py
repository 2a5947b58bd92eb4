"""Deliveries over HTTP: presets, what is found before, frames that fail, pausing and resuming."""

import re
import time
from pathlib import Path
from typing import Any

import numpy as np

from escala.media.whole_files import is_whole
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import EXR_FILE, read_colour, write_layers
from tests.web.test_api import ApiTest
from tests.web.test_server import ServerTest

RESULT = {"what": "result", "format": "exr", "names": "{frame}", "pixel_type": "float"}
GLOW = {"op": "replace", "path": "/lens/glow", "value": {"on": True, "amount": 0.5, "size_px": 60}}


def write_frames(media: Path, count: int, height: int = 48, width: int = 64) -> None:
    for number in range(1, count + 1):
        passes = {name: planes * np.float32(number) for name, planes in grid_passes(height, width).items()}
        write_layers(media / f"walk.{number:04d}.exr", passes)


class DeliveryApiTest(ApiTest):
    def open_walk(self, count: int = 4) -> int:
        write_frames(self.media, count)
        job = self.finished(self.client.post("/api/shots", json={"sources": ["walk.####.exr"]}).get_json())
        return int(self.client.get(f"/api/shots/{job['result']['shot_id']}").json["variants"][0]["id"])

    def begun(self, variant: int, **facts: Any) -> dict[str, Any]:
        answer = self.client.post(f"/api/variants/{variant}/deliveries", json={"files": [RESULT], **facts})
        self.assertEqual(answer.status_code, 202, answer.get_json())
        return answer.get_json()

    def listed(self, variant: int) -> list[dict[str, Any]]:
        return list(self.client.get(f"/api/variants/{variant}/deliveries").json["deliveries"])

    def test_presets_of_the_application_stay_and_own_ones_are_kept(self) -> None:
        before = self.client.get("/api/delivery-presets").json["presets"]
        self.assertTrue(before and all(preset["shipped"] for preset in before))
        body = {"name": "For comp / день", "files": [{"what": "lights", "format": "exr", "compression": "dwaa"}]}
        self.assertEqual(self.client.put("/api/delivery-presets", json=body).status_code, 200)
        own = self.client.get("/api/delivery-presets").json["presets"][-1]
        self.assertEqual((own["name"], own["shipped"], own["files"][0]["compression"]), (body["name"], False, "dwaa"))
        taken = self.client.put("/api/delivery-presets", json={**body, "name": before[0]["name"]})
        self.assertEqual(taken.status_code, 422)
        wrong = {**body, "files": [{"what": "result", "format": "jpeg", "bits": 16}]}
        self.assertEqual(self.client.put("/api/delivery-presets", json=wrong).status_code, 422)
        query = {"name": body["name"]}
        self.assertEqual(self.client.delete("/api/delivery-presets", query_string=query).status_code, 204)
        self.assertEqual(self.client.delete("/api/delivery-presets", query_string=query).status_code, 404)
        self.assertEqual(self.client.get("/api/delivery-presets").json["presets"], before)

    def test_what_is_found_before_writing_is_told_in_sentences(self) -> None:
        (self.media / "walk.0003.exr").unlink(missing_ok=True)
        write_frames(self.media, 4)
        (self.media / "walk.0003.exr").unlink()
        job = self.finished(self.client.post("/api/shots", json={"sources": ["walk.####.exr"]}).get_json())
        variant = self.client.get(f"/api/shots/{job['result']['shot_id']}").json["variants"][0]["id"]

        def found(*files: dict[str, Any]) -> tuple[int, str]:
            answer = self.client.post(f"/api/variants/{variant}/deliveries/check", json={"files": list(files)})
            self.assertEqual(answer.status_code, 200, answer.get_json())
            facts = answer.get_json()
            self.assertEqual(
                [one["clips"] for one in facts["findings"]],
                [bool(re.search(r"clips \d", one["text"])) for one in facts["findings"]],
            )
            return facts["files"], "\n".join(f"{one['level']}: {one['text']}" for one in facts["findings"])

        count, words = found(RESULT, {"what": "lights", "format": "png"}, {"what": "result", "format": "mkv"})
        self.assertEqual(count, 3 + 2 * 3 + 1)
        self.assertIn("warning: Frame 3 missing in the render: skipped.", words)
        self.assertIn("ok: EXR in Linear Rec.709 (sRGB) keeps values up to", words)
        self.assertRegex(words, r"ok: About [\d.]+ [kM]B of [\d.]+ GB free")
        linear = found({"what": "result", "format": "png", "space": "ACEScg"})[1]
        self.assertIn("scene-linear values", linear)
        self.assertRegex(linear, r"clips \d+\.\d% of the image")
        raw = {"display": "sRGB - Display", "view": "Raw"}
        self.assertIn("is not tagged", found({"what": "result", "format": "png", **raw})[1])
        self.assertIn("display-referred values", found({"what": "result", "format": "exr", **raw})[1])
        count, words = found({"what": "lights", "format": "exr", "only": ["moon"]})
        self.assertEqual(count, 0)
        self.assertIn("error: ", words)
        self.assertIn("moon", words)
        self.assertEqual(list(self.settings.deliveries.iterdir()), [])

    def test_a_frame_that_fails_is_named_and_written_again(self) -> None:
        variant = self.open_walk()
        whole = (self.media / "walk.0002.exr").read_bytes()
        (self.media / "walk.0002.exr").write_bytes(whole[: len(whole) // 2])
        job = self.finished(self.begun(variant))
        self.assertEqual((job["state"], job["error"]), ("failed", "1 of 4 frames failed."))
        (failed,) = self.listed(variant)
        self.assertEqual((failed["done"], [f["number"] for f in failed["failed"]]), ([1, 3, 4], [2]))
        self.assertIn("walk.0002.exr", failed["failed"][0]["error"])
        self.assertTrue(failed["can_resume"])
        (self.media / "walk.0002.exr").write_bytes(whole)
        self.edit(variant, 0, 3)  # what was ordered is written, whatever the variant is by now
        job = self.finished(self.client.post(f"/api/deliveries/{failed['id']}/resume").get_json())
        self.assertEqual(job["state"], "done", job)
        (done,) = self.listed(variant)
        self.assertEqual((done["state"], done["done"], done["failed"]), ("done", [1, 2, 3, 4], []))
        for number in range(1, 5):
            found = read_colour(Path(done["folder"]) / f"{number:04d}.exr")
            np.testing.assert_allclose(found, grid_passes()[""] * number, rtol=1e-3)
        self.assertEqual(self.client.post(f"/api/deliveries/{done['id']}/resume").status_code, 422)
        self.assertEqual(self.client.post(f"/api/deliveries/{done['id']}/pause").status_code, 422)
        self.assertEqual(self.client.post("/api/deliveries/999/resume").status_code, 404)

    def test_a_delivery_is_paused_and_resumed(self) -> None:
        variant = self.open_walk(12)
        body = {"base": 0, "patch": [GLOW], "label": "glow"}
        self.assertEqual(self.client.post(f"/api/variants/{variant}/edits", json=body).status_code, 200)
        job = self.begun(variant)
        (running,) = self.listed(variant)
        self.assertEqual((running["state"], running["job"]), ("running", job["id"]))
        self.assertEqual(self.client.post(f"/api/deliveries/{running['id']}/resume").status_code, 422)
        paused = self.client.post(f"/api/deliveries/{running['id']}/pause")
        self.finished(job)
        (after,) = self.listed(variant)
        if paused.status_code == 204:
            self.assertEqual((after["state"], after["can_resume"]), ("paused", True))
            self.assertLess(len(after["done"]), 12)
            self.finished(self.client.post(f"/api/deliveries/{after['id']}/resume").get_json())
        (done,) = self.listed(variant)
        self.assertEqual((done["state"], len(done["done"])), ("done", 12))

    def test_files_in_folders_of_a_delivery_are_reached(self) -> None:
        variant = self.open_walk(1)
        self.finished(self.begun(variant, files=[{**RESULT, "names": "a/b/{shot}"}]))
        (file,) = self.listed(variant)[0]["files"]
        self.assertEqual(file["name"], "a/b/walk.exr")
        with self.client.get(file["address"]) as answer:
            self.assertEqual(answer.data[:4], b"\x76\x2f\x31\x01")


def delivered(folder: Path) -> list[Path]:
    """The frames that are there under their names; what is being written lies in folders that begin with a dot."""
    frames = folder.rglob("[0-9]*.exr")
    return [file for file in frames if not any(part.startswith(".") for part in file.relative_to(folder).parts)]


class KilledDeliveryTest(ServerTest):
    def test_a_delivery_that_was_killed_is_resumed(self) -> None:
        write_frames(self.media, 8, 180, 320)
        self.start()
        job = self.finished(self.make_request("/api/shots", {"sources": ["walk.####.exr"]})[1])
        variant = self.make_request(f"/api/shots/{job['result']['shot_id']}")[1]["variants"][0]["id"]
        edit = {"base": 0, "patch": [GLOW], "label": "glow"}
        self.assertEqual(self.make_request(f"/api/variants/{variant}/edits", edit)[0], 200)
        body = {"files": [RESULT], "workers": 2}
        self.assertEqual(self.make_request(f"/api/variants/{variant}/deliveries", body)[0], 202)
        folder = self.server.home / "deliveries"
        end = time.monotonic() + 60
        while not delivered(folder) and time.monotonic() < end:
            time.sleep(0.02)
        self.server.kill()
        self.start()
        (broken,) = self.make_request(f"/api/variants/{variant}/deliveries")[1]["deliveries"]
        self.assertEqual((broken["state"], broken["can_resume"]), ("interrupted", True))
        for file in delivered(folder):
            self.assertTrue(is_whole(file), file)
        job = self.finished(self.make_request(f"/api/deliveries/{broken['id']}/resume", {})[1])
        self.assertEqual(job["state"], "done", job)
        (done,) = self.make_request(f"/api/variants/{variant}/deliveries")[1]["deliveries"]
        self.assertEqual((done["state"], done["done"]), ("done", list(range(1, 9))))
        self.assertEqual([p.name for p in folder.rglob(".*")], [])
        for file in delivered(folder):
            self.assertTrue(is_whole(file), file)

    def test_an_order_without_its_document_is_not_resumed(self) -> None:
        self.start()
        variant = self.open_grid()
        self.finished(self.make_request(f"/api/variants/{variant}/deliveries", EXR_FILE)[1])
        (done,) = self.make_request(f"/api/variants/{variant}/deliveries")[1]["deliveries"]
        self.assertFalse(done["can_resume"])
        self.assertEqual(self.make_request(f"/api/deliveries/{done['id']}/resume", {})[0], 422)
