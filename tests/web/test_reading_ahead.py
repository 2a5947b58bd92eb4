"""The frames of a sequence that is opened are decoded ahead, one sequence at a time, and a broken one stops nothing."""

import threading
import time
from typing import Any
from unittest.mock import patch

import numpy as np

from escala.media.intake import decode_in_child
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

    def test_decoders_for_playing_are_started_once_a_sequence_is_imported(self) -> None:
        with patch("escala.web.reading_ahead.warm_readers") as warm:
            self.open("s.0001.exr")
            warm.assert_not_called()
            self.open("s.####.exr")
            warm.assert_called_once_with(2)

    def test_a_broken_frame_is_passed_over(self) -> None:
        shot = self.open("s.####.exr")["result"]["shot_id"]
        (self.media / "s.0003.exr").write_bytes(b"no picture")
        self.client.get(f"/api/shots/{shot}")
        self.wait_for(5)

    def test_a_frame_that_is_needed_is_not_waited_for_while_it_is_read_ahead(self) -> None:
        begun, goes_on = threading.Event(), threading.Event()

        def held(*given: Any) -> None:
            begun.set()
            goes_on.wait(30)
            decode_in_child(*given)

        self.addCleanup(goes_on.set)
        variant = self.variant_of(self.open("s.####.exr")["result"]["shot_id"])
        whole = {"region": {"x": 0, "y": 0, "width": 16, "height": 12}, "out_width": 16, "out_height": 12}
        with patch("escala.media.intake.decode_quietly", held):
            self.client.get(f"/api/shots/{variant['shot_id']}")
            self.assertTrue(begun.wait(30))
            for number in range(1, 7):
                shown = self.client.post(f"/api/variants/{variant['id']}/picture", json={**whole, "frame": number})
                self.assertEqual(shown.status_code, 200, shown.data)
            self.assertFalse(goes_on.is_set())
            self.assertEqual(self.stored(), 6)

    def test_nothing_is_read_ahead_while_frames_are_needed(self) -> None:
        shot = self.open("s.####.exr")["result"]["shot_id"]
        with patch("escala.web.reading_ahead.is_decoding", return_value=True) as asked:
            self.client.get(f"/api/shots/{shot}")
            deadline = time.monotonic() + 30
            while asked.call_count < 3 and time.monotonic() < deadline:
                self.context.closing.wait(0.02)
            self.assertLess(self.stored(), 6)
        self.wait_for(6)
