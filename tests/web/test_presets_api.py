"""Presets over the API, and the pictures a label can show."""

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import cv2
import numpy as np

from tests.fixtures import add_up, light, write_layers
from tests.web.test_api import ApiTest
from tests.web.test_source_api import SourceApiTest

CONTRAST = {"kind": "contrast", "amount": 1.3, "matte": "hull"}


class PresetApiTest(ApiTest):
    def keep(self, name: object, *corrections: object) -> Any:
        return self.client.put("/api/presets", json={"name": name, "corrections": corrections})

    def names(self) -> list[str]:
        return [preset["name"] for preset in self.client.get("/api/presets").json["presets"]]

    def test_any_name_is_kept_listed_and_removed(self) -> None:
        names = ["..", "a b?c#d", "day/night", "für Hülle"]
        for name in names:
            kept = self.keep(name, CONTRAST)
            self.assertEqual((kept.status_code, kept.json["corrections"][0]["amount"]), (200, 1.3))
        self.assertEqual(self.names(), names)
        for name in names:
            self.assertEqual(self.client.delete("/api/presets", query_string={"name": name}).status_code, 204)
        self.assertEqual(self.names(), [])
        gone = self.client.delete("/api/presets", query_string={"name": ".."})
        self.assertEqual((gone.status_code, gone.json["detail"][:11]), (404, "There is no"))

    def test_what_is_no_preset_is_refused_in_a_sentence(self) -> None:
        refused = [
            self.keep("", CONTRAST),
            self.keep("x" * 121, CONTRAST),
            self.keep(7, CONTRAST),
            self.keep("huge", {**CONTRAST, "amount": 1e300}),
            self.keep("none", {**CONTRAST, "amount": float("nan")}),
            self.keep("kind", {"kind": "unheard of"}),
        ]
        for answer in refused:
            self.assertEqual(answer.status_code, 422, answer.json)
            self.assertTrue(answer.json["detail"])
        self.assertEqual(self.names(), [])

    def test_clients_at_the_same_moment_leave_one_of_their_presets(self) -> None:
        def keep(amount: float) -> int:
            body = {"name": "night", "corrections": [{**CONTRAST, "amount": amount}]}
            return self.app.test_client().put("/api/presets", json=body).status_code

        amounts = [1 + number / 10 for number in range(1, 9)]
        with ThreadPoolExecutor(8) as clients:
            self.assertEqual(set(clients.map(keep, amounts)), {200})
        (kept,) = self.client.get("/api/presets").json["presets"]
        self.assertIn(kept["corrections"][0]["amount"], amounts)


class LabelPicturesTest(SourceApiTest):
    def test_pictures_beside_the_render_are_offered_but_not_the_render(self) -> None:
        key = light(1)
        write_layers(self.media / "lit.exr", {"": add_up(key), "lg_key": key})
        (self.media / "emblems").mkdir()
        for name in ("emblems/crest.png", "flag.png", ".hidden.png"):
            cv2.imwrite(str(self.media / name), np.zeros((4, 4, 3), np.uint8))
        (self.media / "notes.txt").write_text("no picture")
        shot = self.open("lit.exr")["result"]["shot_id"]
        offered = self.client.get(f"/api/shots/{shot}/pictures").json["entries"]
        self.assertEqual([entry["name"] for entry in offered], ["flag.png", "crest.png"])
        for path in list(self.media.rglob("*.*")):
            path.unlink()
        self.assertEqual(self.client.get(f"/api/shots/{shot}/pictures").json["entries"], [])
