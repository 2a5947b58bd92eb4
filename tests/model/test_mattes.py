"""Mattes in documents: what is refused, in a sentence that names the place; older documents; what moves over time."""

import unittest
from typing import Any

from pydantic import ValidationError

from escala.model.time import Time
from escala.model.variant import Variant

OVAL = {"kind": "ellipse", "centre": [1, 2], "radii": [3, 4]}
TRIANGLE = [[0, 0], [1, 0], [1, 1]]


def document(*mattes: dict[str, Any], **parts: Any) -> dict[str, Any]:
    return {"mattes": {f"m{i}": matte for i, matte in enumerate(mattes)}, **parts}


class RefusalTest(unittest.TestCase):
    def refused(self, facts: dict[str, Any]) -> str:
        with self.assertRaises(ValidationError) as caught:
            Variant.model_validate(facts)
        return str(caught.exception)

    def test_a_matte_that_the_document_lacks(self) -> None:
        exposure = {"kind": "exposure", "id": "one", "matte": "hull"}
        for facts, place in (
            ({"finish": {"corrections": [exposure]}}, "finish/corrections/one/matte"),
            ({"beauty": {"corrections": [exposure]}}, "beauty/corrections/one/matte"),
            ({"beauty": {"removed": [{"matte": "hull"}]}}, "beauty/removed/removal1/matte"),
            ({"balance": {"lights": {"a/b": {"matte": "hull"}}}}, "balance/lights/a~1b/matte"),
            ({"balance": {"corrections": [{**exposure, "of": {"light": "k"}}]}}, "balance/corrections/one/matte"),
            ({"surface": {"changes": [{"kind": "recolour", "matte": "hull"}]}}, "surface/changes/recolour1/matte"),
        ):
            with self.subTest(place=place):
                self.assertIn(f"{place}: this document has no matte 'hull'", self.refused(facts))
                Variant.model_validate({**facts, "mattes": {"hull": OVAL}})

    def test_joins_that_cannot_be(self) -> None:
        join = {"kind": "join", "how": "any"}
        self.assertIn("joins 'gone'", self.refused(document({**join, "of": ["gone"]})))
        self.assertIn(
            "joined from itself: m0 of m1 of m0", self.refused(document({**join, "of": ["m1"]}, {**join, "of": ["m0"]}))
        )
        chain = [{**join, "of": [f"m{i + 1}"]} for i in range(80)]
        self.assertIn("the limit is 64", self.refused(document(*chain, OVAL)))

    def test_values_out_of_range(self) -> None:
        place = {"kind": "position", "centre": [0, 0, 0]}
        for odd in (
            {"kind": "shape"}, {"kind": "shape", "points": TRIANGLE, "keys": {"1": TRIANGLE}},
            {"kind": "shape", "points": TRIANGLE[:2]},
            {"kind": "shape", "keys": {"1": TRIANGLE, "2": [*TRIANGLE, [0, 1]]}},
            {"kind": "ellipse", "centre": [0, 0], "radii": [0, 1]}, {"kind": "depth", "near": 5, "far": 1},
            {"kind": "channel", "pass": "a", "low": 1, "high": 1}, {**place, "size": [1, 1, 1]},
            {**place, "shape": "box", "size": 1}, {"kind": "normal", "direction": [0, 0, 0]},
            {"kind": "luminance", "low": 2, "high": 1}, {**OVAL, "grow_px": 4000}, {"kind": "cloud"},
            {"kind": "id", "pass_": "a"},
        ):  # fmt: skip
            with self.subTest(odd=odd):
                self.refused(document(odd))

    def test_how_deep_joins_may_be_depends_on_no_order(self) -> None:
        def chain(count: int) -> list[dict]:
            return [OVAL, *({"kind": "join", "how": "any", "of": [f"m{i}"]} for i in range(count))]

        for turned in (False, True):
            mattes = dict(document(*chain(64))["mattes"])
            deeper = {**mattes, "m65": {"kind": "join", "how": "any", "of": ["m64"]}}
            for names, is_refused in ((mattes, False), (deeper, True)):
                ordered = dict(reversed(names.items())) if turned else names
                if is_refused:
                    self.assertIn("joined 65 deep; the limit is 64", self.refused({"mattes": ordered}))
                else:
                    Variant.model_validate({"mattes": ordered})
        many = {"mattes": document(*chain(5000))["mattes"]}
        self.assertIn("deep; the limit is 64", self.refused(many))

    def test_corrections_of_a_part_stand_at_balance_alone(self) -> None:
        part = {"kind": "exposure", "of": {"light": "key"}}
        self.assertIn("only a correction of Balance", self.refused({"finish": {"corrections": [part]}}))
        self.assertIn("has an `of`", self.refused({"balance": {"corrections": [{"kind": "exposure"}]}}))
        both = {"kind": "exposure", "of": {"light": None, "component": None}}
        self.assertIn("of a light, a component or both", self.refused({"balance": {"corrections": [both]}}))

    def test_a_label_shows_one_of_its_pictures(self) -> None:
        label = {"kind": "label", "pictures": ["a.png", "b.png"], "chosen": 2}
        self.assertIn("number 2 is none", self.refused({"surface": {"changes": [label]}}))


class DocumentTest(unittest.TestCase):
    def test_keys_of_a_shape_settle_at_a_frame(self) -> None:
        keys = {"10": TRIANGLE, "14": [[8, 0], [9, 4], [9, 1]]}
        variant = Variant.model_validate(document({"kind": "shape", "keys": keys}, OVAL))
        for frame, point in ((2, (0, 0)), (10, (0, 0)), (11, (2, 0)), (13, (6, 0)), (14, (8, 0)), (99, (8, 0))):
            self.assertEqual(variant.settled(Time(frame)).mattes["m0"].points[0], point)
        still = Variant.model_validate(document(OVAL))
        self.assertIs(still.settled(Time(3)), still)
        self.assertEqual(Variant.model_validate_json(variant.model_dump_json()), variant)

    def test_where_mattes_are_used_and_joined(self) -> None:
        join = {"kind": "join", "how": "any", "of": ["m0", "m1"]}
        parts = {
            "finish": {"corrections": [{"kind": "exposure", "matte": "m2"}]},
            "balance": {"lights": {"k": {"matte": "m0"}}},
        }
        variant = Variant.model_validate(document(OVAL, OVAL, join, OVAL, **parts))
        self.assertEqual(
            list(variant.matte_uses()), [("balance/lights/k/matte", "m0"), ("finish/corrections/exposure1/matte", "m2")]
        )
        self.assertEqual(list(variant.mattes_of("finish")), ["m0", "m1", "m2"])
        self.assertEqual(list(variant.up_to_beauty.mattes), ["m0"])
        self.assertEqual((list(variant.joined_from("m2")), variant.joins_of("m0")), (["m0", "m1", "m2"], ["m2"]))

    def test_documents_of_version_1(self) -> None:
        old = {"recolours": [{"hue": 20, "object_name": "hull", "id": "a"}, {"value": 2}]}
        for version in ({"schema_version": 1}, {}):
            variant = Variant.model_validate({**version, "surface": old})
            self.assertEqual(
                [(c.id, c.kind, c.matte) for c in variant.surface.changes],
                [("a", "recolour", "hull"), ("recolour1", "recolour", None)],
            )
            self.assertEqual((variant.schema_version, variant.mattes["hull"].names), (2, ("hull",)))
        self.assertEqual(Variant.model_validate({"schema_version": 1}), Variant())
