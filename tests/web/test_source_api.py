import os
from typing import Any
from unittest.mock import patch as patched

import numpy as np
import OpenEXR

from escala.web.app_context import APP_CONTEXT
from escala.web.job_manager import Job, JobManager
from escala.web.watching import RenderWatcher
from tests.fixtures import add_up, channels_of, light, write_layers
from tests.web.test_api import ApiTest

KEY, FILL, RIM = light(1), light(2), light(3)


class SourceApiTest(ApiTest):
    """Works on shots of its own, opened from the media root."""

    def open(self, name: str, **options: object) -> dict[str, Any]:
        return self.outcome(self.client.post("/api/shots", json={"sources": [str(self.media / name)], **options}))

    def outcome(self, answer: Any) -> dict[str, Any]:
        self.assertEqual(answer.status_code, 202, answer.json)
        return self.finished(answer.json)

    def variant_of(self, shot_id: int) -> dict[str, Any]:
        shot = self.client.get(f"/api/shots/{shot_id}").json
        return self.client.get(f"/api/variants/{shot['variants'][0]['id']}").json

    def change(self, variant: dict[str, Any], path: str, value: object) -> dict[str, Any]:
        body = {"base": variant["head"], "patch": [{"op": "add", "path": path, "value": value}], "label": "edit"}
        answer = self.client.post(f"/api/variants/{variant['id']}/edits", json=body)
        self.assertEqual(answer.status_code, 200, answer.json)
        return answer.json

    def roles(self, variant: dict[str, Any]) -> dict[str, str]:
        return {p["name"]: p["role"] for p in variant["reading"]["passes"]}


class RoleApiTest(SourceApiTest):
    def test_a_proof_of_an_edit_is_reported_and_can_be_stopped(self) -> None:
        write_layers(self.media / "lit.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        variant = self.variant_of(self.open("lit.exr")["result"]["shot_id"])
        patch = [{"op": "add", "path": "/tally/terms/key", "value": {"operator": "screen"}}]
        body = {"base": variant["head"], "patch": patch, "label": "screened"}
        address = f"/api/variants/{variant['id']}/edits"
        jobs, report = self.app.extensions[APP_CONTEXT].jobs, JobManager.report

        def stopped(board: JobManager, job: Job, share: float, doing: str) -> None:
            job.stop.set()
            report(board, job, share, doing)

        with patched.object(JobManager, "report", stopped):
            refused = self.client.post(address, json=body)
        self.assertIn("was stopped; nothing was changed", refused.json["detail"])
        self.assertEqual(self.client.get(f"/api/variants/{variant['id']}").json["head"], variant["head"])
        with patched.object(jobs, "report", wraps=jobs.report) as told:
            self.assertEqual(self.client.post(address, json=body).status_code, 200)
        self.assertEqual(told.call_args.args[1:], (1.0, "verifying sum"))

    def test_a_manual_role_becomes_a_rule_for_the_next_render(self) -> None:
        passes = {"": add_up(KEY, FILL), "lg_key": KEY, "Pass_Strange": FILL * 0 + 0.5}
        write_layers(self.media / "first.exr", passes)
        write_layers(self.media / "second.exr", {**passes, "pass-strange": passes["Pass_Strange"]})
        variant = self.variant_of(self.open("first.exr")["result"]["shot_id"])
        self.assertEqual(variant["suggested_rules"], {})
        variant = self.change(variant, "/source/roles/Pass_Strange", {"role": "mask"})
        self.assertEqual(self.roles(variant)["Pass_Strange"], "mask")
        second = self.variant_of(self.open("second.exr")["result"]["shot_id"])
        self.assertEqual({rule["role"] for rule in second["suggested_rules"].values()}, {"mask"})
        undone = self.step(variant["id"], "undo").json
        self.assertEqual(self.roles(undone)["Pass_Strange"], "other")

    def test_a_repair_is_shown_in_pass_pictures_and_histograms(self) -> None:
        hole = FILL.copy()
        hole[:, :, 4:] = np.nan
        write_layers(self.media / "hole.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": hole})
        shot_id = self.open("hole.exr")["result"]["shot_id"]
        variant = self.variant_of(shot_id)
        address = f"/api/shots/{shot_id}/pass?name=lg_fill&variant={variant['id']}"
        before = self.client.get(address).data
        histogram = self.client.get(address.replace("/pass", "/pass/histogram")).json
        self.change(variant, "/source/repairs/-", {"pass_name": "lg_fill", "how": "fill"})
        self.assertNotEqual(self.client.get(address).data, before)
        repaired = self.client.get(address.replace("/pass", "/pass/histogram")).json
        self.assertGreater(sum(map(sum, repaired["counts"])), sum(map(sum, histogram["counts"])))

    def test_an_edit_that_no_repair_knows_is_refused(self) -> None:
        write_layers(self.media / "plain.exr", {"": KEY})
        variant = self.variant_of(self.open("plain.exr")["result"]["shot_id"])
        patch = [{"op": "add", "path": "/source/repairs/-", "value": {"pass_name": "rgba", "how": "magic"}}]
        answer = self.client.post(
            f"/api/variants/{variant['id']}/edits", json={"base": 0, "patch": patch, "label": "x"}
        )
        self.assertEqual(answer.status_code, 422)
        self.assertIn("no repair is named 'magic'", answer.json["detail"])


