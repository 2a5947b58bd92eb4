"""What strangers, accidents and other pages may ask of the API: answered in a sentence, and nothing is lost by it."""

import json
import os
import threading
from pathlib import Path
from typing import Any
from unittest import mock

import cv2
import numpy as np

from escala.database.deliveries import begin_delivery
from escala.media.atomic_write import unfinished
from escala.web.app_context import APP_CONTEXT
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import EXR_FILE, PNG_FILE, add_up, light, write_layers
from tests.web.test_api import WHOLE, ApiTest

KEY, FILL = light(1, 48, 64), light(2, 48, 64)


class HostileTest(ApiTest):
    def open_file(self, name: str, passes: dict[str, np.ndarray]) -> int:
        write_layers(self.media / name, passes)
        job = self.finished(self.client.post("/api/shots", json={"sources": [name]}).get_json())
        self.assertEqual(job["state"], "done", job)
        shot = self.client.get(f"/api/shots/{job['result']['shot_id']}").get_json()
        return int(shot["variants"][0]["id"])

    def change(self, variant: int, base: int, *steps: tuple[str, str, Any]) -> Any:
        patch = [{"op": op, "path": path, "value": value} for op, path, value in steps]
        return self.client.post(f"/api/variants/{variant}/edits", json={"base": base, "patch": patch, "label": "x"})

    def post(self, address: str, data: str | bytes) -> Any:
        """Send a text that says of itself that it is JSON."""
        return self.client.post(address, data=data, content_type="application/json")

    def told(self, answer: Any, status: int = 422) -> str:
        """The sentence of a problem."""
        self.assertEqual((answer.status_code, answer.mimetype), (status, "application/problem+json"), answer.data)
        sentence = answer.get_json()["detail"]
        self.assertTrue(sentence and sentence.isprintable(), sentence)
        return str(sentence)


class WrongRolesTest(HostileTest):
    """Two channels as a colour, other channels as the beauty: these ended the process."""

    def setUp(self) -> None:
        super().setUp()
        self.variant = self.open_file("uv.exr", {"": add_up(KEY, FILL), "diffuse": KEY, "lg_key": KEY, "lg_fill": FILL})
        self.two = self.open_two()

    def open_two(self) -> int:
        channels = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "uv.U": KEY[0], "uv.V": KEY[1]}
        return self.open_file("two.exr", channels)

    def test_a_role_that_the_channels_cannot_hold_is_refused(self) -> None:
        passes = self.client.get(f"/api/variants/{self.two}").json["reading"]["passes"]
        (two,) = [p["name"] for p in passes if len(p["channels"]) == 2]
        for role in ("beauty", "component", "light_group", "light_component", "normal", "position"):
            reading = {"role": role, "component": "diffuse", "part": "colour", "light": "key"}
            answer = self.change(self.two, 0, ("add", f"/source/roles/{two}", reading))
            self.assertIn("2 channels: it cannot be", self.told(answer))
        added = self.change(self.two, 0, ("replace", "/tally/added", [two]))
        self.assertIn("two channels", self.told(added))
        self.assertEqual(self.client.get(f"/api/variants/{self.two}").json["head"], 0)

    def test_a_newer_render_with_fewer_channels_can_be_opened_undone_and_mended(self) -> None:
        made = self.change(self.variant, 0, ("add", "/source/roles/diffuse", {"role": "normal"}))
        self.assertEqual(made.status_code, 200, made.json)
        shot = made.json["shot_id"]
        channels = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "diffuse.U": KEY[0], "diffuse.V": KEY[1]}
        write_layers(self.media / "newer.exr", channels)
        job = self.client.put(f"/api/shots/{shot}/render", json={"sources": ["newer.exr"]}).get_json()
        self.assertEqual(self.finished(job)["state"], "done")
        state = self.client.get(f"/api/variants/{self.variant}")
        self.assertEqual(state.status_code, 200)
        self.assertIn("cannot be normal", state.json["trouble"])
        picture = self.client.post(f"/api/variants/{self.variant}/picture", json=WHOLE)
        self.assertIn("cannot be normal", self.told(picture))
        again = self.application().test_client()
        self.assertIn("cannot be normal", again.get(f"/api/variants/{self.variant}").json["trouble"])
        mended = self.change(self.variant, 1, ("remove", "/source/roles/diffuse", None))
        self.assertEqual((mended.status_code, mended.json["trouble"]), (200, None))
        self.assertEqual(self.client.post(f"/api/variants/{self.variant}/picture", json=WHOLE).status_code, 200)
        undone = self.step(self.variant, "undo")
        self.assertIn("cannot be normal", undone.json["trouble"])
        self.assertIsNone(self.step(self.variant, "undo").json["trouble"])

    def test_a_lut_that_is_gone_can_be_taken_out(self) -> None:
        lut = self.media / "warm.cube"
        lut.write_text("LUT_1D_SIZE 2\n0 0 0\n1 1 1\n")
        made = self.change(self.variant, 0, ("add", "/finish/corrections/-", {"kind": "lut", "path": "warm.cube"}))
        self.assertEqual(made.status_code, 200, made.json)
        self.assertEqual(self.client.post(f"/api/variants/{self.variant}/picture", json=WHOLE).status_code, 200)
        lut.unlink()
        self.assertIn("no such file", self.client.get(f"/api/variants/{self.variant}").json["trouble"])
        elsewhere = self.change(self.variant, 1, ("add", "/balance/lights/key", {"stops": 1}))
        self.assertEqual(elsewhere.status_code, 200, elsewhere.json)
        mended = self.change(self.variant, 2, ("remove", "/finish/corrections/0", None))
        self.assertIsNone(mended.json["trouble"])


