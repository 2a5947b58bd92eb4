from escala.core.colour.file_colour import FileColour, declared_space, input_space_of
from escala.core.colour.gamuts import GAMUTS
from escala.media.configs import colour_config
from tests.fixture_config import write_config
from tests.fixtures import FolderTest


class InputSpaceTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.aces = colour_config("ACES 2")

    def space(self, **facts: object) -> tuple[str, str]:
        found = input_space_of(self.aces, FileColour(**facts))  # type: ignore[arg-type]
        return found.name, found.reason

    def test_the_headers_own_word_counts_most(self) -> None:
        space, reason = self.space(name="a_acescg.exr", told="lin_p3d65", chromaticities=GAMUTS["AP0"])
        self.assertEqual((space, reason), ("Linear P3-D65", "the header names it"))

    def test_then_the_name_of_the_file(self) -> None:
        self.assertEqual(self.space(name="quay_ACEScg_v02.exr")[0], "ACEScg")
        self.assertEqual(self.space(name="quay.lin_rec2020.0012.exr")[0], "Linear Rec.2020")
        # Parts of words, and short words, tell nothing.
        self.assertEqual(self.space(name="myacescgfile.exr")[0], "Linear Rec.709 (sRGB)")

    def test_then_the_primaries(self) -> None:
        for gamut, space in (("AP1", "ACEScg"), ("AP0", "ACES2065-1"), ("P3-D65", "Linear P3-D65")):
            found, reason = self.space(name="quay.exr", chromaticities=GAMUTS[gamut])
            self.assertEqual(found, space)
            self.assertIn(gamut, reason)
        odd = (0.5, 0.3, 0.3, 0.5, 0.2, 0.1, 0.33, 0.33)
        self.assertIn("no known gamut", self.space(name="quay.exr", chromaticities=odd)[1])

    def test_whole_numbers_are_display_values(self) -> None:
        self.assertEqual(self.space(name="quay.png", encoded=True)[0], "sRGB Encoded Rec.709 (sRGB)")

    def test_nothing_said_is_the_standards_default(self) -> None:
        space, reason = self.space(name="quay.exr", told="a space of another studio")
        self.assertEqual(space, "Linear Rec.709 (sRGB)")
        self.assertIn("another studio", reason)
        self.assertIn("default", reason)

    def test_rules_of_an_own_config(self) -> None:
        config = colour_config(str(write_config(self.folder)))
        ruled = input_space_of(config, FileColour("big_boat.exr"))
        self.assertEqual((ruled.name, ruled.reason), ("Boat Film", "a file rule of the config says so"))
        self.assertEqual(input_space_of(config, FileColour("crates.exr")).name, "Quay Linear")

    def test_headers_say_it_in_several_ways(self) -> None:
        self.assertEqual(declared_space({"oiio:ColorSpace": "ACEScg"}), "ACEScg")
        self.assertEqual(declared_space({"escalaColourSpace": "Linear P3-D65"}), "Linear P3-D65")
        self.assertEqual(declared_space({"acesImageContainerFlag": 1}), "ACES2065-1")
        self.assertIsNone(declared_space({"owner": "ACEScg", "acesImageContainerFlag": 0}))
