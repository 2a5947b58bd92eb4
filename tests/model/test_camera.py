"""Depth and Lens as documents: ranges, what is neutral, where mattes limit, pictures that they name."""

import unittest

from pydantic import ValidationError

from escala.model.variant import Variant


class CameraTest(unittest.TestCase):
    def test_values_out_of_range_are_refused_with_their_place(self) -> None:
        for document, place in (
            ({"depth": {"haze": {"density": -1}}}, "haze.density"),
            ({"depth": {"haze": {"colour": [-1, 0, 0]}}}, "haze.colour"),
            ({"depth": {"haze": {"height": {"thickness": 0}}}}, "height.thickness"),
            ({"depth": {"defocus": {"focus": 0}}}, "defocus.focus"),
            ({"depth": {"defocus": {"blades": 3}}}, "defocus.blades"),
            ({"depth": {"defocus": {"limit_px": 513}}}, "defocus.limit_px"),
            ({"depth": {"motion": {"shutter": 5}}}, "motion.shutter"),
            ({"depth": {"reading": {"scale": 0}}}, "reading.scale"),
            ({"depth": {"reading": {"kind": "log"}}}, "reading.kind"),
            ({"lens": {"distortion": {"k1": 2}}}, "distortion.k1"),
            ({"lens": {"glow": {"tint": [0, 0, 0]}}}, "glow.tint"),
            ({"lens": {"glare": {"streaks": 17}}}, "glare.streaks"),
            ({"lens": {"grain": {"size_px": 0.4}}}, "grain.size_px"),
            ({"lens": {"bokeh": {}}}, "lens.bokeh"),
            ({"source": {"denoise": {"strength": 2}}}, "denoise.strength"),
        ):
            with self.subTest(place), self.assertRaises(ValidationError) as caught:
                Variant.model_validate(document)
            found = ".".join(str(step) for step in caught.exception.errors()[0]["loc"])
            self.assertIn(place, found)

    def test_neutral_is_empty_and_written_back_as_it_was(self) -> None:
        self.assertFalse(Variant().depth.changes)
        self.assertEqual(Variant().lens.changing, ())
        document = {
            "depth": {"reading": {"pass": "Z"}, "motion": {"on": True, "pass": "vel"}},
            "lens": {"vignette": {"on": True, "centre": [3, 4]}},
        }
        variant = Variant.model_validate(document)
        again = Variant.model_validate(variant.model_dump(mode="json"))
        self.assertEqual(again, variant)
        self.assertEqual(variant.model_dump(mode="json")["depth"]["reading"]["pass"], "Z")
        self.assertEqual(variant.lens.changing, ("vignette",))

    def test_mattes_are_used_and_must_be_there(self) -> None:
        matte = {"kind": "ellipse", "centre": [1, 1], "radii": [1, 1]}
        document = {"mattes": {"m": matte}, "depth": {"haze": {"matte": "m"}}, "lens": {"glow": {"matte": "m"}}}
        uses = dict(Variant.model_validate(document).matte_uses())
        self.assertEqual(uses, {"depth/haze/matte": "m", "lens/glow/matte": "m"})
        with self.assertRaisesRegex(ValidationError, "no matte 'gone'"):
            Variant.model_validate({"lens": {"grain": {"matte": "gone"}}})

    def test_pictures_from_outside_are_found_wherever_they_are_named(self) -> None:
        document = {
            "lens": {"dirt": {"on": True, "picture": "glass.png"}},
            "surface": {"changes": [{"kind": "label", "pictures": ["a.png", "b.png"]}]},
        }
        variant = Variant.model_validate(document)
        self.assertEqual(variant.pictures, ("a.png", "b.png", "glass.png"))
        moved = variant.with_pictures(lambda path: f"/media/{path}")
        self.assertEqual(moved.pictures, ("/media/a.png", "/media/b.png", "/media/glass.png"))
