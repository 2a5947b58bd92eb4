import json
from typing import Any

import cv2
import numpy as np

from tests.fixtures import add_up, light, write_layers
from tests.web.test_source_api import SourceApiTest

KEY, FILL = light(1), light(2)
REGION = {"x": 0, "y": 0, "width": 32, "height": 24}


class LookingApiTest(SourceApiTest):
    def setUp(self) -> None:
        super().setUp()
        depth = light(5)[0] + np.float32(3)
        write_layers(self.media / "look.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "Z": depth})
        self.depth = depth
        self.address = f"/api/variants/{self.variant_of(self.open('look.exr')['result']['shot_id'])['id']}"

    def picture(self, **wish: Any) -> np.ndarray:
        body = {"region": REGION, "out_width": 32, "out_height": 24, **wish}
        answer = self.client.post(f"{self.address}/picture", json=body)
        self.assertEqual(answer.status_code, 200, answer.data)
        return cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)

    def bring(self, name: str, data: bytes) -> Any:
        return self.client.put(f"/api/pictures/{name}", data=data)

    def test_a_pass_and_its_difference_from_itself(self) -> None:
        self.assertGreater(int(self.picture(pass_name="lg_key").max()), 100)
        same = {"subject": {"pass_name": "lg_key"}, "gain": 1e6, "measure": "linear"}
        self.assertEqual(int(self.picture(pass_name="lg_key", against=same).max()), 0)
        other = {"subject": {"pass_name": "lg_fill"}, "gain": 1, "measure": "linear"}
        self.assertGreater(int(self.picture(pass_name="lg_key", against=other).max()), 100)

    def test_the_reference_is_the_untouched_variant(self) -> None:
        against = {"subject": {"station": "source"}, "gain": 1e6, "measure": "linear"}
        self.assertEqual(int(self.picture(against=against).max()), 0)
        patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": 0.01}}]
        self.assertGreater(int(self.picture(patch=patch, against=against).max()), 200)

    def test_a_state_is_named_by_variant_and_revision(self) -> None:
        """Whatever has become of the variant since, and from the address of another one."""
        number = int(self.address.rpartition("/")[2])
        pictures = [self.picture()]
        for base, stops in enumerate((-2, 1)):
            patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": stops}}]
            edit = {"base": base, "patch": patch, "label": "key"}
            self.assertEqual(self.client.post(f"{self.address}/edits", json=edit).status_code, 200)
            pictures.append(self.picture())
        shot = self.client.get(self.address).json["shot_id"]
        other = self.client.post(f"/api/shots/{shot}/variants", json={"name": "other"}).json
        self.address = f"/api/variants/{other['id']}"
        for is_deleted in (False, True):
            if is_deleted:
                self.assertEqual(self.client.delete(f"/api/variants/{number}").status_code, 204)
            for revision in (1, 0, 2, 1):
                with self.subTest(revision=revision, is_deleted=is_deleted):
                    np.testing.assert_array_equal(self.picture(variant=number, base=revision), pictures[revision])
        drag = [{"op": "replace", "path": "/balance/lights/key/stops", "value": -2}]
        np.testing.assert_array_equal(self.picture(variant=number, base=2, patch=drag), pictures[1])
        same = {"subject": {"variant": number, "base": 1}, "gain": 1e6, "measure": "linear"}
        self.assertEqual(int(self.picture(base=0, patch=[], variant=number, against=same).max()), 255)
        for wish, words in (({"variant": 10**6}, "no variant 1000000"), ({"variant": number, "base": 9}, "revision 9")):
            refused = self.client.post(
                f"{self.address}/picture", json={"region": REGION, "out_width": 8, "out_height": 8, **wish}
            )
            self.assertIn(refused.status_code, (404, 422))
            self.assertIn(words, refused.json["detail"])

    def test_pictures_are_imported_and_broken_ones_explained(self) -> None:
        shown = np.full((12, 16, 3), 90, np.uint8)
        for ending in (".png", ".jpg"):
            made = self.bring(f"a client's ref{ending}", cv2.imencode(ending, shown)[1].tobytes())
            self.assertEqual(made.status_code, 201, made.json)
            self.assertEqual(made.json["title"], "a client's ref")
            np.testing.assert_array_equal(self.picture(picture=made.json["picture"]), 90)
        for name, data, words in (
            ("notes.txt", b"x", "EXR, PNG, TIFF or JPEG"),
            ("torn.png", b"\x89PNG\r\n", "torn.png"),
            ("torn.exr", b"v/1\x01", "torn.exr"),
        ):
            refused = self.bring(name, data)
            self.assertIn(refused.status_code, (400, 422), refused.json)
            self.assertIn(words, refused.json["detail"])
        stray = self.client.post(
            f"{self.address}/picture",
            json={"region": REGION, "out_width": 8, "out_height": 8, "picture": "../escala.db"},
        )
        self.assertEqual(stray.status_code, 422)

    def test_numbers_of_light_and_of_data(self) -> None:
        region = {"x": 4, "y": 3, "width": 5, "height": 2}
        told = self.client.post(f"{self.address}/values", json={"pass_name": "Z", "region": region}).json["channels"]
        np.testing.assert_allclose(told[0], self.depth[3:5, 4:9], rtol=1e-6)
        self.assertEqual(len(self.client.post(f"{self.address}/values", json={"region": region}).json["channels"]), 3)
        few = {"pass_name": "Z", "region": REGION, "out_width": 4, "out_height": 2}
        spread = self.client.post(f"{self.address}/values", json=few).json
        self.assertEqual(np.shape(spread["channels"]), (1, 2, 4))
        self.assertTrue(np.isin(np.float32(spread["channels"][0]), self.depth).all())
        self.assertEqual(spread["region"], REGION)
        wide = {"x": 0, "y": 0, "width": 5000, "height": 5000}
        refused = self.client.post(f"{self.address}/values", json={"region": wide})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("4096 pixels", refused.json["detail"])

    def test_what_is_not_a_number_is_reported_as_none(self) -> None:
        hole = KEY.copy()
        hole[:, 0, 0] = np.nan
        write_layers(self.media / "nan.exr", {"": hole})
        variant = self.variant_of(self.open("nan.exr")["result"]["shot_id"])
        body = {"region": {"x": 0, "y": 0, "width": 2, "height": 1}}
        answer = self.client.post(f"/api/variants/{variant['id']}/values", json=body)
        told = json.loads(answer.data)["channels"]
        self.assertEqual([plane[0][0] for plane in told], [None] * 3)
        self.assertIsNotNone(told[0][0][1])

    def test_scopes_of_parts_and_objects(self) -> None:
        for wish in ({"kind": "chromaticity"}, {"kind": "histogram", "scale": "display"}, {"region": REGION}):
            answer = self.client.post(f"{self.address}/scope", json={"columns": 90, "rows": 60, **wish})
            self.assertEqual((answer.status_code, answer.mimetype), (200, "image/png"))
        self.assertEqual(self.client.get(f"{self.address}/mattes/layers").json, {"layers": []})
        refused = self.client.post(f"{self.address}/scope", json={"object_name": "hull"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("No object is named 'hull'", refused.json["detail"])

    def test_the_probe_reports_hue_and_passes(self) -> None:
        probe = self.client.post(f"{self.address}/probe", json={"x": 3, "y": 4}).json["probe"]
        self.assertEqual({part["name"] for part in probe["passes"]}, {"key", "fill"})
        self.assertAlmostEqual(sum(part["share"] for part in probe["passes"]), 1, places=5)
        self.assertTrue(0 <= probe["hue"] < 360)


class RegionTest(SourceApiTest):
    def test_a_picture_says_which_part_it_shows(self) -> None:
        write_layers(self.media / "grid.exr", {"": light(1, 96, 128), "lg_key": light(1, 96, 128)})
        shot = self.open("grid.exr")["result"]["shot_id"]
        variant = self.variant_of(shot)["id"]
        region = {"x": 5, "y": 3, "width": 64, "height": 64}
        body = {"region": region, "out_width": 16, "out_height": 16}
        answer = self.client.post(f"/api/variants/{variant}/picture", json=body)
        self.assertEqual(answer.headers["X-Region"], "4 0 68 68")
        picture = cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)
        self.assertEqual(picture.shape, (17, 17, 3))
        full = self.client.post(f"/api/variants/{variant}/picture", json=body | {"out_width": 64, "out_height": 64})
        self.assertEqual(full.headers["X-Region"], "5 3 64 64")

    def test_a_pass_is_shown_in_the_colour_of_the_variant(self) -> None:
        write_layers(self.media / "grid.exr", {"": light(1), "lg_key": light(1)})
        shot = self.open("grid.exr")["result"]["shot_id"]
        variant = self.variant_of(shot)
        address = f"/api/shots/{shot}/pass?name=lg_key&width=32&variant={variant['id']}"
        before = self.client.get(address)
        self.change(variant, "/display", {"display": "sRGB - Display", "view": "Raw"})
        after = self.client.get(address, headers={"If-None-Match": before.headers["ETag"]})
        self.assertEqual(after.status_code, 200)
        self.assertNotEqual(after.data, before.data)
        again = self.client.get(address, headers={"If-None-Match": after.headers["ETag"]})
        self.assertEqual(again.status_code, 304)
