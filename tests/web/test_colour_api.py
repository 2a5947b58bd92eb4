import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np

from escala.core.colour.config import View
from escala.media.configs import BUILTIN_CONFIGS, colour_config
from tests.fixture_config import CONFIG, write_config
from tests.fixtures import add_up, light, write_layers
from tests.web.test_source_api import SourceApiTest

KEY, FILL = light(1, top=1), light(2, top=1)


class ColourApiTest(SourceApiTest):
    def bring(self, name: str, files: dict[str, bytes]) -> Any:
        for path, data in files.items():
            answer = self.client.put(f"/api/configs/{name}/files?path={path}", data=data)
            self.assertEqual(answer.status_code, 200, answer.json)
        return self.client.post(f"/api/configs/{name}")

    def own_files(self) -> dict[str, bytes]:
        folder = self.folder / "made"
        write_config(folder)
        return {str(f.relative_to(folder)): f.read_bytes() for f in folder.rglob("*.*")}

    def opened(self) -> dict[str, Any]:
        write_layers(self.media / "col.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        return self.variant_of(self.open("col.exr")["result"]["shot_id"])

    def test_a_config_is_imported_as_a_folder_and_shows_the_picture(self) -> None:
        made = self.bring("quay", self.own_files())
        self.assertEqual(made.status_code, 201, made.json)
        source = made.json["source"]
        self.assertEqual(made.json["faults"], [])
        offer = self.client.get("/api/colour", query_string={"config": source}).json
        self.assertEqual(offer["looks"], ["Dusk", "Dawn"])
        self.assertEqual(offer["variables"], {"MOOD": "day"})
        self.assertIn(source, [config["source"] for config in offer["configs"]])
        variant = self.change(self.opened(), "/colour", {"config": source, "input_space": "Quay Linear"})
        variant = self.change(variant, "/display", {"display": "Bridge", "view": "Print", "look": ""})
        self.assertEqual(variant["chain"], ["Quay Linear file", "Quay Linear", "Print", "Bridge"])
        probe = self.client.post(f"/api/variants/{variant['id']}/probe", json={"x": 5, "y": 5}).json["probe"]
        shown = colour_config(source).display(add_up(KEY, FILL), "Quay Linear", View("Bridge", "Print", ""))
        np.testing.assert_allclose(probe["display"], shown[:, 5, 5] * 255, atol=1e-3)

    def test_a_config_is_imported_as_an_archive_and_never_replaces_another(self) -> None:
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            for name, data in self.own_files().items():
                archive.writestr(f"studio/{name}", data)
        first = self.bring("harbour", {"harbour.ocioz": packed.getvalue()}).json
        second = self.bring("harbour", {"harbour.zip": packed.getvalue()}).json
        self.assertEqual((first["title"], second["title"]), ("harbour", "harbour-2"))

    def test_files_of_a_broken_off_upload_get_into_no_later_one(self) -> None:
        lost = self.client.put("/api/configs/mixed/files?batch=one&path=other.ocio", data=b"not a config")
        self.assertEqual(lost.status_code, 200)
        for path, data in self.own_files().items():
            self.client.put(f"/api/configs/mixed/files?batch=two&path={path}", data=data)
        made = self.client.post("/api/configs/mixed?batch=two")
        self.assertEqual((made.status_code, made.json["faults"]), (201, []), made.json)
        self.assertFalse((Path(made.json["source"]).parent / "other.ocio").exists())
        sly = self.client.put("/api/configs/mixed/files?batch=../../x&path=a.cube", data=b"")
        self.assertEqual(sly.status_code, 422)

    def test_what_fails_in_a_config_is_reported_with_its_place(self) -> None:
        files = self.own_files()
        del files["tables/print.cube"]
        made = self.bring("torn", files).json
        self.assertTrue(any("print.cube" in fault and "Bridge" in fault for fault in made["faults"]))
        broken = self.bring("broken", {"config.ocio": CONFIG.replace("displays:", "displays: [").encode()})
        self.assertEqual(broken.status_code, 422, broken.json)
        self.assertIn("line", broken.json["detail"])
        offer = self.client.get("/api/colour").json
        self.assertNotIn("broken", [config["title"] for config in offer["configs"]])

    def test_a_config_reaches_no_file_outside_the_roots(self) -> None:
        outside = self.folder / "secret"
        write_config(outside)
        table = outside / "tables" / "print.cube"
        sly = CONFIG.replace("src: print.cube", f"src: {table}")
        made = self.bring("sly", {**self.own_files(), "config.ocio": sly.encode()})
        self.assertEqual(made.status_code, 422, made.json)
        self.assertIn("outside the media roots", made.json["detail"])
        self.assertEqual(self.client.put("/api/configs/x/files?path=../y.cube", data=b"").status_code, 422)
        config = str(outside / "config.ocio")
        titles = [entry["title"] for entry in self.client.get("/api/colour").json["configs"]]
        self.assertNotIn("sly", titles)
        self.assertEqual(self.client.get("/api/colour", query_string={"config": config}).status_code, 422)

    def test_every_file_may_be_read_in_a_space_of_its_own(self) -> None:
        folder = self.media / "apart"
        folder.mkdir()
        write_layers(folder / "sea.beauty.exr", {"": add_up(KEY, FILL)})
        write_layers(folder / "sea.lg_key.exr", {"": KEY})
        write_layers(folder / "sea.lg_fill.exr", {"": FILL})
        variant = self.variant_of(self.open("apart")["result"]["shot_id"])
        self.assertEqual({entry["space"] for entry in variant["inputs"]}, {"Linear Rec.709 (sRGB)"})
        variant = self.change(variant, "/colour/file_spaces", {"sea.lg_key.exr": "ACEScg"})
        spaces = {entry["file"]: entry["space"] for entry in variant["inputs"]}
        self.assertEqual(spaces["sea.lg_key.exr"], "ACEScg")
        self.assertEqual(spaces["sea.beauty.exr"], "Linear Rec.709 (sRGB)")
        self.assertIn("other files", variant["chain"][0])
        warned = self.client.get(f"/api/variants/{variant['id']}/colour-warnings").json["warnings"]
        self.assertEqual(warned, [])

    def test_warnings_carry_their_evidence(self) -> None:
        variant = self.change(self.opened(), "/display", {"display": "sRGB - Display", "view": "Raw"})
        (warning,) = self.client.get(f"/api/variants/{variant['id']}/colour-warnings").json["warnings"]
        self.assertEqual(warning["code"], "raw_view")
        working = colour_config("ACES 2").convert(add_up(KEY, FILL), "Linear Rec.709 (sRGB)", "ACEScg")
        self.assertAlmostEqual(warning["share"], float((working.max(axis=0) > 1).mean()), places=6)

    def test_colour_decisions_are_written_and_read_again(self) -> None:
        write_layers(self.media / "cdl.exr", {"": light(1), "lg_key": light(1)})
        variant = self.variant_of(self.open("cdl.exr")["result"]["shot_id"])
        address = f"/api/variants/{variant['id']}/cdl"
        self.assertIn("There is no CDL", self.client.get(address).json["detail"])
        corrections = [
            {"kind": "cdl", "id": "warm", "slope": [1.2, 1, 0.8], "offset": [0.01, 0, -0.02], "saturation": 0.7},
            {"kind": "exposure", "stops": 1}, {"kind": "cdl", "id": "late", "power": [1, 1.1, 1]},
        ]  # fmt: skip
        self.change(variant, "/finish/corrections", corrections)
        for kind, count in (("cc", 1), ("ccc", 2), ("cdl", 2)):
            answer = self.client.get(f"{address}?format={kind}")
            self.assertEqual(answer.data.count(b"<ColorCorrection "), count)
            self.assertIn(f".{kind}", answer.headers["Content-Disposition"])
            read = self.client.post(f"/api/cdl?name=a.{kind}", data=answer.data).json
            self.assertEqual((read["slope"], read["saturation"]), ([1.2, 1.0, 0.8], 0.7))

    def test_all_builtin_configs_are_offered(self) -> None:
        offer = self.client.get("/api/colour?config=Soft").json
        self.assertEqual([config["source"] for config in offer["configs"]][:3], list(BUILTIN_CONFIGS))
        self.assertEqual(offer["view"], "Soft")
