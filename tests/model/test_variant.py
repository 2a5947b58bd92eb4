import unittest

from pydantic import ValidationError

from escala.model.balance import Balance, Level, level_of
from escala.model.corrections import CdlCorrection, ExposureCorrection
from escala.model.finish import Finish
from escala.model.variant import Variant


class VariantTest(unittest.TestCase):
    def test_there_and_back_through_json(self) -> None:
        variant = Variant(
            balance=Balance(
                lights={"key": Level(stops=-2, tint=(1, 0.5, 0.2))}, cells={"key/diffuse": Level(mute=True)}
            ),
            finish=Finish(corrections=(ExposureCorrection(stops=1), CdlCorrection(saturation=0.5))),
        )
        self.assertEqual(Variant.model_validate_json(variant.model_dump_json()), variant)

    def test_an_empty_document_is_neutral(self) -> None:
        variant = Variant.model_validate({})
        self.assertEqual((variant.balance.changes, variant.finish.corrections, variant.residual), (0, (), True))
        self.assertTrue(level_of(variant.balance.lights, "any").is_neutral)

    def test_what_is_out_of_range_or_unknown_is_refused(self) -> None:
        wrong = (
            {"balance": {"lights": {"key": {"stops": 17}}}},
            {"balance": {"lights": {"key": {"tint": [-1, 1, 1]}}}},
            {"balance": {"lights": {"key": {"kelvin": 10}}}},
            {"finish": {"corrections": [{"kind": "polish"}]}},
            {"finish": {"corrections": [{"kind": "cdl", "slope": [-1, 1, 1]}]}},
            {"schema_version": 3},
            {"schema_version": 2, "surface": {"recolours": []}},
            {"colour": {"config": ""}},
            {"shade": 1},
        )
        for document in wrong:
            with self.subTest(document=document), self.assertRaises(ValidationError):
                Variant.model_validate(document)

    def test_documents_are_frozen(self) -> None:
        with self.assertRaises(ValidationError):
            Variant().residual = False  # type: ignore[misc]
