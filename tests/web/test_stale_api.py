"""What is stale, deleted, broken or outside: refused with a sentence, and everything else goes on."""

import sqlite3
from unittest import mock

import cv2
import numpy as np

from escala.web import watching
from escala.web.app_context import APP_CONTEXT
from escala.web.watching import RenderWatcher
from tests.fixtures import light, write_layers
from tests.web.test_api import ApiTest


class StaleApiTest(ApiTest):
    def setUp(self) -> None:
        super().setUp()
        self.variant = self.open_grid()

    def post(self, path: str, **body: object):
        return self.client.post(f"/api/variants/{self.variant}/{path}", json=body)

    def test_two_tabs_do_not_undo_each_other(self) -> None:
        self.edit(self.variant, 0, -2)
        self.edit(self.variant, 1, 3)
        for path in ("undo", "redo", "revisions/0/restore"):
            answer = self.post(path, base=1)
            self.assertEqual((answer.status_code, answer.mimetype), (409, "application/problem+json"))
            self.assertIn("it is at revision 2, not 1", answer.json["detail"])
            self.assertEqual(self.post(path).status_code, 422)
        self.assertEqual(self.client.get(f"/api/variants/{self.variant}").json["head"], 2)
        self.assertEqual(self.post("undo", base=2).json["head"], 1)

    def test_an_edit_meant_for_a_deleted_variant_meets_no_other(self) -> None:
        shot = self.client.get(f"/api/variants/{self.variant}").json["shot_id"]

        def made(name: str) -> int:
            return self.client.post(f"/api/shots/{shot}/variants", json={"name": name}).json["id"]

        gone = made("gone")
        self.edit(gone, 0, 2)
        self.client.delete(f"/api/variants/{gone}")
        self.assertEqual(self.edit(gone, 0, -2).status_code, 404)
        self.assertNotEqual(made("other"), gone)
        names = [v["name"] for v in self.client.get(f"/api/shots/{shot}").json["variants"]]
        self.assertNotIn("gone", names)
        restored = self.client.post(f"/api/variants/{gone}/restore").json
        self.assertEqual((restored["head"], restored["can_undo"]), (1, True))
        self.client.delete(f"/api/variants/{gone}")
        self.app.extensions[APP_CONTEXT].close()
        again = self.application().test_client()
        self.assertEqual(again.post(f"/api/variants/{gone}/restore").status_code, 404)
        self.assertGreater(again.post(f"/api/shots/{shot}/variants", json={"name": "new"}).json["id"], gone + 1)

    def test_a_home_with_broken_rows_starts_and_says_so(self) -> None:
        self.app.extensions[APP_CONTEXT].close()
        with sqlite3.connect(self.settings.database) as database:
            database.execute("INSERT INTO shot (id, name, status, created) VALUES (2, 'b', 'active', 0)")
            database.execute(
                "INSERT INTO render (shot_id, position, name, sources, document) VALUES (2, 0, '', 'x', 'y')"
            )
            database.execute("UPDATE variant SET document = '{half' WHERE id = ?", (self.variant,))
        database.close()
        client = self.application().test_client()
        listed = client.get("/api/shots").json
        self.assertEqual([shot["name"] for shot in listed["shots"]], ["grid"])
        self.assertTrue(any("Variant 1 could not be read" in sentence for sentence in listed["problems"]), listed)
        self.assertTrue(any("stored render of 'b'" in sentence for sentence in listed["problems"]), listed)
        self.assertEqual(client.get(f"/api/variants/{self.variant}").status_code, 200)
        self.assertEqual(client.get("/api/shots/2").status_code, 422)

    def test_names_outside_the_roots_are_not_listed(self) -> None:
        outside = self.folder / "outside"
        outside.mkdir()
        cv2.imwrite(str(outside / "secret.png"), np.zeros((4, 4, 3), np.uint8))
        write_layers(outside / "secret.exr", {"": light(1)})
        (self.media / "linked").symlink_to(outside)
        (self.media / "linked.png").symlink_to(outside / "secret.png")
        shot = self.client.get(f"/api/variants/{self.variant}").json["shot_id"]
        for address in (f"/api/shots/{shot}/pictures", f"/api/media?folder={self.media}"):
            self.assertNotIn("secret", self.client.get(address).get_data(as_text=True))
            self.assertNotIn("linked", self.client.get(address).get_data(as_text=True))

    def test_data_is_not_denoised(self) -> None:
        passes = {"": light(1), "lg_key": light(1), "Z": light(2)[0], "uv.U": light(3)[0], "uv.V": light(4)[0]}
        path = write_layers(self.media / "data.exr", passes | {"A": light(5)[0]}, np.float32)
        job = self.finished(self.client.post("/api/shots", json={"sources": [str(path)]}).json)
        shot = self.client.get(f"/api/shots/{job['result']['shot_id']}").json
        self.variant = shot["variants"][0]["id"]
        for name in ("Z", "uv", "A"):
            choice = {"op": "add", "path": "/source/denoise", "value": {"on": True, "passes": [name]}}
            answer = self.post("edits", base=0, patch=[choice], label="denoise")
            self.assertEqual(answer.status_code, 422, answer.json)
            self.assertIn("it cannot be denoised", answer.json["detail"])

    def test_no_file_is_looked_at_while_no_page_shows_its_shot(self) -> None:
        watcher = RenderWatcher(self.app.extensions[APP_CONTEXT])
        with mock.patch.object(watching, "_state_of", wraps=watching._state_of) as state:
            watcher.look()
            state.assert_not_called()
            self.client.get("/api/events?shot=1")
            watcher.look()
            state.assert_called()

    def test_a_watcher_goes_on_after_an_error_that_nobody_foresaw(self) -> None:
        context = self.app.extensions[APP_CONTEXT]
        watcher = RenderWatcher(context)
        self.client.get("/api/events?shot=1")
        unforeseen = mock.patch("escala.web.watching.find_render", side_effect=ZeroDivisionError("of ours"))
        with unforeseen, self.assertLogs("escala", "ERROR"):
            watcher.look()
        watcher.look()
        with (
            mock.patch.object(context, "shots_in_use", side_effect=[ZeroDivisionError, [], []]) as asked,
            mock.patch("escala.web.watching._LOOK_SECONDS", 0.01),
            self.assertLogs("escala", "ERROR"),
        ):
            watcher.start()
            while asked.call_count < 2:
                pass
            context.closing.set()