class PathsTest(HostileTest):
    def test_nothing_but_deliveries_comes_from_their_address(self) -> None:
        missing = self.client.get("/api/deliveries/none/none.exr")
        inside = self.settings.deliveries / "some"
        inside.mkdir()
        (inside / "link.db").symlink_to(self.settings.database)
        ways = ("../escala.db", "..%2Fescala.db", "some/../../escala.db", ".hidden/x", "%2e%2e/escala.db", "some/%00")
        for name in (*ways, "some/link.db"):
            with self.subTest(name=name):
                answer = self.client.get(f"/api/deliveries/{name}")
                self.assertEqual(answer.status_code, 404)
                self.assertNotIn(b"SQLite", answer.data)
        self.assertEqual(missing.status_code, 404)

    def test_a_page_address_reports_nothing_of_the_disk(self) -> None:
        with self.client.get("/no/such/page") as plain:
            expected = plain.status_code, plain.data
        for name in ("/../../etc/passwd", "/..%2f..%2fetc/passwd", "/assets/../index.html", "/%2e%2e/app.py"):
            with self.client.get(name) as answer:
                self.assertEqual((answer.status_code, answer.data), expected, name)

    def test_members_of_folders_and_patterns_that_are_links_are_not_followed(self) -> None:
        outside = write_layers(self.folder / "outside.exr", grid_passes())
        (self.media / "mixed").mkdir()
        write_layers(self.media / "mixed" / "a.0001.exr", grid_passes())
        (self.media / "mixed" / "a.0002.exr").symlink_to(outside)
        for source in ("mixed", "mixed/a.####.exr", "mixed/a.%04d.exr", "mixed/a.@@@@.exr"):
            job = self.finished(self.client.post("/api/shots", json={"sources": [source]}).get_json())
            self.assertEqual(job["state"], "failed", source)
            self.assertIn("a.0002.exr is a link to a place outside", job["error"])

    def test_a_file_that_becomes_a_link_is_not_followed_either(self) -> None:
        outside = write_layers(self.folder / "outside.exr", {"": FILL})
        variant = self.open_file("turned.exr", grid_passes())
        (self.media / "turned.exr").unlink()
        (self.media / "turned.exr").symlink_to(outside)
        again = self.application().test_client()
        answer = again.post(f"/api/variants/{variant}/picture", json=WHOLE)
        self.assertIn("is a link to a place outside", self.told(answer))

    def test_uploads_lie_in_their_own_folder(self) -> None:
        for name in ("..\\..\\x.exr", "a\\b.exr", ".hidden.exr", "c:x.exr", "x\x01.exr", "n" * 300 + ".exr"):
            with self.subTest(name=name):
                for address in ("uploads", "pictures"):
                    self.told(self.client.put(f"/api/{address}/{name}", data=b"x"))
        for path in ("..\\..\\..\\x.cube", "a\\..\\x.ocio", "\\x.cube", ".escala-x/x.cube"):
            with self.subTest(path=path):
                answer = self.client.put("/api/configs/c/files", query_string={"path": path}, data=b"x")
                self.told(answer)
        found = [
            file.name for file in self.folder.rglob("*") if file.is_file() and not file.name.startswith("escala.db")
        ]
        self.assertEqual(found, [])

    def test_odd_names_of_sources_are_reported(self) -> None:
        (self.media / "round").symlink_to(self.media / "round")
        for source in ("a\x00b.exr", "n" * 300 + ".exr", "round", "round/x.exr", "x.@@@@.exr", "", "/", "\ud800.exr"):
            with self.subTest(source=source):
                answer = self.post("/api/shots", json.dumps({"sources": [source]}))
                if answer.status_code == 202:
                    self.assertEqual(self.finished(answer.get_json())["state"], "failed")
                else:
                    self.told(answer)


