import unittest

from escala.web.event_log import EventLog


class EventTest(unittest.TestCase):
    def setUp(self) -> None:
        self.log = EventLog()
        self.mark, *_ = self.log.since("")

    def test_every_page_hears_everything_after_its_mark_in_order(self) -> None:
        self.log.publish("shots")
        self.log.publish("render", shot_id=4, changes=["The light rim is new."])
        for _ in range(3):
            mark, events, missed = self.log.since(self.mark)
            self.assertEqual([event["kind"] for event in events], ["shots", "render"])
            self.assertFalse(missed)
        self.assertEqual(self.log.since(mark)[1], [])
        self.log.publish("variants", shot_id=1)
        self.assertEqual(self.log.since(mark)[1], [{"kind": "variants", "shot_id": 1}])

    def test_a_new_page_begins_with_now(self) -> None:
        self.log.publish("shots")
        self.assertEqual(self.log.since("")[1:], ([], False))

    def test_names_and_quotes_arrive_as_they_are(self) -> None:
        sentence = 'a "quoted" path: /média/ñandú\nnext line'
        self.log.publish("trouble", sentence=sentence)
        self.assertEqual(self.log.since(self.mark)[1][0]["sentence"], sentence)

    def test_of_a_job_only_the_newest_state_is_reported(self) -> None:
        for share in (0.1, 0.5, 0.9):
            self.log.publish("job", id=7, share=share)
        self.log.publish("job", id=8, share=0.0)
        self.assertEqual([(e["id"], e["share"]) for e in self.log.since(self.mark)[1]], [(7, 0.9), (8, 0.0)])

    def test_who_was_away_too_long_or_comes_from_an_earlier_server_is_reported_so(self) -> None:
        for number in range(1200):
            self.log.publish("variant", head=number)
        mark, events, missed = self.log.since(self.mark)
        self.assertTrue(missed)
        self.assertEqual(events[-1]["head"], 1199)
        self.assertFalse(self.log.since(mark)[2])
        for odd in ("deadbeef.3", "nonsense", f"{mark}0000", "x" * 40, ".", f"{mark.split('.')[0]}.-1"):
            with self.subTest(mark=odd):
                self.assertEqual((self.log.since(odd)[0], self.log.since(odd)[2]), (mark, True))
