"""The frames of a sequence that is opened are decoded ahead, one sequence at a time, and a broken one stops nothing."""

import time

import numpy as np

from escala.media.store import INDEX
from escala.web.app_context import APP_CONTEXT
from tests.fixtures import light, write_layers
from tests.web.test_source_api import SourceApiTest


class ReadingAheadTest(SourceApiTest):
    def stored(self) -> int:
        return len(list(self.context.settings.store.glob(f"*/{INDEX}")))

    def wait_for(self, count: int) -> None:
        deadline = time.monotonic() + 30
        while self.stored() != count and time.monotonic() < deadline:
            self.context.closing.wait(0.02)
        self.assertEqual(self.stored(), count)

    def setUp(self) -> None:
        super().setUp()
        self.context = self.client.application.extensions[APP_CONTEXT]
        for number in range(1, 7):
            write_layers(self.media / f"s.{number:04d}.exr", {"": light(number)}, np.float32)

    def test_all_frames_of_an_opened_sequence(self) -> None:
        shot = self.open("s.####.exr")["result"]["shot_id"]
        self.client.get(f"/api/shots/{shot}")
        self.wait_for(6)

    def test_a_broken_frame_is_passed_over(self) -> None:
        shot = self.open("s.####.exr")["result"]["shot_id"]
        (self.media / "s.0003.exr").write_bytes(b"no picture")
        self.client.get(f"/api/shots/{shot}")
        self.wait_for(5)
