"""Depth over the API: the survey, what is at a place, edits that are kept and refused, marks over a threshold."""

import sys
from unittest import mock

import cv2
import numpy as np

from tests.engine.depth.camera_shot import HEIGHT, WIDTH, depth_passes
from tests.fixtures import write_layers
from tests.web.test_source_api import SourceApiTest

REGION = {"x": 0, "y": 0, "width": WIDTH, "height": HEIGHT}


class DepthApiTest(SourceApiTest):
    def setUp(self) -> None:
        super().setUp()
        write_layers(self.media / "camera.exr", depth_passes(), np.float32)
        self.variant = self.variant_of(self.open("camera.exr")["result"]["shot_id"])
        self.address = f"/api/variants/{self.variant['id']}"

    def test_the_survey_reports_how_depth_is_read(self) -> None:
        survey = self.client.post(f"{self.address}/depth/analysis", json={}).json["survey"]
        self.assertEqual(
            (survey["found"]["name"], survey["found"]["kind"], survey["kind"]), ("depth", "planar", "planar")
        )
        self.assertIn("position pass", survey["found"]["reason"])
        self.assertEqual(len(survey["edges"]), len(survey["counts"]) + 1)
        inverse = [{"op": "add", "path": "/depth/reading/kind", "value": "inverse"}]
        other = self.client.post(f"{self.address}/depth/analysis", json={"patch": inverse}).json["survey"]
        self.assertEqual(other["kind"], "inverse")
        self.assertAlmostEqual(other["edges"][-1], 1 / 2.5, places=4)

    def test_what_is_at_a_place(self) -> None:
        lens = [{"op": "add", "path": f"/depth/defocus/{k}", "value": v} for k, v in (("focus", 5), ("aperture", 20))]
        place = self.client.post(f"{self.address}/depth/sample", json={"x": 44, "y": 60, "patch": lens}).json["place"]
        self.assertAlmostEqual(place["distance"], 2.5, places=4)
        self.assertAlmostEqual(place["radius_px"], -4.0, places=4)
        sky = self.client.post(f"{self.address}/depth/sample", json={"x": 4, "y": 4}).json["place"]
        self.assertIsNone(sky["distance"])

    def test_edits_are_kept_and_reported_on_the_path(self) -> None:
        state = self.change(self.variant, "/depth/defocus", {"on": True, "focus": 2.5, "aperture": 30})
        state = self.change(state, "/lens/glow/on", True)
        words = {station["name"]: station["words"] for station in state["stations"]}
        self.assertEqual((words["depth"], words["lens"]), ("focus 2.5", "glow"))
        answer = self.client.post(
            f"{self.address}/edits",
            json={"base": state["head"], "patch": [{"op": "replace", "path": "/depth/defocus/blades", "value": 3}]},
        )
        self.assertGreaterEqual(answer.status_code, 400)
        self.assertIn("5 to 11", answer.json["detail"])

    def test_what_is_brighter_than_a_threshold_is_marked(self) -> None:
        request = {"region": REGION, "out_width": WIDTH, "out_height": HEIGHT}
        plain = self._picture(request)
        marked = self._picture(request | {"aids": {"over": 1.5}})
        brightest = depth_passes()[""].max(axis=0)
        over = brightest > 0.18 * 2**1.5
        changed = (plain != marked).any(axis=2)
        self.assertGreater(changed[over].mean(), 0.2)
        self.assertEqual(changed[brightest < 0.18].sum(), 0)

    def test_without_the_denoiser_an_edit_says_how_to_get_it_and_is_not_kept(self) -> None:
        patch = [{"op": "replace", "path": "/source/denoise/on", "value": True}]
        with mock.patch.dict(sys.modules, {"pyoidn": None}):
            answer = self.client.post(f"{self.address}/edits", json={"base": self.variant["head"], "patch": patch})
        self.assertGreaterEqual(answer.status_code, 400)
        self.assertIn("pip install pyoidn", answer.json["detail"])
        self.assertFalse(self.client.get(self.address).json["document"]["source"]["denoise"]["on"])

    def test_dirt_comes_from_below_the_roots_only(self) -> None:
        patch = [{"op": "replace", "path": "/lens/dirt/picture", "value": "/etc/passwd"}]
        answer = self.client.post(f"{self.address}/edits", json={"base": self.variant["head"], "patch": patch})
        self.assertGreaterEqual(answer.status_code, 400)
        self.assertIsNone(self.client.get(self.address).json["document"]["lens"]["dirt"]["picture"])

    def _picture(self, request: dict) -> np.ndarray:
        answer = self.client.post(f"{self.address}/picture", json=request)
        self.assertEqual(answer.status_code, 200, answer.data[:200])
        return cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)
