import unittest

from escala.media.layers import layers_of_parts


class LayerTest(unittest.TestCase):
    def names(self, *parts: tuple[str, list[str]]) -> dict[str, str]:
        return {layer.name: "".join(layer.letters) for layer in layers_of_parts(parts)}

    def test_layers_of_one_part(self) -> None:
        channels = [
            "R",
            "G",
            "B",
            "A",
            "Z",
            "diffuse.R",
            "diffuse.G",
            "diffuse.B",
            "N.X",
            "N.Y",
            "N.Z",
            "uv.U",
            "uv.V",
            "dd.T",
        ]
        self.assertEqual(
            self.names(("", channels)),
            {"": "RGBA", "Z": "Z", "diffuse": "RGB", "N": "XYZ", "uv": "UV", "dd": "T"},
        )

    def test_words_and_underscores_for_letters(self) -> None:
        self.assertEqual(self.names(("", ["key.red", "key.green", "key.blue"])), {"key": "RGB"})
        self.assertEqual(self.names(("", ["key_R", "key_G", "key_B"])), {"key": "RGB"})

    def test_single_letters_of_any_case_and_after_an_underscore(self) -> None:
        self.assertEqual(self.names(("", ["N_x", "N_y", "N_z", "st_U", "st_V"])), {"N": "XYZ", "st": "UV"})
        self.assertEqual(self.names(("", ["P.x", "P.y", "P.z", "r", "g", "b"])), {"P": "XYZ", "": "RGB"})
        self.assertEqual(
            self.names(("", ["side_x", "lamp_a", "lamp_b"])),
            {"side_x": "side_x", "lamp_a": "lamp_a", "lamp_b": "lamp_b"},
        )

    def test_parts_name_their_passes(self) -> None:
        self.assertEqual(
            self.names(("direct", ["R", "G", "B"]), ("Albedo", ["R", "G", "B"])), {"direct": "RGB", "Albedo": "RGB"}
        )

    def test_equal_names_in_two_parts_are_distinguished(self) -> None:
        found = self.names(("left", ["key.R", "key.G", "key.B"]), ("right", ["key.R", "key.G", "key.B"]))
        self.assertEqual(set(found), {"key", "right.key"})