class SeveralFilesTest(SourceApiTest):
    def test_a_folder_of_several_renders_becomes_several_shots(self) -> None:
        folder = self.media / "two"
        folder.mkdir()
        for name in ("quay", "pier"):
            passes = {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL, "depth.Z": KEY[0]}
            write_layers(folder / f"{name}.exr", passes)
        job = self.open("two")
        self.assertEqual(len(job["result"]["shot_ids"]), 2)

    def test_other_sizes_are_explained_and_fitted_on_purpose(self) -> None:
        folder = self.media / "sizes"
        folder.mkdir()
        write_layers(folder / "shot_beauty.exr", {"": light(1, 24, 32)})
        write_layers(folder / "shot_key.exr", {"": light(2, 12, 16)})
        job = self.open("sizes")
        self.assertEqual((job["state"], job["error_kind"]), ("failed", "SizesDiffer"))
        self.assertIn("16 × 12", job["error"])
        self.assertIn("same aspect ratio", job["error"])
        fitted = self.open("sizes", fit=True)
        shot = self.client.get(f"/api/shots/{fitted['result']['shot_id']}").json
        self.assertIn("16 × 12 to 32 × 24", " ".join(d["message"] for d in shot["render"]["diagnostics"]))

    def test_passes_are_written_as_files(self) -> None:
        write_layers(self.media / "apart.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        shot_id = self.open("apart.exr")["result"]["shot_id"]
        address = f"/api/shots/{shot_id}/files"
        job = self.outcome(self.client.post(address, json={"passes": ["lg_key"], "rename": {"lg_key": "lamp"}}))
        (file,) = job["result"]["files"]
        self.assertEqual(file["name"], "apart.lamp.exr")
        target = self.folder / file["name"]
        with self.client.get(file["address"]) as answer:
            target.write_bytes(answer.data)
        with OpenEXR.File(str(target), separate_channels=True) as written:
            np.testing.assert_array_equal(written.channels()["R"].pixels, KEY[0].astype(np.float16))
        gathered = self.outcome(self.client.post(address, json={"gathered": True}))
        self.assertEqual([f["name"] for f in gathered["result"]["files"]], ["apart.exr"])


class NewerRenderTest(SourceApiTest):
    def test_a_newer_render_is_taken_over_with_a_report(self) -> None:
        write_layers(self.media / "old.exr", {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        new = {"": add_up(KEY, RIM, FILL), "lg_sunlight": KEY, "lg_fill": FILL, "lg_rim": RIM}
        write_layers(self.media / "new.exr", new)
        shot_id = self.open("old.exr")["result"]["shot_id"]
        variant = self.change(self.variant_of(shot_id), "/balance/lights/fill", {"stops": -1})
        self.client.post(f"/api/variants/{variant['id']}/board", json={})
        body = {"sources": [str(self.media / "new.exr")]}
        job = self.outcome(self.client.put(f"/api/shots/{shot_id}/render", json=body))
        self.assertEqual(job["result"]["renamed"], {"key": "sunlight"})
        self.assertIn("The light rim is new.", job["result"]["changes"])
        after = self.variant_of(shot_id)
        self.assertEqual(set(after["reading"]["lights"]), {"sunlight", "fill", "rim"})
        self.assertEqual(after["document"]["balance"]["lights"]["fill"]["stops"], -1)

    def test_a_running_render_is_read_again_when_its_file_has_come_to_rest(self) -> None:
        file = write_layers(self.media / "running.exr", {"": KEY, "lg_key": KEY})
        shot_id = self.open("running.exr")["result"]["shot_id"]
        context = self.app.extensions[APP_CONTEXT]
        watcher = RenderWatcher(context)
        self.client.get(f"/api/events?shot={shot_id}")
        watcher.look()
        first = context.render_of(shot_id)
        write_layers(file, {"": add_up(KEY, FILL), "lg_key": KEY, "lg_fill": FILL})
        os.utime(file, ns=(1, 1))
        watcher.look()
        self.assertIs(context.render_of(shot_id), first)
        watcher.look()
        self.assertEqual(len(context.render_of(shot_id).passes), 3)

    def test_a_file_that_is_half_written_leaves_what_was_read(self) -> None:
        file = write_layers(self.media / "half.exr", {"": KEY, "lg_key": KEY})
        shot_id = self.open("half.exr")["result"]["shot_id"]
        context = self.app.extensions[APP_CONTEXT]
        mark, *_ = context.events.since("")
        render = context.render_of(shot_id)
        file.write_bytes(file.read_bytes()[:400])
        watcher = RenderWatcher(context)
        self.client.get(f"/api/events?shot={shot_id}")
        for _ in range(16):
            watcher.look()
        self.assertIs(context.render_of(shot_id), render)
        (told,) = self.client.get(f"/api/events?after={mark}").json["events"]
        self.assertIn("cannot be read", told["sentence"])
        OpenEXR.File({"type": OpenEXR.scanlineimage}, channels_of({"": FILL})).write(str(file))
        watcher.look()
        watcher.look()
        self.assertEqual(len(context.render_of(shot_id).passes), 1)
