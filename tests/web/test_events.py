import json
import unittest

from escala.web.events import EventHub


class EventTest(unittest.TestCase):
    def setUp(self) -> None:
        self.hub = EventHub()

    def heard(self, stream) -> dict:
        text = next(stream)
        self.assertTrue(text.startswith("data: ") and text.endswith("\n\n"), text)
        return json.loads(text.removeprefix("data: "))

    def test_every_listener_hears_everything_in_order(self) -> None:
        streams = [self.hub.listen() for _ in range(3)]
        for stream in streams:
            self.assertEqual(next(stream), ": listening\n\n")
        self.hub.tell("shots")
        self.hub.tell("render", shot_id=4, changes=["The light rim is new."])
        for stream in streams:
            self.assertEqual(self.heard(stream), {"kind": "shots"})
            self.assertEqual(self.heard(stream)["changes"], ["The light rim is new."])

    def test_a_page_that_is_closed_is_forgotten(self) -> None:
        stream = self.hub.listen()
        next(stream)
        stream.close()
        self.hub.tell("shots")
        late = self.hub.listen()
        next(late)
        self.hub.tell("variants", shot_id=1)
        self.assertEqual(self.heard(late)["kind"], "variants")

    def test_names_and_quotes_arrive_as_they_are(self) -> None:
        stream = self.hub.listen()
        next(stream)
        sentence = 'a "quoted" path: /média/ñandú\nnext line'
        self.hub.tell("trouble", sentence=sentence)
        self.assertEqual(self.heard(stream)["sentence"], sentence)

    def test_who_does_not_listen_loses_the_newest_and_holds_up_nobody(self) -> None:
        slow, quick = self.hub.listen(), self.hub.listen()
        next(slow), next(quick)
        for number in range(1200):
            self.hub.tell("variant", head=number)
            if number < 900:
                self.assertEqual(self.heard(quick)["head"], number)
        self.assertEqual(self.heard(slow)["head"], 0)
