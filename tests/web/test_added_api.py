"""Added lights over the API: one with the name of a light that the render has is refused, and nothing is kept of it."""

import numpy as np

from tests.engine.fixture_shot import grid_passes
from tests.fixtures import write_layers
from tests.web.test_source_api import SourceApiTest


class AddedLightApiTest(SourceApiTest):
    def test_a_name_that_a_light_has_is_refused(self) -> None:
        write_layers(self.media / "added.exr", grid_passes(24, 32), np.float32)
        variant = self.variant_of(self.open("added.exr")["result"]["shot_id"])
        address = f"/api/variants/{variant['id']}"
        side = {"kind": "side", "name": "key", "direction": [0, 0, 1]}
        patch = [{"op": "add", "path": "/balance/added/-", "value": side}]
        edit = {"base": variant["head"], "patch": patch, "label": "added"}
        refused = self.client.post(f"{address}/edits", json=edit)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("an added light needs a name of its own", refused.get_data(as_text=True))
        self.assertEqual(self.client.get(address).json["document"]["balance"]["added"], [])
        patch[0]["value"] = {**side, "name": "window"}
        self.assertEqual(self.client.post(f"{address}/edits", json=edit).status_code, 200)
