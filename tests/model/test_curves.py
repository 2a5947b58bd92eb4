"""Curves of a document: where they stand, what they become, and which are refused."""

import unittest
from typing import Any

from pydantic import ValidationError

from escala.model.settling import settled_value
from escala.model.time import Time
from escala.model.variant import Variant

STEADY = {"kind": "keys", "keys": [{"frame": 1, "value": 0.0}]}


def moving(curves: dict[str, Any], **document: Any) -> Variant:
    return Variant.model_validate({"curves": curves, **document})


class CurvesTest(unittest.TestCase):
    def test_numbers_and_triples_anywhere(self) -> None:
        ramp = {"kind": "ramp", "from": 0, "to": 10, "start": 0, "end": 10}
        slope = {
            "kind": "keys",
            "keys": [{"frame": 0, "value": [1, 1, 1], "ease": "straight"}, {"frame": 10, "value": [2, 1, 0]}],
        }
        variant = moving(
            {"balance/lights/beacon/stops": ramp, "/depth/defocus/focus": ramp, "finish/corrections/c/slope": slope,
             "plate/layers/sky/distance": ramp, "depth/defocus/blades": ramp},
            finish={"corrections": [{"kind": "cdl", "id": "c"}]},
            plate={"layers": [{"kind": "solid", "id": "sky"}]},
        )  # fmt: skip
        found = variant.settled(Time(5))
        self.assertEqual(found.curves, {})
        self.assertEqual(found.balance.lights["beacon"].stops, 5.0)
        self.assertEqual(found.depth.defocus.focus, 5.0)
        self.assertEqual(found.depth.defocus.blades, 5)
        self.assertEqual(found.finish.corrections[0].slope, (1.5, 1.0, 0.5))
        self.assertEqual(found.plate.layers[0].distance, 5.0)
        self.assertEqual(variant.settled(Time(7)).settled(Time(1)).balance.lights["beacon"].stops, 7.0)

    def test_a_settled_document_is_as_one_that_was_written_so(self) -> None:
        ramp = {"kind": "ramp", "from": 0, "to": 10, "start": 0, "end": 10}
        lights = {"key": {"tint": [1, 2, 3]}, "fill": {"stops": 3}}
        found = moving(
            {"balance/lights/key/stops": ramp, "balance/lights/fill/stops": ramp}, balance={"lights": lights}
        ).settled(Time(5))
        written = Variant.model_validate(
            {"balance": {"lights": {"key": {"tint": [1, 2, 3], "stops": 5}, "fill": {"stops": 5}}}}
        )
        self.assertEqual(found.balance, written.balance)
        given = [(one.model_dump(exclude_unset=True), one.model_fields_set) for one in found.balance.lights.values()]
        wanted = [(one.model_dump(exclude_unset=True), one.model_fields_set) for one in written.balance.lights.values()]
        self.assertEqual(given, wanted)
        with self.assertRaises(ValidationError):
            found.balance.lights["key"].stops = 1.0  # type: ignore[misc]

    def test_values_stay_within_the_fields_range(self) -> None:
        wild = {"kind": "sweep", "amount": 1000, "period": 8}
        variant = moving({"balance/lights/a/stops": wild, "balance/lights/a/tint": wild, "depth/defocus/focus": wild})
        low, high = variant.settled(Time(6)), variant.settled(Time(2))
        self.assertEqual((low.balance.lights["a"].stops, high.balance.lights["a"].stops), (-16.0, 16.0))
        self.assertEqual((low.balance.lights["a"].tint, high.balance.lights["a"].tint), ((0.0,) * 3, (1000.0,) * 3))
        self.assertGreater(low.depth.defocus.focus, 0.0)
        Variant.model_validate(low.model_dump(mode="json"))

    def test_generators_move_about_the_fields_own_number(self) -> None:
        flicker = {"kind": "flicker", "amount": 0.5, "rate": 12, "seed": 3}
        variant = moving({"balance/lights/cabin/stops": flicker}, balance={"lights": {"cabin": {"stops": 2}}})
        values = [variant.settled(Time(f)).balance.lights["cabin"].stops for f in range(48)]
        self.assertTrue(all(1.5 <= value <= 2.5 for value in values))
        self.assertGreater(len(set(values)), 20)
        faster = [variant.settled(Time(f, 48)).balance.lights["cabin"].stops for f in range(48)]
        self.assertEqual(faster[::2], values[:24])

    def test_one_follows_another_later(self) -> None:
        ramp = {"kind": "ramp", "from": 0, "to": 4, "start": 0, "end": 8}
        follow = {"kind": "follow", "pointer": "balance/lights/a/stops", "scale": 2, "offset": 1, "delay": 2}
        variant = moving({"balance/lights/b/stops": follow, "balance/lights/a/stops": ramp})
        self.assertEqual(variant.settled(Time(6)).balance.lights["b"].stops, 2 * 2.0 + 1)
        self.assertEqual(settled_value(variant, variant.curves, "balance/lights/a/stops", Time(6)), 3.0)
        again = moving({"balance/lights/b/stops": {**follow, "pointer": "/balance/lights/c/stops", "delay": 0}},
                       balance={"lights": {"c": {"stops": 3}}})  # fmt: skip
        self.assertEqual(again.settled(Time(0)).balance.lights["b"].stops, 7.0)

    def test_what_cannot_be_is_refused_in_a_sentence(self) -> None:
        a, b = "balance/lights/a/stops", "balance/lights/b/stops"
        for curves, words in (
            ({"balance/lights/a/colour": STEADY}, "names neither a number nor a triple"),
            ({"finish/corrections/gone/stops": STEADY}, "names neither a number nor a triple"),
            ({"source/denoise/strength": STEADY}, "decided once for all frames"),
            ({a: {"kind": "follow", "pointer": b}, b: {"kind": "follow", "pointer": a}}, "follows itself"),
            ({a: {"kind": "follow", "pointer": a}}, "follows itself"),
            ({a: {"kind": "follow", "pointer": "balance/lights/a/tint"}}, "has 1 values"),
            ({a: {"kind": "keys", "keys": [{"frame": 1, "value": [1, 2, 3]}]}}, "has 1 values, not 3"),
            ({a: {"kind": "keys", "keys": [{"frame": 1, "value": 1}, {"frame": 1, "value": 2}]}}, "two keys stand"),
            ({a: {"kind": "keys", "keys": []}}, "at least 1"),
            ({a: {"kind": "ramp", "from": 0, "to": 1, "start": 5, "end": 5}}, "ends after its start"),
            ({a: STEADY, "/" + a: STEADY}, "two curves are of one field"),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValidationError, words):
                moving(curves)
