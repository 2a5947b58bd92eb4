"""Lanes over the API: previews count, and a curve becomes keys."""

import re
from typing import Any
from unittest import mock

import numpy as np
from sqlalchemy import Engine, event

from escala.model import settling
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import write_layers
from tests.web.test_source_api import SourceApiTest

POINTER = "balance/lights/key/stops"


class LanesApiTest(SourceApiTest):
    def setUp(self) -> None:
        super().setUp()
        for number in range(3, 9):
            write_layers(self.media / f"s.{number:04d}.exr", grid_passes(24, 32), np.float32)
        self.variant = self.variant_of(self.open("s.####.exr")["result"]["shot_id"])
        self.address = f"/api/variants/{self.variant['id']}"

    def step(self, curve: dict) -> list[dict]:
        return [{"op": "add", "path": f"/curves/{POINTER.replace('/', '~1')}", "value": curve}]

    def test_values_over_the_frames_of_the_shot(self) -> None:
        patch = self.step({"kind": "ramp", "from": 0, "to": 5, "start": 3, "end": 8})
        answer = self.client.post(f"{self.address}/lanes", json={"patch": patch, "frame": 5}).json
        self.assertEqual((answer["frames"][0], answer["frames"][-1]), (3, 8))
        lane = answer["lanes"][0]
        np.testing.assert_allclose(lane["values"][0], np.array(answer["frames"]) - 3, atol=1e-9)
        self.assertEqual((lane["now"], lane["words"]), ([2], "Key, level"))
        self.assertIn("balance/lights/fill/stops", [field["pointer"] for field in answer["movable"]])
        self.assertEqual(self.client.post(f"{self.address}/lanes", json={}).json["lanes"], [])

    def test_what_is_prepared_for_a_document_serves_all_its_frames(self) -> None:
        patch = self.step({"kind": "ramp", "from": 0, "to": 5, "start": 3, "end": 8})
        edit = {"base": self.variant["head"], "patch": patch, "label": "ramp"}
        self.assertEqual(self.client.post(f"{self.address}/edits", json=edit).status_code, 200)
        read: list[str] = []

        def note(connection: Any, cursor: Any, statement: str, *rest: Any) -> None:
            read.extend(re.findall(r"variant\.document", statement))

        event.listen(Engine, "before_cursor_execute", note)
        self.addCleanup(event.remove, Engine, "before_cursor_execute", note)
        with mock.patch.object(settling, "_Known", wraps=settling._Known) as prepared:
            for frame in (3, 4, 5):
                picture = {"region": {"x": 0, "y": 0, "width": 32, "height": 24}, "out_width": 32, "out_height": 24}
                answer = self.client.post(f"{self.address}/picture", json={**picture, "frame": frame, "live": True})
                self.assertEqual(answer.status_code, 200, answer.json)
        self.assertEqual(prepared.call_count, 1)
        self.assertEqual(len(read), 1)

    def test_many_curves_are_drawn_through_fewer_points(self) -> None:
        sweep = {"kind": "sweep", "amount": 1, "period": 5}
        fields = ("stops", "kelvin", "duv")
        curves = {f"balance/lights/l{i}/{field}": sweep for i in range(1000) for field in fields}
        patch = [{"op": "add", "path": "/curves", "value": curves}]
        answer = self.client.post(f"{self.address}/lanes", json={"patch": patch}).json
        self.assertEqual((len(answer["lanes"]), len(answer["frames"])), (3000, 9))

    def test_a_curve_becomes_keys_and_the_path_says_what_moves(self) -> None:
        patch = self.step({"kind": "ramp", "from": 0, "to": 5, "start": 3, "end": 8})
        keys = self.client.post(f"{self.address}/lanes/keys", json={"patch": patch, "pointer": POINTER}).json["curve"]
        self.assertEqual([(key["frame"], key["value"]) for key in keys["keys"]], [(3, 0), (8, 5)])
        edit = {"base": self.variant["head"], "patch": self.step(keys), "label": "keys"}
        saved = self.client.post(f"{self.address}/edits", json=edit).json
        words = {station["name"]: station["words"] for station in saved["stations"]}
        self.assertEqual((words["balance"], words["finish"]), ("1 over time", "unchanged"))
        refused = self.client.post(f"{self.address}/lanes/keys", json={"pointer": "depth/haze/density"})
        self.assertEqual(refused.status_code, 422)
