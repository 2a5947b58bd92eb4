"""The API on a real application: shots, variants, pictures, deliveries, and who is let in."""

import json
import threading
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from escala.web.app import create_app
from escala.web.app_context import APP_CONTEXT
from escala.web.openapi import defaults
from escala.web.settings import Settings
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import EXR_FILE, FolderTest, read_colour, write_layers

WHOLE = {"region": {"x": 0, "y": 0, "width": 64, "height": 48}, "out_width": 64, "out_height": 48}


class ApiTest(FolderTest):
    token: str | None = None

    def setUp(self) -> None:
        super().setUp()
        self.media = self.folder / "media"
        self.media.mkdir()
        self.settings = Settings(self.folder / "home", (self.media,), token=self.token, upload_limit=400_000)
        self.app = self.application()
        self.client = self.app.test_client()

    def application(self) -> Any:
        """An application on the home of the test, closed with it."""
        app = create_app(self.settings)
        self.addCleanup(app.extensions[APP_CONTEXT].close)
        return app

    def step(self, variant: int, what: str, **more: Any) -> Any:
        """Undo, redo, or restore a revision, from the newest state."""
        base = self.client.get(f"/api/variants/{variant}").get_json()["head"]
        return self.client.post(f"/api/variants/{variant}/{what}", json={"base": base}, **more)

    def finished(self, job: dict[str, Any]) -> dict[str, Any]:
        """A job's outcome, once its thread has ended."""
        thread = next((t for t in threading.enumerate() if t.name == f"job {job['id']}"), None)
        if thread is not None:
            thread.join(60)
        return self.client.get(f"/api/jobs/{job['id']}").get_json()

    def open_grid(self) -> int:
        path = write_layers(self.media / "grid.exr", grid_passes())
        job = self.finished(self.client.post("/api/shots", json={"sources": [str(path)]}).get_json())
        self.assertEqual(job["state"], "done", job)
        shot = self.client.get(f"/api/shots/{job['result']['shot_id']}").get_json()
        return shot["variants"][0]["id"]

    def edit(self, variant: int, base: int, stops: float) -> Any:
        patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": stops}}]
        return self.client.post(f"/api/variants/{variant}/edits", json={"base": base, "patch": patch, "label": "key"})


class VariantApiTest(ApiTest):
    def test_edit_undo_redo_and_a_second_tab(self) -> None:
        variant = self.open_grid()
        state = self.edit(variant, 0, -2).get_json()
        self.assertEqual(state["head"], 1)
        words = {s["name"]: s["words"] for s in state["stations"]}
        self.assertEqual((words["balance"], words["beauty"]), ("1 level", "matches"))
        late = self.edit(variant, 0, 5)
        self.assertEqual((late.status_code, late.mimetype), (409, "application/problem+json"))
        self.assertIn("changed elsewhere", late.get_json()["detail"])
        self.assertEqual(self.step(variant, "undo").get_json()["document"]["balance"]["lights"], {})
        again = self.step(variant, "redo").get_json()
        self.assertEqual(again["document"]["balance"]["lights"]["key"]["stops"], -2)
        self.assertEqual(len(self.client.get(f"/api/variants/{variant}/revisions").get_json()), 1)

    def test_variants_are_made_copied_renamed_deleted(self) -> None:
        variant = self.open_grid()
        self.edit(variant, 0, 1)
        shot = self.client.get(f"/api/variants/{variant}").get_json()["shot_id"]
        made = self.client.post(f"/api/shots/{shot}/variants", json={"name": "Storm", "copy_of": variant}).get_json()
        self.assertEqual(made["document"]["balance"]["lights"]["key"]["stops"], 1)
        renamed = self.client.put(f"/api/variants/{made['id']}/name", json={"name": "Calm"}).get_json()
        self.assertEqual(renamed["name"], "Calm")
        self.assertEqual(self.client.delete(f"/api/variants/{made['id']}").status_code, 204)
        last = self.client.delete(f"/api/variants/{variant}")
        self.assertEqual((last.status_code, "only variant" in last.get_json()["detail"]), (409, True))
        self.assertEqual(self.client.get("/api/variants/999").status_code, 404)

    def test_an_invalid_edit_says_what_is_wrong(self) -> None:
        answer = self.edit(self.open_grid(), 0, 99)
        self.assertEqual(answer.status_code, 422)
        self.assertIn("99 is outside -16 to 16", answer.get_json()["detail"])


