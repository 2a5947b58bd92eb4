from typing import Any

import cv2
import numpy as np

from tests.web.test_api import WHOLE, ApiTest


class HistoryApiTest(ApiTest):
    def setUp(self) -> None:
        super().setUp()
        self.variant = self.open_grid()
        for head, stops in enumerate((-1.0, 2.0)):
            self.assertEqual(self.edit(self.variant, head, stops).status_code, 200)

    def revisions(self) -> list[dict[str, Any]]:
        return self.client.get(f"/api/variants/{self.variant}/revisions").get_json()["revisions"]

    def stops(self) -> float:
        document = self.client.get(f"/api/variants/{self.variant}").get_json()["document"]
        return document["balance"]["lights"].get("key", {"stops": 0.0})["stops"]

    def test_every_state_is_listed_and_can_be_looked_at(self) -> None:
        self.assertEqual(
            [(r["number"], r["label"]) for r in self.revisions()], [(0, "As created"), (1, "key"), (2, "key")]
        )
        first = self.client.get(f"/api/variants/{self.variant}/revisions/1").get_json()["document"]
        self.assertEqual(first["balance"]["lights"]["key"]["stops"], -1.0)
        means = []
        for number in (1, 0, 2):
            answer = self.client.get(f"/api/variants/{self.variant}/revisions/{number}/picture")
            picture = cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)
            means.append(float(picture.mean()))
        self.assertEqual(means, sorted(means))

    def test_a_state_is_restored_and_nothing_is_lost(self) -> None:
        answer = self.step(self.variant, "revisions/1/restore")
        self.assertEqual(answer.get_json()["head"], 3)
        self.assertEqual(self.stops(), -1.0)
        self.assertEqual(self.revisions()[-1]["label"], "Restored: key")
        self.step(self.variant, "undo")
        self.assertEqual(self.stops(), 2.0)
        self.step(self.variant, "revisions/0/restore")
        self.assertEqual(self.stops(), 0.0)
        self.assertEqual([r["number"] for r in self.revisions() if r["branch"] == "other"], [3])
        branch = self.client.get(f"/api/variants/{self.variant}/revisions/3").get_json()["document"]
        self.assertEqual(branch["balance"]["lights"]["key"]["stops"], -1.0)

    def test_a_state_that_never_was_is_refused(self) -> None:
        answer = self.step(self.variant, "revisions/9/restore")
        self.assertEqual(answer.status_code, 422)
        self.assertIn("no revision 9", answer.get_json()["detail"])


class AidsApiTest(ApiTest):
    def picture(self, **aids: object) -> np.ndarray:
        body = {**WHOLE, "station": "display", "aids": aids}
        answer = self.client.post(f"/api/variants/{self.variant}/picture", json=body)
        self.assertEqual(answer.status_code, 200, answer.data[:200])
        return cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)[..., ::-1].astype(int)

    def setUp(self) -> None:
        super().setUp()
        self.variant = self.open_grid()

    def test_the_viewer_alone_changes(self) -> None:
        plain = self.picture()
        self.assertLess(self.picture(exposure=-2).mean(), plain.mean())
        self.assertGreater(self.picture(gamma=2).mean(), plain.mean())
        red = self.picture(show="red")
        np.testing.assert_array_equal(red[..., 1], plain[..., 0])
        grey = self.picture(show="luminance")
        self.assertLessEqual(int(np.abs(grey[..., 0] - grey[..., 2]).max()), 1)
        self.assertTrue((self.picture(show="alpha") == 255).all())
        self.assertFalse(np.array_equal(self.picture(exposure=5, marks=True), self.picture(exposure=5)))
        np.testing.assert_array_equal(self.picture(), plain)

    def test_stops_have_the_colours_of_the_legend(self) -> None:
        legend = self.client.get("/api/false-colour-legend").get_json()["stops"]
        self.assertEqual([band["stop"] for band in legend], list(range(-8, 9)))
        colours = {tuple(band["colour"]) for band in legend}
        shown = {tuple(pixel) for pixel in self.picture(show="stops").reshape(-1, 3).tolist()}
        self.assertLessEqual(shown, colours)

    def test_an_unknown_aid_is_refused(self) -> None:
        body = {**WHOLE, "station": "display", "aids": {"show": "x-ray"}}
        self.assertEqual(self.client.post(f"/api/variants/{self.variant}/picture", json=body).status_code, 422)

    def test_a_scope_follows_the_levels(self) -> None:
        def scope(patch: list[dict[str, Any]], **more: object) -> np.ndarray:
            answer = self.client.post(f"/api/variants/{self.variant}/scope", json={"patch": patch, **more})
            self.assertEqual(answer.status_code, 200, answer.data[:200])
            return cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_GRAYSCALE)

        brighter = [{"op": "add", "path": "/finish/corrections/-", "value": {"kind": "exposure", "stops": 3}}]
        plain, raised = scope([]), scope(brighter)
        self.assertEqual(plain.shape, (126, 324))
        rows = np.arange(126)
        means = [float((rows * p.sum(axis=1)).sum() / p.sum()) for p in (plain, raised)]
        self.assertAlmostEqual(means[0] - means[1], 3 * 126 / 18, delta=2)
        self.assertNotEqual(scope([], kind="parade").tolist(), plain.tolist())
