import unittest

from pydantic import ValidationError

from escala.model.delivery_preset import DeliveryFile, DeliveryPreset


class DeliveryPresetTest(unittest.TestCase):
    def file(self, **facts: object) -> DeliveryFile:
        return DeliveryFile.model_validate({"what": "result", "format": "exr", **facts})

    def test_what_contradicts_itself_is_refused_in_a_sentence(self) -> None:
        for facts, words in (
            ({"space": "ACEScg", "display": "sRGB - Display"}, "exclude each other"),
            ({"format": "png", "pixel_type": "half"}, "png has no pixel_type"),
            ({"format": "tiff", "pixel_type": "half", "bits": 16}, "exclude each other"),
            ({"format": "png", "bits": 10}, "8 or 16 bits"),
            ({"format": "jpeg", "bits": 16}, "8 bits"),
            ({"bits": 16}, "no bits: use pixel_type"),
            ({"format": "mkv", "bits": 16}, "8 or 10 bits"),
            ({"compression": "lzw"}, "the compressions zip, none"),
            ({"format": "png", "compression": "zip"}, "no choice of compression"),
            ({"format": "mkv", "quality": 90}, "lossless"),
            ({"format": "jpeg", "alpha": True}, "no alpha"),
            ({"what": "passes", "format": "webm"}, "passes cannot be written as video"),
            ({"names": "{shot}.exr"}, "no extension"),
            ({"names": "{shot}_{mood}"}, "{mood} is no word"),
            ({"names": "{shot"}, "not a pattern"),
            ({"names": "{frame:04d}"}, "{frame} is no word"),
            ({"size": 0}, "size"),
            ({"size": [0, 10]}, "size"),
            ({"quality": 0, "format": "jpeg"}, "quality"),
            ({"what": "everything"}, "what"),
            ({"format": "gif"}, "format"),
            ({"colour": "ACEScg"}, "colour"),
        ):
            with self.subTest(facts=facts), self.assertRaises(ValidationError) as found:
                self.file(**facts)
            self.assertIn(words, str(found.exception))

    def test_defaults_follow_the_format(self) -> None:
        exr, png, video = self.file(), self.file(format="png"), self.file(format="webm")
        self.assertEqual((exr.packing, exr.is_as_shown, exr.pattern), ("zip", False, "{shot}_{variant}.{frame}"))
        self.assertEqual((png.depth, png.is_as_shown, png.is_float), (16, True, False))
        self.assertEqual((video.depth, video.pattern), (8, "{shot}_{variant}"))
        self.assertTrue(self.file(what="lights").is_layered)
        self.assertFalse(self.file(what="lights", names="{name}.{frame}").is_layered)
        self.assertIn("{name}", self.file(what="lights", format="png").pattern)
        self.assertFalse(self.file(format="png", space="ACEScg").is_as_shown)
        self.assertTrue(self.file(view="Raw").is_as_shown)

    def test_a_preset_says_what_it_is_and_has_a_file(self) -> None:
        file = {"what": "result", "format": "exr"}
        preset = DeliveryPreset.model_validate({"escala": "delivery", "name": "Comp", "files": [file]})
        again = DeliveryPreset.model_validate_json(preset.model_dump_json())
        self.assertEqual(again, preset)
        for document in (
            {"escala": "balance", "files": [file]},
            {"escala": "delivery", "files": []},
            {"files": [file]},
        ):
            with self.subTest(document=document), self.assertRaises(ValidationError):
                DeliveryPreset.model_validate(document)