class ShotApiTest(ApiTest):
    def shots(self) -> list[dict[str, Any]]:
        return self.client.get("/api/shots").get_json()["shots"]

    def change(self, shot: int, **change: str) -> int:
        return self.client.put(f"/api/shots/{shot}", json=change).status_code

    def test_a_list_reports_where_shots_are_and_how_they_were_changed_last(self) -> None:
        variant = self.open_grid()
        (shot,) = self.shots()
        self.assertEqual((shot["status"], shot["change"]), ("active", "opened"))
        self.edit(variant, 0, -1)
        (later,) = self.shots()
        self.assertEqual(later["change"], "key")
        self.assertGreater(later["changed"], shot["changed"])
        for moment in (shot["changed"], later["changed"]):
            self.assertLess(abs((datetime.now(UTC) - datetime.fromisoformat(moment)).total_seconds()), 60)

    def test_shots_are_renamed_archived_deleted_and_restored(self) -> None:
        variant = self.open_grid()
        shot = self.shots()[0]["id"]
        self.assertEqual(self.change(shot, name="Quay at night"), 204)
        self.assertEqual(self.change(shot, status="archived"), 204)
        self.assertEqual([(s["name"], s["status"]) for s in self.shots()], [("Quay at night", "archived")])
        self.assertEqual(self.client.delete(f"/api/shots/{shot}").status_code, 204)
        self.assertEqual(self.shots(), [])
        self.assertEqual(self.change(shot, status="active"), 204)
        self.assertEqual(len(self.shots()), 1)
        self.assertEqual(self.edit(variant, 0, -1).status_code, 200)
        for wrong in ({"name": ""}, {"status": "nowhere"}):
            self.assertEqual(self.change(shot, **wrong), 422)
        self.assertEqual(self.change(999, name="x"), 404)

    def test_what_was_deleted_is_gone_at_the_next_start_and_only_that(self) -> None:
        self.open_grid()
        write_layers(self.media / "other.exr", grid_passes())
        self.finished(self.client.post("/api/shots", json={"sources": [str(self.media / "other.exr")]}).get_json())
        first = self.shots()[0]["id"]
        self.client.delete(f"/api/shots/{first}")
        again = self.application().test_client()
        self.assertEqual([s["name"] for s in again.get("/api/shots").get_json()["shots"]], ["other"])
        self.assertEqual(again.get(f"/api/shots/{first}").status_code, 404)


