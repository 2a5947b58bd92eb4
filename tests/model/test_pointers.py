"""Numbers of a document by pointer: limits and neutral values."""

import unittest

from pydantic import ValidationError

from escala.core.errors import UnknownChoice
from escala.model.pointers import number_field
from escala.model.variant import Variant

VARIANT = Variant.model_validate(
    {
        "balance": {"lights": {"a/b": {"stops": 2}}},
        "finish": {"corrections": [{"kind": "cdl", "id": "c"}, {"kind": "exposure", "id": "e", "stops": 1}]},
        "depth": {"haze": {"height": {"thickness": 3}}},
        "plate": {"layers": [{"kind": "picture", "id": "sky", "path": "sky.png", "distance": 9}]},
    }
)


class NumberFieldTest(unittest.TestCase):
    def test_limits_and_neutral_values_are_those_of_the_models(self) -> None:
        for pointer, low, high, default in (
            ("balance/lights/a~1b/stops", -16, 16, 0.0),
            ("/balance/lights/other/kelvin", 1667, 25000, 6500.0),
            ("balance/components/specular/multiplier", 0, 65504, 1.0),
            ("depth/defocus/limit_px", 0, 512, 64.0),
            ("finish/corrections/e/stops", -16, 16, 0.0),
            ("finish/corrections/1/stops", -16, 16, 0.0),
            ("lens/vignette/stops", -16, 16, -1.0),
            ("plate/layers/sky/opacity", 0, 1, 1.0),
            ("plate/layers/sky/turn", -3600, 3600, 0.0),
            ("plate/layers/sky/scale", -1000, 1000, 1.0),
            ("plate/layers/sky/frame_rate", 0, 1000, None),
        ):
            with self.subTest(pointer):
                found = number_field(VARIANT, pointer)
                self.assertEqual((found.low, found.high, found.default), (low, high, default))
                self.assertEqual(
                    (found.channels, found.within(low - 1), found.within(high + 1)), (1, found.lowest, high)
                )

    def test_triples_and_open_limits(self) -> None:
        slope = number_field(VARIANT, "finish/corrections/c/slope")
        self.assertEqual((slope.channels, slope.default), (3, (1.0, 1.0, 1.0)))
        self.assertEqual(number_field(VARIANT, "depth/haze/colour").low, 0.0)
        focus = number_field(VARIANT, "depth/defocus/focus")
        self.assertEqual((focus.low, focus.is_low_open), (0.0, True))
        self.assertTrue(0 < focus.lowest < 1e-5)
        self.assertIsNone(number_field(VARIANT, "depth/haze/height/thickness").default)

    def test_a_value_beyond_a_limit_is_refused_by_the_document_too(self) -> None:
        for pointer in ("balance/lights/a~1b/stops", "depth/defocus/limit_px", "depth/haze/density"):
            field, steps = number_field(VARIANT, pointer), pointer.replace("~1", "/").split("/")
            if "lights" in steps:
                steps = ["balance", "lights", "a/b", "stops"]
            for value, is_fine in ((field.high, True), (field.high + 1, False), (field.low - 1, False)):
                document = VARIANT.model_dump(mode="json")
                part = document
                for step in steps[:-1]:
                    part = part[step]
                part[steps[-1]] = value
                with self.subTest(pointer=pointer, value=value):
                    if is_fine:
                        Variant.model_validate(document)
                    else:
                        self.assertRaises(ValidationError, Variant.model_validate, document)

    def test_what_is_no_number_is_refused(self) -> None:
        for pointer in (
            "balance/lights/a~1b/mute",
            "balance",
            "lens/none",
            "finish/corrections/x/stops",
            "colour/config",
        ):
            with self.subTest(pointer), self.assertRaises(UnknownChoice):
                number_field(VARIANT, pointer)
