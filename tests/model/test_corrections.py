"""What corrections refuse, in a sentence that names it."""

import unittest

from pydantic import ValidationError

from escala.model.corrections import CurvesCorrection, RangeCorrection, RollOffCorrection


class RefusedTest(unittest.TestCase):
    def test_what_could_not_be_applied(self) -> None:
        for make, words in (
            (lambda: RangeCorrection(black=0.5, white=0.5), "black and white of a range differ"),
            (lambda: RollOffCorrection(start=2, limit=2), "the limit of a roll-off lies above its start"),
            (lambda: RollOffCorrection(start=2), "limit"),
            (lambda: CurvesCorrection(red=((1, 0), (0, 1))), "from left to right"),
            (lambda: CurvesCorrection(master=((0, 0), (1e9, 1))), "within 64 stops of grey"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValidationError, words):
                make()