class PictureApiTest(ApiTest):
    def picture(self, variant: int, **more: Any) -> Any:
        return self.client.post(f"/api/variants/{variant}/picture", json=WHOLE | more)

    def pixels(self, answer: Any) -> np.ndarray:
        return cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)[:, :, ::-1].astype(int)

    def test_a_preview_shows_an_edit_without_keeping_it(self) -> None:
        variant = self.open_grid()
        before = self.pixels(self.picture(variant))
        patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": -4}}]
        darker = self.pixels(self.picture(variant, patch=patch, live=True))
        self.assertEqual(before.shape, (48, 64, 3))
        self.assertLess(darker.mean(), before.mean() - 5)
        self.assertEqual(self.client.get(f"/api/variants/{variant}").get_json()["head"], 0)

    def test_a_preview_that_arrives_after_its_edit_was_saved_is_not_applied_twice(self) -> None:
        variant = self.open_grid()
        patch = [{"op": "add", "path": "/finish/corrections/-", "value": {"kind": "exposure", "id": "e1", "stops": 1}}]
        preview = self.pixels(self.picture(variant, base=0, patch=patch))
        edit = {"base": 0, "patch": patch, "label": "Exposure added"}
        self.assertEqual(self.client.post(f"/api/variants/{variant}/edits", json=edit).status_code, 200)
        np.testing.assert_array_equal(self.pixels(self.picture(variant, base=0, patch=patch)), preview)
        np.testing.assert_array_equal(self.pixels(self.picture(variant, base=1)), preview)
        without = self.picture(variant, patch=patch)
        self.assertEqual(without.status_code, 422, without.get_data(as_text=True)[:200])
        unknown = self.picture(variant, base=7, patch=patch)
        self.assertIn("no revision 7", unknown.get_json()["detail"])

    def test_moving_and_resting_pictures_look_the_same(self) -> None:
        variant = self.open_grid()
        resting, moving = self.pixels(self.picture(variant)), self.pixels(self.picture(variant, live=True))
        blocks = [p.reshape(6, 8, 8, 8, 3).mean(axis=(1, 3)) for p in (moving, resting)]
        np.testing.assert_allclose(*blocks, atol=3)  # what JPEG keeps of noise

    def test_board_tally_probe_and_pass_pictures(self) -> None:
        variant = self.open_grid()
        address = f"/api/variants/{variant}"
        board = self.client.post(f"{address}/board", json={}).get_json()["board"]
        self.assertEqual(set(board["lights"]), {"key", "fill"})
        self.assertTrue(self.client.get(f"{address}/tally").get_json()["tally"]["verdict"]["exact"])
        probe = self.client.post(f"{address}/probe", json={"x": 3, "y": 4, "size": 5}).get_json()["probe"]
        self.assertAlmostEqual(sum(part["share"] for part in probe["lights"]), 1, places=4)
        for name in ("board/sheet",):
            self.assertEqual(self.client.post(f"{address}/{name}", json={}).data[:2], b"\xff\xd8")
        for name in ("tally/sheet", "difference?gain=10&width=64"):
            self.assertEqual(self.client.get(f"{address}/{name}").status_code, 200)
        shot = self.client.get(address).get_json()["shot_id"]
        first = self.client.get(f"/api/shots/{shot}/pass?name=key&width=64")
        self.assertEqual(first.data[:2], b"\xff\xd8")
        again = self.client.get(
            f"/api/shots/{shot}/pass?name=key&width=64", headers={"If-None-Match": first.headers["ETag"]}
        )
        self.assertEqual(again.status_code, 304)
        self.assertEqual(self.client.get("/api/shots").get_json()["shots"][0]["cover"], "rgba")
        self.assertEqual(self.client.get(f"/api/shots/{shot}/pass?name=ghost").status_code, 422)


class DeliveryApiTest(ApiTest):
    def test_the_browser_gets_the_pixels_of_the_command(self) -> None:
        variant = self.open_grid()
        self.edit(variant, 0, 1)
        job = self.finished(self.client.post(f"/api/variants/{variant}/deliveries", json=EXR_FILE).get_json())
        self.assertEqual(job["state"], "done", job)
        file = job["result"]["files"][0]
        with self.client.get(file["address"]) as answer:
            (self.folder / "got.exr").write_bytes(answer.data)
        from escala.cli import main

        main(["render", str(self.media / "grid.exr"), "--out", str(self.folder / "cli.exr"), "--light", "key=1"])
        np.testing.assert_array_equal(read_colour(self.folder / "got.exr"), read_colour(self.folder / "cli.exr"))

    def test_a_cdl_file_is_read(self) -> None:
        numbers = "<Slope>1.1 1 1</Slope><Offset>0 0 0</Offset><Power>1 1 1</Power>"
        text = f'<ColorCorrection id="a"><SOPNode>{numbers}</SOPNode></ColorCorrection>'
        self.assertEqual(self.client.post("/api/cdl?name=a.cc", data=text).get_json()["slope"], [1.1, 1.0, 1.0])
        self.assertEqual(self.client.post("/api/cdl?name=a.cc", data="hello").status_code, 422)