class RequestsTest(HostileTest):
    def test_two_edits_at_once_one_is_taken_and_one_is_reported(self) -> None:
        variant = self.open_grid()
        for base in range(15):
            gate, found = threading.Barrier(2), []

            def one(stops: float, base: int = base, gate: Any = gate, found: list[int] = found) -> None:
                client = self.app.test_client()
                gate.wait()
                patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": stops}}]
                body = {"base": base, "patch": patch, "label": "key"}
                found.append(client.post(f"/api/variants/{variant}/edits", json=body).status_code)

            threads = [threading.Thread(target=one, args=(1 + base / 10 + side / 100,)) for side in (0, 1)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            self.assertEqual(sorted(found), [200, 409])

    def test_numbers_that_are_none_are_refused_everywhere(self) -> None:
        variant = self.open_grid()
        for value in ("NaN", "Infinity", "-Infinity", "1e39", "1e400"):
            for path, text in (
                ("/balance/lights/key", f'{{"tint": [1, {value}, 1]}}'),
                ("/balance/lights/key", f'{{"multiplier": {value}}}'),
                ("/finish/corrections/-", f'{{"kind": "cdl", "slope": [{value}, 1, 1]}}'),
                ("/finish/corrections/-", f'{{"kind": "cdl", "offset": [{value}, 0, 0]}}'),
                ("/finish/corrections/-", f'{{"kind": "cdl", "power": [1, 1, {value}]}}'),
                ("/tally/factor", f"[{value}, 1, 1]"),
            ):
                with self.subTest(value=value, path=path):
                    patch = f'[{{"op": "add", "path": "{path}", "value": {text}}}]'
                    body = f'{{"base": 0, "patch": {patch}, "label": "x"}}'
                    for address in ("edits", "probe"):
                        data = body if address == "edits" else f'{{"patch": {patch}, "x": 1, "y": 1}}'
                        answer = self.post(f"/api/variants/{variant}/{address}", data)
                        self.assertIn(answer.status_code, (400, 422), answer.data)
        self.assertEqual(self.client.get(f"/api/variants/{variant}").json["head"], 0)

    def test_pixels_that_are_no_numbers_are_null_in_every_answer(self) -> None:
        broken = add_up(KEY, FILL)
        broken[0, 3, 4], broken[1, 3, 4], broken[:, 5, 6] = np.nan, np.inf, -np.inf
        variant = self.open_file("broken.exr", {"": broken, "lg_key": KEY, "lg_fill": FILL})
        patch = [{"op": "add", "path": "/finish/corrections/-", "value": {"kind": "cdl", "slope": [1e12, 1, 1]}}]
        for x, y in ((4, 3), (6, 5), (0, 0)):
            body = {"patch": patch, "x": x, "y": y}
            probe = self.strict(self.client.post(f"/api/variants/{variant}/probe", json=body))["probe"]
            self.assertEqual([v is None for v in probe["linear"]], [x == 4 or x == 6] * 3)
        region = {"x": 0, "y": 0, "width": 12, "height": 12}
        self.strict(self.client.post(f"/api/variants/{variant}/values", json={"region": region}))
        for address in ("tally", "colour-warnings"):
            self.strict(self.client.get(f"/api/variants/{variant}/{address}"))
        self.strict(self.client.post(f"/api/variants/{variant}/board", json={}))
        self.strict(self.client.get(f"/api/variants/{variant}"))

    def strict(self, answer: Any) -> Any:
        self.assertEqual(answer.status_code, 200, answer.data)
        return json.loads(answer.data, parse_constant=lambda constant: self.fail(f"{constant} is no JSON"))

    def test_requests_that_nobody_means(self) -> None:
        variant = self.open_grid()
        deep = "[" * 100_000 + "]" * 100_000
        nested = '{"a":' * 600 + "1" + "}" * 600
        edits = f"/api/variants/{variant}/edits"
        for data in (deep, f'{{"base": 0, "patch": {deep}}}', "{", "nul", '{"base": NaN, "patch": []}', b"\xff", ""):
            answer = self.post(edits, data)
            self.assertIn(answer.status_code, (400, 422), data[:20])
        edit = f'{{"base": 0, "patch": [{{"op": "add", "path": "/recipe", "value": {nested}}}], "label": "x"}}'
        self.told(self.post(edits, edit))
        self.told(self.post(edits, b" " * (5 << 20)), 413)
        for number in (10**19, 2**63, 10**40):
            for address in (f"variants/{number}", f"shots/{number}", f"jobs/{number}"):
                self.assertIn(self.client.get(f"/api/{address}").status_code, (404, 422))
            body = {"name": "x", "copy_of": number}
            self.assertEqual(self.client.post("/api/shots/1/variants", json=body).status_code, 422)
            board = self.client.post(f"/api/variants/{variant}/board", json={"frame": number})
            self.assertEqual(board.status_code, 422)

    def test_a_patch_that_doubles_a_table_over_and_over_is_stopped(self) -> None:
        variant = self.open_grid()
        grow = [{"op": "add", "path": "/balance/lights/a", "value": {"stops": 1}}]
        for step in range(25):
            grow.append({"op": "copy", "from": "/balance/lights", "path": f"/balance/lights/x{step}"})
        answer = self.client.post(f"/api/variants/{variant}/edits", json={"base": 0, "patch": grow, "label": "x"})
        self.assertIn("copies more than 1 million characters", self.told(answer))
        many = [{"op": "test", "path": "/residual", "value": True}] * 1001
        probe = self.client.post(f"/api/variants/{variant}/probe", json={"patch": many, "x": 0, "y": 0})
        self.assertIn("1001 steps", self.told(probe))

    def test_pictures_cost_what_they_show_whatever_size_is_requested(self) -> None:
        variant = self.open_grid()
        body = WHOLE | {"out_width": 8192, "out_height": 7812}
        self.assertIn("million pixels", self.told(self.client.post(f"/api/variants/{variant}/picture", json=body)))
        small = self.pixels(self.client.post(f"/api/variants/{variant}/picture", json=WHOLE))
        large = self.client.post(f"/api/variants/{variant}/picture", json=WHOLE | {"out_width": 256, "out_height": 192})
        np.testing.assert_array_equal(self.pixels(large), small.repeat(4, axis=0).repeat(4, axis=1))

    def pixels(self, answer: Any) -> np.ndarray:
        return cv2.imdecode(np.frombuffer(answer.data, np.uint8), cv2.IMREAD_COLOR)

    def test_pages_of_other_sites_change_nothing(self) -> None:
        variant = self.open_grid()
        self.edit(variant, 0, 1)
        origins = [{"Origin": origin} for origin in ("null", "http://evil.example", "http://[bad")]
        for headers in (*origins, {"Sec-Fetch-Site": "cross-site"}):
            for step in ("undo", "redo"):
                answer = self.step(variant, step, headers=headers)
                self.assertEqual(answer.status_code, 403, headers)
        self.assertEqual(self.client.get(f"/api/variants/{variant}").json["head"], 1)

    def test_a_mistake_of_ours_is_reported_and_ends_nothing(self) -> None:
        variant = self.open_grid()
        with (
            mock.patch("escala.web.pictures.routes.draw_board", side_effect=ZeroDivisionError("of ours")),
            self.assertLogs("escala"),
        ):
            answer = self.client.post(f"/api/variants/{variant}/board", json={})
        self.assertIn("Saved work is safe", self.told(answer, 500))
        for error, status in ((MemoryError(), 507), (RecursionError(), 422), (OSError(28, "full", "/x"), 507)):
            with mock.patch("escala.web.pictures.routes.draw_board", side_effect=error):
                self.told(self.client.post(f"/api/variants/{variant}/board", json={}), status)


class WrongTokenTest(ApiTest):
    token = "a-secret"

    def test_a_wrong_token_in_an_address_spoils_no_good_cookie(self) -> None:
        self.client.get("/api/shots?token=a-secret")
        wrong = self.client.get("/api/shots?token=wrong")
        self.assertEqual(wrong.status_code, 200)
        self.assertNotIn("Set-Cookie", wrong.headers)
        self.assertEqual(self.client.get("/api/shots").status_code, 200)
        self.assertEqual(self.app.test_client().get("/api/shots?token=wrong").status_code, 401)


class DeliveriesTest(HostileTest):
    def test_a_delivery_is_listed_with_how_it_ended_and_its_files(self) -> None:
        variant = self.open_grid()
        self.finished(self.client.post(f"/api/variants/{variant}/deliveries", json=PNG_FILE).get_json())
        with mock.patch("escala.delivery.frames.write_frame", side_effect=OSError(28, "full", "/x")):
            self.finished(self.client.post(f"/api/variants/{variant}/deliveries", json=EXR_FILE).get_json())
        failed, done = self.client.get(f"/api/variants/{variant}/deliveries").json["deliveries"]
        self.assertEqual((done["state"], len(done["files"]), done["frames"], done["done"]), ("done", 1, [1], [1]))
        with self.client.get(done["files"][0]["address"]) as file:
            self.assertEqual(file.data[:8], b"\x89PNG\r\n\x1a\n")
        self.assertEqual((failed["state"], failed["files"]), ("failed", []))
        self.assertIn("Disk full", failed["error"])
        absent = self.client.post(f"/api/variants/{variant}/deliveries", json={**EXR_FILE, "frames": [7]})
        self.assertIn("no frame 7", self.told(absent))

    def test_what_was_under_way_when_the_server_was_killed_is_broken_off(self) -> None:
        variant = self.open_grid()
        context = self.app.extensions[APP_CONTEXT]
        folder = self.settings.deliveries / "grid-x"
        (folder / f"{unfinished()}abc").mkdir(parents=True)
        (folder / ".escala-1-1-abc").mkdir()
        (folder / "grid.0001.exr").write_bytes(b"whole")
        (self.settings.store / ".new-abc").mkdir()
        with context.database.writing() as session:
            begin_delivery(session, variant, "grid-x", {}, 3)
        with mock.patch("escala.web.app_context.is_alive", return_value=False):
            again = self.application().test_client()
        (told,) = again.get(f"/api/variants/{variant}/deliveries").json["deliveries"]
        self.assertEqual((told["state"], [f["name"] for f in told["files"]]), ("interrupted", ["grid.0001.exr"]))
        self.assertEqual(sorted(os.listdir(folder)), sorted([f"{unfinished()}abc", "grid.0001.exr"]))
        self.assertFalse((self.settings.store / ".new-abc").exists())

    def test_names_of_any_length_and_script_are_delivered(self) -> None:
        write_layers(self.media / "grid.exr", grid_passes())
        for name in ("n" * 280, "灯 / \\ : *?", "...", "a\tb"):
            body = {"sources": ["grid.exr"], "name": name}
            shot = self.finished(self.client.post("/api/shots", json=body).get_json())["result"]["shot_id"]
            variant = self.client.get(f"/api/shots/{shot}").json["variants"][0]["id"]
            for address, more in (
                (f"variants/{variant}/deliveries", PNG_FILE),
                (f"shots/{shot}/files", {}),
            ):
                job = self.finished(self.client.post(f"/api/{address}", json=more).get_json())
                self.assertEqual(job["state"], "done", job)
                for file in job["result"]["files"]:
                    with self.client.get(file["address"]) as answer:
                        self.assertEqual(answer.status_code, 200)
                self.assertTrue(Path(job["result"]["folder"]).is_relative_to(self.settings.deliveries))
