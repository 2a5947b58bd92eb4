"""An exact picture that takes long: told of, stopped, given up for a newer one."""

import threading
from typing import Any
from unittest import mock

import numpy as np

from escala.core.depth import layers
from escala.web.app_context import APP_CONTEXT
from tests.engine.depth.camera_shot import HEIGHT, WIDTH, depth_passes
from tests.fixtures import write_layers
from tests.web.test_source_api import SourceApiTest

LENS = {"op": "add", "path": "/depth/defocus", "value": {"on": True, "focus": 2.5, "aperture": 30}}
REQUEST = {
    "region": {"x": 0, "y": 0, "width": WIDTH, "height": HEIGHT},
    "out_width": WIDTH,
    "out_height": HEIGHT,
    "viewer": "me",
    "patch": [LENS],
}


class ExactPictureTest(SourceApiTest):
    def setUp(self) -> None:
        super().setUp()
        write_layers(self.media / "camera.exr", depth_passes(), np.float32)
        variant = self.variant_of(self.open("camera.exr")["result"]["shot_id"])
        self.address = f"/api/variants/{variant['id']}"
        self.mark = self.client.get("/api/events").json["mark"]
        self.reached, self.go_on = threading.Event(), threading.Event()
        patient = mock.patch("escala.web.pictures.routes._LISTED_AFTER_SECONDS", 0.0)
        slow = mock.patch("escala.core.depth.layers._spread", self.slowly(layers._spread))
        for each in (patient, slow):
            each.start()
            self.addCleanup(each.stop)

    def slowly(self, spread: Any) -> Any:
        """Spreading that waits in the middle of a picture until it is told to go on."""

        def spread_slowly(*how: Any) -> None:
            spread(*how)
            self.reached.set()
            self.assertTrue(self.go_on.wait(20))

        return spread_slowly

    def begin(self) -> tuple[threading.Thread, list[Any]]:
        """Ask for the exact picture in a thread of its own, until it is in the middle of being made."""
        answers: list[Any] = []
        client = self.app.test_client()
        asker = threading.Thread(target=lambda: answers.append(client.post(f"{self.address}/picture", json=REQUEST)))
        asker.start()
        self.assertTrue(self.reached.wait(20))
        return asker, answers

    def told(self) -> dict[str, Any]:
        """What pages were last told of the picture."""
        events = self.client.get(f"/api/events?after={self.mark}").json["events"]
        return [event for event in events if event.get("what") == "Exact image"][-1]

    def test_pages_hear_what_is_being_done_and_can_stop_it(self) -> None:
        asker, answers = self.begin()
        job = self.told()
        self.assertEqual((job["viewer"], job["state"], job["doing"]), ("me", "running", "defocus"))
        self.assertTrue(0.5 < job["share"] < 0.9, job["share"])
        self.client.post(f"/api/jobs/{job['id']}/cancel")
        self.go_on.set()
        asker.join(20)
        self.assertEqual(answers[0].status_code, 409)
        self.assertIn("Exact image was stopped", answers[0].json["detail"])
        self.assertEqual(self.told()["state"], "cancelled")
        again = self.client.post(f"{self.address}/picture", json=REQUEST)
        self.assertEqual((again.status_code, again.mimetype), (200, "image/png"))

    def answers_after_a_move_of(self, viewer: str) -> list[tuple[int, str]]:
        """Status and kind of the answers to an exact picture and to a moving one that is asked for meanwhile."""
        asker, answers = self.begin()
        other, body = self.app.test_client(), REQUEST | {"live": True, "patch": [], "viewer": viewer}
        mover = threading.Thread(target=lambda: answers.append(other.post(f"{self.address}/picture", json=body)))
        mover.start()
        while len(self.app.extensions[APP_CONTEXT].evaluator_pool.thread._waiting) == 0:
            pass
        self.go_on.set()
        for thread in (asker, mover):
            thread.join(20)
        return sorted((answer.status_code, answer.mimetype) for answer in answers)

    def test_it_is_given_up_when_its_viewer_moves_on(self) -> None:
        answers = self.answers_after_a_move_of("me")
        self.assertEqual(answers, [(200, "image/jpeg"), (409, "application/problem+json")])

    def test_a_stranger_who_moves_is_served_in_between(self) -> None:
        self.assertEqual(self.answers_after_a_move_of("another"), [(200, "image/jpeg"), (200, "image/png")])
