"""Moods over the API: what differs, taken over by an edit; a balance on other shots with a report."""

import numpy as np

from escala.database.shots import find_variant
from escala.web.app_context import APP_CONTEXT
from tests.engine.fixture_shot import grid_passes, one_axis_passes
from tests.fixtures import write_layers
from tests.web.test_source_api import SourceApiTest


class MoodsApiTest(SourceApiTest):
    def setUp(self) -> None:
        super().setUp()
        write_layers(self.media / "one.exr", grid_passes(24, 32), np.float32)
        write_layers(self.media / "two.exr", one_axis_passes(), np.float32)
        self.shots = [self.open(name)["result"]["shot_id"] for name in ("one.exr", "two.exr")]
        self.variant = self.variant_of(self.shots[0])
        self.address = f"/api/variants/{self.variant['id']}"

    def named(self, name: str, document: dict) -> dict:
        body = {"name": name, "document": document}
        return self.client.post(f"/api/shots/{self.shots[0]}/variants", json=body).json

    def test_differences_are_taken_over_one_by_one(self) -> None:
        self.named("Warm", {"balance": {"lights": {"key": {"kelvin": 3200}}}, "lens": {"glow": {"on": True}}})
        plain, warm = self.client.get(f"{self.address}/moods").json["moods"]
        self.assertEqual((plain["differences"], warm["name"], warm["changed"]), ([], "Warm", None))
        self.assertEqual([each["words"] for each in warm["differences"]], ["Key 3200 K", "glow 0.2"])
        edit = {"base": self.variant["head"], "patch": warm["differences"][0]["patch"], "label": "taken over"}
        self.client.post(f"{self.address}/edits", json=edit)
        plain, warm = self.client.get(f"{self.address}/moods").json["moods"]
        self.assertEqual([each["words"] for each in warm["differences"]], ["glow 0.2"])
        self.assertIsNotNone(plain["changed"])

    def test_a_variant_that_cannot_be_read_hides_no_other(self) -> None:
        broken = self.named("Broken", {})
        context = self.client.application.extensions[APP_CONTEXT]
        with context.database.writing() as session:
            find_variant(session, broken["id"]).document = {"balance": 4}
        names = [mood["name"] for mood in self.client.get(f"{self.address}/moods").json["moods"]]
        self.assertEqual(names, [self.variant["name"]])

    def test_a_balance_goes_to_another_shot_as_a_new_variant(self) -> None:
        made = self.named("Night", {"balance": {"lights": {"key": {"stops": -2}, "gone": {"stops": 1}}}})
        address = f"/api/variants/{made['id']}/balance"
        report = self.client.post(f"{address}/apply", json={"shots": [self.shots[1]]}).json["reports"][0]
        self.assertEqual((report["matched"], report["waiting"], report["shot"]), (["key"], ["gone"], self.shots[1]))
        again = self.client.post(f"{address}/apply", json={"shots": [self.shots[1]]}).json["reports"][0]
        variants = self.client.get(f"/api/shots/{self.shots[1]}").json["variants"]
        self.assertEqual([each["name"] for each in variants][-2:], ["Night", "Night 2"])
        self.assertNotEqual(again["variant"], report["variant"])
        document = self.client.get(f"/api/variants/{report['variant']}").json["document"]
        self.assertEqual(document["balance"]["lights"]["key"]["stops"], -2)
        preset = self.client.get(address).json
        self.assertEqual((preset["escala"], preset["lights"]["key"]["stops"]), ("balance", -2))
        self.assertEqual(self.client.post(f"{address}/apply", json={"shots": [999]}).status_code, 404)

    def kept(self, name: str = "Night") -> None:
        """A preset of the levels of a variant with curves."""
        levels = {"key": {"stops": -2}, "gone": {"stops": 1}}
        curve = {"kind": "flicker", "amount": 0.2, "rate": 8}
        made = self.named(
            f"{name} source", {"balance": {"lights": levels}, "curves": {"balance/lights/key/stops": curve}}
        )
        answer = self.client.put("/api/balance-presets", json={"name": name, "variant": made["id"]})
        self.assertEqual((answer.status_code, answer.json["levels"]), (200, ["key", "gone"]))

    def test_a_preset_is_planned_for_a_variant_as_an_edit_that_keeps_all_else(self) -> None:
        self.kept()
        curves = {"balance/lights/key/kelvin": {"kind": "ramp", "from": 5000, "to": 6000, "start": 1, "end": 2}}
        levels = {"key": {"kelvin": 5000}, "fill": {"stops": 3}}
        other = self.named("Day", {"balance": {"lights": levels}, "curves": curves, "lens": {"glow": {"on": True}}})
        plan = self.client.post("/api/balance-presets/plan", json={"name": "Night", "variant": other["id"]}).json
        self.assertEqual((plan["matched"], plan["waiting"]), (["key"], ["gone"]))
        self.assertIn("fill", plan["untouched"])
        edit = {"base": 0, "patch": plan["patch"], "label": "Preset Night"}
        document = self.client.post(f"/api/variants/{other['id']}/edits", json=edit).json["document"]
        lights = document["balance"]["lights"]
        self.assertEqual([lights[name]["stops"] for name in ("key", "gone", "fill")], [-2, 1, 3])
        self.assertEqual((lights["key"]["kelvin"], list(document["curves"])), (6500, ["balance/lights/key/stops"]))
        self.assertTrue(document["lens"]["glow"]["on"])
        again = self.client.post("/api/balance-presets/plan", json={"name": "Night", "variant": other["id"]}).json
        self.assertEqual(again["patch"], [])

    def test_presets_are_listed_replaced_saved_opened_and_removed(self) -> None:
        self.kept("Night")
        self.kept("Night")
        file = self.client.get("/api/balance-presets/file?name=Night")
        self.assertIn("night_balance.json", file.headers["Content-Disposition"])
        opened = {"name": "Night two", "preset": file.json}
        self.assertEqual(self.client.put("/api/balance-presets", json=opened).status_code, 200)
        listed = self.client.get("/api/balance-presets").json["presets"]
        self.assertEqual(
            [(each["name"], each["levels"]) for each in listed], [(n, ["key", "gone"]) for n in ("Night", "Night two")]
        )
        body = {"shots": [self.shots[1]], "preset": "Night two"}
        report = self.client.post(f"{self.address}/balance/apply", json=body).json["reports"][0]
        made = self.client.get(f"/api/variants/{report['variant']}").json
        self.assertEqual((made["name"], made["document"]["balance"]["lights"]["key"]["stops"]), ("Night two", -2))
        self.assertEqual(self.client.delete("/api/balance-presets?name=Night").status_code, 204)
        for answer in (
            self.client.delete("/api/balance-presets?name=Night"),
            self.client.get("/api/balance-presets/file?name=Night"),
            self.client.post("/api/balance-presets/plan", json={"name": "Night", "variant": made["id"]}),
            self.client.post(f"{self.address}/balance/apply", json={"shots": [self.shots[1]], "preset": "Night"}),
        ):
            self.assertEqual(answer.status_code, 404)
        for body in ({"name": "x"}, {"name": "x", "variant": 1, "preset": file.json}, {"name": "", "variant": 1},
                     {"name": "x", "preset": {"escala": "delivery"}}, {"name": "x", "preset": {"escala": "balance"}},
                     {"name": "x", "variant": self.variant["id"]}):  # fmt: skip
            self.assertEqual(self.client.put("/api/balance-presets", json=body).status_code, 422)

    def test_presets_that_fit_no_document_or_are_too_large_are_refused(self) -> None:
        ramp = {"kind": "ramp", "from": 1, "to": 2, "start": 1, "end": 2}
        for facts, words in (
            ({"lights": {"key": {"stops": 1}}, "curves": {"balance/lights/key/nothing": ramp}}, "neither a number nor"),
            ({"lights": {f"light {n:060}": {} for n in range(40_000)}}, "million characters"),
            ({"lights": {"key": {"stops": 1e9}}}, "less than"),
        ):
            body = {"name": "Odd", "preset": {"escala": "balance", **facts}}
            answer = self.client.put("/api/balance-presets", json=body)
            self.assertEqual(answer.status_code, 422, words)
            self.assertIn(words, answer.json["detail"])
        self.assertEqual(self.client.get("/api/balance-presets").json["presets"], [])


class LightNamesTest(SourceApiTest):
    def test_names_of_lights_are_kept_with_the_shot_and_enter_no_document(self) -> None:
        write_layers(self.media / "named.exr", grid_passes(24, 32), np.float32)
        shot = self.open("named.exr")["result"]["shot_id"]
        address = f"/api/shots/{shot}"
        self.assertEqual(self.client.get(address).json["light_names"], {})
        self.assertEqual(
            self.client.put(address, json={"light_names": {"key": " Window ", "fill": "Bounce"}}).status_code, 204
        )
        self.client.put(address, json={"light_names": {"fill": ""}})
        found = self.client.get(address).json
        self.assertEqual((found["light_names"], found["lights"]), ({"key": "Window"}, found["lights"]))
        self.assertIn("key", found["lights"])
        file = self.client.get(f"/api/variants/{found['variants'][0]['id']}/file").get_data(as_text=True)
        self.assertNotIn("Window", file)