class IntakeApiTest(ApiTest):
    def test_only_the_roots_are_read(self) -> None:
        outside = write_layers(self.folder / "outside.exr", grid_passes())
        (self.media / "link.exr").symlink_to(outside)
        for source in (str(outside), "../outside.exr", str(self.media / "link.exr"), "/etc/passwd"):
            with self.subTest(source=source):
                answer = self.client.post("/api/shots", json={"sources": [source]})
                self.assertEqual(answer.status_code, 422)
                self.assertIn("media roots", answer.get_json()["detail"])
        self.assertEqual(self.client.get(f"/api/media?folder={self.folder}").status_code, 422)

    def test_a_variant_names_no_file_outside_the_roots(self) -> None:
        variant = self.open_grid()
        secret = self.folder / "secret.cube"
        secret.write_text("not yours")
        lut = [{"op": "add", "path": "/finish/corrections/-", "value": {"kind": "lut", "path": str(secret)}}]
        early = [{"op": "add", "path": "/beauty/corrections/-", "value": {"kind": "lut", "path": str(secret)}}]
        config = [{"op": "replace", "path": "/colour/config", "value": str(secret)}]
        for patch in (lut, early, config):
            edit = {"base": 0, "patch": patch, "label": "x"}
            for address, body in (("edits", edit), ("probe", {"patch": patch, "x": 0, "y": 0})):
                with self.subTest(address=address, patch=patch):
                    answer = self.client.post(f"/api/variants/{variant}/{address}", json=body)
                    self.assertEqual(answer.status_code, 422)
                    self.assertIn("outside the media roots", answer.get_json()["detail"])
        self.assertEqual(self.client.get(f"/api/variants/{variant}").get_json()["head"], 0)
        self.assertEqual(self.client.get(f"/api/colour?config={secret}").status_code, 422)

    def test_folders_are_listed(self) -> None:
        write_layers(self.media / "grid.exr", grid_passes())
        (self.media / "notes.txt").write_text("no picture")
        names = [e["name"] for e in self.client.get(f"/api/media?folder={self.media}").get_json()["entries"]]
        self.assertEqual(names, ["grid.exr"])

    def test_an_upload_becomes_a_shot(self) -> None:
        data = write_layers(self.folder / "grüße 'x'.exr", grid_passes()).read_bytes()
        path = self.client.put("/api/uploads/grüße 'x'.exr", data=data).get_json()["path"]
        job = self.finished(self.client.post("/api/shots", json={"sources": [path]}).get_json())
        self.assertEqual(job["state"], "done", job)

    def test_uploads_have_limits(self) -> None:
        large = self.client.put("/api/uploads/large.exr", data=b"x" * 500_000)
        self.assertEqual(large.status_code, 413)
        self.assertEqual(self.client.put("/api/uploads/tool.sh", data=b"x").status_code, 422)
        self.assertFalse([p for p in (self.folder / "home" / "uploads").rglob("*") if p.is_file()])

    def test_a_broken_file_fails_with_a_sentence(self) -> None:
        (self.media / "broken.exr").write_text("hello")
        job = self.finished(self.client.post("/api/shots", json={"sources": ["broken.exr"]}).get_json())
        self.assertEqual(job["state"], "failed")
        self.assertIn("broken.exr: not an OpenEXR file", job["error"])


class GuardTest(ApiTest):
    def test_foreign_hosts_and_origins_are_refused(self) -> None:
        self.assertEqual(self.client.get("/api/shots", headers={"Host": "evil.example"}).status_code, 403)
        answer = self.client.get("/api/shots", headers={"Origin": "http://evil.example"})
        self.assertEqual(answer.status_code, 403)
        self.assertEqual(self.client.get("/api/shots", headers={"Origin": "http://localhost"}).status_code, 200)

    def test_pages_may_load_only_from_here(self) -> None:
        policy = self.client.get("/api/shots").headers["Content-Security-Policy"]
        self.assertIn("default-src 'self'", policy)

    def test_the_committed_types_are_those_of_the_api(self) -> None:
        committed = Path(__file__).parents[2] / "frontend" / "openapi.json"
        self.assertEqual(json.loads(committed.read_text()), self.client.get("/api/openapi.json").json)
        self.assertEqual(json.loads((committed.parent / "src" / "api" / "defaults.json").read_text()), defaults())


class TokenTest(ApiTest):
    token = "a-secret"

    def test_without_the_token_nothing_is_reported(self) -> None:
        self.assertEqual(self.client.get("/api/shots").status_code, 401)
        self.assertEqual(self.client.get("/api/shots?token=wrong").status_code, 401)
        self.assertEqual(self.client.get("/api/shots?token=a-secret").status_code, 200)
        self.assertEqual(self.client.get("/api/shots").status_code, 200, "the cookie is kept")
