"""Mattes over the API: the shelf, names under the pointer, outlines, pictures of mattes, edits that need them."""

import json

import cv2
import numpy as np

from escala.core.mattes.cryptomatte import encode_ranks, layer_key, name_to_id_bits
from tests.fixtures import add_up, light, write_layers
from tests.web.test_source_api import SourceApiTest

KEY, FILL = light(1), light(2)
REGION = {"x": 0, "y": 0, "width": 32, "height": 24}


class MatteApiTest(SourceApiTest):
    def setUp(self) -> None:
        super().setUp()
        self.cover = np.zeros((24, 32), np.float32)
        self.cover[4:12, 6:18] = 1
        ids = {name_to_id_bits("hull"): self.cover, name_to_id_bits("sea"): 1 - self.cover}
        planes = {f"Obj00.{letter}": plane for letter, plane in zip("RGBA", encode_ranks(ids, 2), strict=True)}
        key = f"cryptomatte/{layer_key('Obj')}"
        manifest = json.dumps({name: f"{name_to_id_bits(name):08x}" for name in ("hull", "sea")})
        header = {f"{key}/name": "Obj", f"{key}/hash": "MurmurHash3_32", f"{key}/manifest": manifest}
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, **planes}
        write_layers(self.media / "crypto.exr", passes, np.float32, **header)
        variant = self.variant_of(self.open("crypto.exr")["result"]["shot_id"])
        self.variant = self.change(variant, "/mattes/the hull", {"kind": "object", "names": ["hull"]})
        self.address = f"/api/variants/{variant['id']}/mattes"

    def test_the_list_of_mattes_reports_what_each_covers_and_limits(self) -> None:
        self.change(self.variant, "/balance/lights/key", {"stops": 1, "matte": "the hull"})
        lost = [
            {"op": "add", "path": "/mattes/gone", "value": {"kind": "object", "names": ["ghost"]}},
            {"op": "add", "path": "/mattes/both", "value": {"kind": "join", "how": "any", "of": ["the hull", "gone"]}},
        ]
        shelf = self.client.post(self.address, json={"patch": lost}).json["shelf"]
        told = {matte["name"]: matte for matte in shelf["mattes"]}
        self.assertEqual(list(told), ["both", "gone", "the hull"])
        self.assertAlmostEqual(told["the hull"]["share"], 96 / 768, places=3)
        self.assertEqual(told["the hull"]["uses"], ["balance/lights/key/matte"])
        self.assertEqual((told["the hull"]["joined_in"], told["gone"]["waits"]), (["both"], ["ghost"]))
        sheet = self.client.post(f"{self.address}/sheet", json={})
        picture = cv2.imdecode(np.frombuffer(sheet.data, np.uint8), cv2.IMREAD_GRAYSCALE)
        self.assertGreater(picture[8, 12], 240)
        self.assertLess(picture[20, 28], 15)

    def test_what_lies_under_the_pointer(self) -> None:
        point = self.client.post(f"{self.address}/pick", json={"x": 8, "y": 6}).json
        self.assertEqual([(f["name"], f["layer"], f["coverage"]) for f in point["found"]], [("hull", "Obj", 1.0)])
        outline = np.array(point["outline"][0])
        self.assertEqual((outline.min(axis=0).tolist(), outline.max(axis=0).tolist()), ([6.5, 4.5], [17.5, 11.5]))
        many = self.client.post(f"{self.address}/pick", json={"x": 2, "y": 4, "width": 8, "height": 8}).json
        self.assertEqual({f["name"]: f["coverage"] for f in many["found"]}, {"hull": 0.5, "sea": 0.5})
        none = self.client.post(f"{self.address}/pick", json={"x": 8, "y": 6, "layer": "none"}).json
        self.assertEqual(none, {"found": [], "outline": []})
        layers = self.client.get(f"{self.address}/layers").json["layers"]
        self.assertEqual(layers, [{"name": "Obj", "names": ["hull", "sea"], "missing": 0.0}])

    def test_outlines_and_pictures_of_a_matte(self) -> None:
        outline = self.client.post(f"{self.address}/outline", json={"name": "the hull"}).json["outline"]
        self.assertEqual(len(outline), 1)
        body = {"region": REGION, "out_width": 32, "out_height": 24, "live": False}
        shown = {}
        for how in ("alone", "hatched"):
            answer = self.client.post(
                self.address.replace("/mattes", "/picture"),
                json={**body, "aids": {"matte": "the hull", "matte_as": how}},
            )
            shown[how] = cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)
        np.testing.assert_array_equal(shown["alone"][:, :, 0], self.cover * 255)
        plain = self.client.post(self.address.replace("/mattes", "/picture"), json=body)
        before = cv2.imdecode(np.frombuffer(plain.data, np.uint8), cv2.IMREAD_COLOR)
        changed = (shown["hatched"] != before).any(axis=2)
        self.assertTrue(changed[4:12, 6:18].any() and not changed[self.cover == 0].any())

    def test_what_is_not_there_is_refused(self) -> None:
        self.assertIn(
            "No matte is named", self.client.post(f"{self.address}/outline", json={"name": "q"}).json["detail"]
        )
        patch = [{"op": "remove", "path": "/mattes/the hull"}]
        limited = self.change(self.variant, "/balance/lights/key", {"stops": 1, "matte": "the hull"})
        body = {"base": limited["head"], "patch": patch, "label": "gone"}
        refused = self.client.post(f"/api/variants/{limited['id']}/edits", json=body)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("balance/lights/key/matte: this document has no matte 'the hull'", refused.json["detail"])
        together = [{"op": "replace", "path": "/balance/lights/key/matte", "value": None}, *patch]
        kept = self.client.post(f"/api/variants/{limited['id']}/edits", json={**body, "patch": together})
        self.assertEqual((kept.status_code, kept.json["document"]["mattes"]), (200, {}))

    def test_pictures_of_labels_lie_below_the_roots(self) -> None:
        label = {"kind": "label", "pictures": ["/etc/hostname"]}
        body = {"base": self.variant["head"], "patch": [{"op": "add", "path": "/surface/changes/-", "value": label}]}
        refused = self.client.post(f"/api/variants/{self.variant['id']}/edits", json=body)
        self.assertEqual((refused.status_code, refused.json["title"]), (422, "Outside roots"))
        label["pictures"] = [str(self.media / "gone.png")]
        self.assertEqual(self.client.post(f"/api/variants/{self.variant['id']}/edits", json=body).status_code, 200)
