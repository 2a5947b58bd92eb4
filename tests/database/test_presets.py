from escala.database.presets import all_presets, drop_preset, keep_preset
from escala.database.shots import NotFound
from escala.model.corrections import ContrastCorrection, ExposureCorrection
from tests.database.test_revisions import RecordTest


class PresetTest(RecordTest):
    def test_kept_without_where_replaced_and_removed(self) -> None:
        keep_preset(self.session, "night", [ContrastCorrection(amount=1.2, matte="hull", of={"light": "key"})])
        keep_preset(self.session, "dawn", [ExposureCorrection(stops=1)])
        keep_preset(self.session, "night", [ContrastCorrection(amount=1.4, opacity=0.5)])
        found = {row.name: row.corrections for row in all_presets(self.session)}
        self.assertEqual(list(found), ["dawn", "night"])
        (kept,) = found["night"]
        self.assertEqual((kept["amount"], kept["opacity"]), (1.4, 0.5))
        self.assertFalse({"matte", "of", "id"} & set(kept))
        drop_preset(self.session, "dawn")
        with self.assertRaisesRegex(NotFound, "no preset 'dawn'"):
            drop_preset(self.session, "dawn")
