"""Variants as files."""

import contextlib
import json
import shlex
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from escala.cli import main
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import read_colour, write_layers
from tests.web.test_api import ApiTest


class VariantFileTest(ApiTest):
    """A variant saved as the file that the command line takes, and opened again as a new one."""

    def setUp(self) -> None:
        super().setUp()
        self.variant = self.open_grid()
        self.shot = self.client.get(f"/api/variants/{self.variant}").json["shot_id"]

    def opened(self, document: Any, name: str = "again") -> Any:
        body = {"name": name, "document": document}
        return self.client.post(f"/api/shots/{self.shot}/variants", json=body)

    def test_saved_and_opened_it_is_the_same(self) -> None:
        self.edit(self.variant, 0, -1.5)
        answer = self.client.get(f"/api/variants/{self.variant}/file")
        self.assertIn("filename*=UTF-8''variant_1.json", answer.headers["Content-Disposition"])
        document = json.loads(answer.data)
        self.assertEqual(document["balance"]["lights"]["key"]["stops"], -1.5)
        made = self.opened(document)
        self.assertEqual((made.status_code, made.json["document"]), (201, document))
        self.assertEqual(made.json["name"], "again")
        report = self.client.get(f"/api/variants/{made.json['id']}/check").json
        self.assertEqual(report, {"waiting": [], "missing_files": []})

    def test_what_waits_and_what_is_missing_is_reported(self) -> None:
        gone = str(self.media / "gone.png")
        layers = [{"kind": "picture", "path": gone}, {"id": "r", "kind": "render", "render": "ropes"}]
        made = self.opened({"balance": {"lights": {"sun": {"stops": 1}}}, "plate": {"layers": layers}}).json
        report = self.client.get(f"/api/variants/{made['id']}/check").json
        waiting = [{"place": "balance/lights/sun", "name": "sun"}, {"place": "plate/layers/r/render", "name": "ropes"}]
        self.assertEqual(report, {"waiting": waiting, "missing_files": [gone]})

    def test_what_is_no_variant_is_refused_in_a_sentence(self) -> None:
        outside = self.folder / "secret.png"
        cv2.imwrite(str(outside), np.zeros((4, 4, 3), np.uint8))
        for document, words in (
            ({"balance": {"lights": {"key": {"stops": 99}}}}, "less than or equal to 16"),
            ({"nothing": 1}, "Extra inputs"),
            ({"plate": {"layers": [{"kind": "picture", "path": str(outside)}]}}, "outside the media roots"),
            ([], "valid"),
        ):
            with self.subTest(words=words):
                answer = self.opened(document)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, answer.json["detail"])

    def test_the_line_that_writes_the_image(self) -> None:
        near = write_layers(self.media / "near.exr", grid_passes())
        job = self.client.post(f"/api/shots/{self.shot}/renders", json={"sources": [str(near)], "name": "the ropes"})
        self.finished(job.json)
        found = self.client.get(f"/api/variants/{self.variant}/command").json
        line = f"escala render {self.media}/grid.exr --variant variant_1.json --render 'the ropes={near}'"
        self.assertEqual(found, {"line": f"{line} --out variant_1.exr", "file": "variant_1.json"})

    def test_the_line_runs_from_the_saved_file(self) -> None:
        own = grid_passes()[""]
        parts = {"near/beauty": {"": own}, "near/lg_key": {"": own}}
        (self.media / "near").mkdir()
        files = [write_layers(self.media / f"{name}.exr", passes) for name, passes in parts.items()]
        body = {"sources": [str(file) for file in files], "name": "ropes"}
        self.finished(self.client.post(f"/api/shots/{self.shot}/renders", json=body).json)
        layers = [{"kind": "cg"}, {"kind": "render", "render": "ropes", "operator": "add"}]
        document = {"plate": {"layers": layers}, "balance": {"lights": {"key": {"stops": 2}}}}
        answer = self.opened(document)
        self.assertEqual(answer.status_code, 201, answer.json)
        made = answer.json["id"]
        found = self.client.get(f"/api/variants/{made}/command").json
        (self.folder / found["file"]).write_bytes(self.client.get(f"/api/variants/{made}/file").data)
        with contextlib.chdir(self.folder):
            main(shlex.split(found["line"])[1:])
            self.assertTrue(Path("again.exr").is_file())
            main(["render", str(self.media / "grid.exr"), "--out", "plain.exr"])
        written, plain = (read_colour(self.folder / name) for name in ("again.exr", "plain.exr"))
        self.assertGreater(float(np.mean(written)), 1.1 * float(np.mean(plain)))
