"""Curves as lanes: values over frames, words, keys that give the same values, and what else could move."""

import unittest

from escala.core.errors import UnknownChoice
from escala.model.lanes import as_keys, lanes_of, movable_fields, words_of
from escala.model.time import Time
from escala.model.variant import Variant

STOPS = "balance/lights/key/stops"


def moving(**curves: dict) -> Variant:
    pointers = {"stops": STOPS, "kelvin": "balance/lights/fill/kelvin", "tint": "balance/lights/key/tint"}
    return Variant.model_validate({"curves": {pointers[name]: curve for name, curve in curves.items()}})


class LanesTest(unittest.TestCase):
    def test_values_at_frames_and_now(self) -> None:
        variant = moving(stops={"kind": "ramp", "from": 0, "to": 4, "start": 0, "end": 4})
        lane = lanes_of(variant, [0, 1, 2, 4, 9], 3, 24)[0]
        self.assertEqual((lane.values, lane.now, lane.kind), (((0, 1, 2, 4, 4),), (3,), "ramp"))
        self.assertEqual((lane.low, lane.high, lane.pointer), (-16, 16, STOPS))

    def test_a_triple_has_a_row_for_each_channel(self) -> None:
        curve = {"kind": "keys", "keys": [{"frame": 0, "value": [1, 2, 3], "ease": "straight"},
                                          {"frame": 2, "value": [3, 2, 1]}]}  # fmt: skip
        lane = lanes_of(moving(tint=curve), [0, 1, 2], 1, 24)[0]
        self.assertEqual(lane.values, ((1, 2, 3), (2, 2, 2), (3, 2, 1)))

    def test_words(self) -> None:
        for pointer, words in (
            (STOPS, "Key, level"),
            ("/balance/lights/quay_lamps/kelvin", "Quay lamps, temperature"),
            ("depth/defocus/limit_px", "Defocus, limit (px)"),
            ("finish/corrections/exposure1/stops", "Exposure1, level"),
        ):
            self.assertEqual(words_of(pointer), words)
        variant = moving(
            stops={"kind": "flicker", "amount": 0.5, "rate": 8, "seed": 4},
            kelvin={"kind": "follow", "pointer": STOPS, "scale": 100, "offset": 6500, "delay": 3},
        )
        sentences = [lane.sentence for lane in lanes_of(variant, [0], 0, 24)]
        self.assertEqual(sentences[0], "flicker ±0.5, 8 a second, seed 4")
        self.assertEqual(sentences[1], "follows Key, level × 100 + 6500, 3 frames later")

    def test_keys_give_the_same_values_at_every_frame(self) -> None:
        frames = list(range(1, 49))
        for curve in (
            {"kind": "flicker", "amount": 1, "rate": 7, "seed": 2},
            {"kind": "pulse", "low": -4, "high": 1, "period": 10, "duty": 0.4, "soft": 2},
            {"kind": "sweep", "amount": 2, "period": 17},
            {"kind": "ramp", "from": -1, "to": 3, "start": 5, "end": 30},
        ):
            variant = moving(stops=curve)
            keys = as_keys(variant, STOPS, frames, 24)
            again = Variant.model_validate({"curves": {STOPS: keys.model_dump(by_alias=True)}})
            with self.subTest(kind=curve["kind"]):
                for frame in frames:
                    before, after = (v.settled(Time(frame, 24)).balance.lights["key"].stops for v in (variant, again))
                    self.assertAlmostEqual(before, after, places=9)
        self.assertEqual([key.frame for key in keys.keys], [1, 5, 30, 48])
        with self.assertRaises(UnknownChoice):
            as_keys(variant, "balance/lights/fill/stops", frames, 24)

    def test_what_could_move(self) -> None:
        document = {
            "finish": {"corrections": [{"id": "c", "kind": "exposure"}, {"id": "l", "kind": "lut", "path": "x"}]},
            "mattes": {"a/b": {"kind": "ellipse", "centre": [1, 2], "radii": [3, 4]}},
            "balance": {"added": [{"id": "s", "kind": "side", "name": "w", "direction": [0, 1, 0]}]},
            "curves": {STOPS: {"kind": "sweep", "amount": 1, "period": 5}},
        }  # fmt: skip
        found = {
            field.pointer: field for field in movable_fields(Variant.model_validate(document), ["key"], ["diffuse"])
        }
        self.assertNotIn(STOPS, found)
        wanted = (
            "balance/lights/key/kelvin", "balance/components/diffuse/stops", "balance/residual/stops",
            "finish/corrections/c/stops", "finish/corrections/l/opacity", "mattes/a~1b/centre", "mattes/a~1b/gain",
            "balance/added/s/direction", "depth/haze/density", "lens/glow/amount",
        )  # fmt: skip
        for pointer in wanted:
            self.assertIn(pointer, found)
        self.assertEqual(found["mattes/a~1b/centre"].values, (1, 2))
        for pointer in ("schema_version", "source/frame_rate", "lens/grain/seed", "finish/corrections/l/path"):
            self.assertNotIn(pointer, found)
        # Each of them does move.
        for pointer, field in found.items():
            value = field.values if len(field.values) > 1 else field.values[0]
            keys = {"kind": "keys", "keys": [{"frame": 0, "value": value}]}
            Variant.model_validate({**document, "curves": {pointer: keys}}).settled(Time(0))
