import unittest

from escala.core.source.naming import NamedPass, recognise_passes
from escala.media.naming_table import naming_table

# What each row expects: role, light, component, portion. Channels are RGB unless given after a colon.
DIALECTS = {
    "own": {
        "beauty": "beauty",
        "moon": "light_group moon",
        "quay_lamps": "light_group quay_lamps",
        "moon_diffuse": "light_component moon diffuse total",
        "quay_lamps_specular": "light_component quay_lamps specular total",
        "diffuse_direct": "component diffuse direct",
        "diffuse_colour": "component diffuse colour",
        "occlusion:Y": "occlusion",
        "depth:Z": "depth",
        "position:XYZ": "position",
        "motion:XY": "motion",
        "variance:Y": "variance",
        "CryptoObject00:RGBA": "cryptomatte",
    },
    "prefixed lights": {
        "": "beauty",
        "lg_key": "light_group key",
        "lg_fill": "light_group fill",
        "direct": "component direct total",
        "indirect": "component indirect total",
        "Albedo": "component diffuse colour",
        "dd:T": "depth",
    },
    "lights after a mark": {
        "RGBA": "beauty",
        "RGBA_key": "light_group key",
        "diffuse_key": "light_component key diffuse total",
        "N:XYZ": "normal",
        "P:XYZ": "position",
        "Z:Z": "depth",
    },
    "camel and shortened": {
        "Layer.Combined": "beauty",
        "Layer.DiffDir": "component diffuse direct",
        "Layer.DiffInd": "component diffuse indirect",
        "Layer.DiffCol": "component diffuse colour",
        "Layer.GlossDir": "component specular direct",
        "Layer.Emit": "component emission total",
        "Layer.Env": "component environment total",
        "Layer.Combined_lamp1": "light_group lamp1",
        "Layer.UV:UVA": "uv",
        "Layer.AO": "occlusion",
        "Layer.IndexOB:X": "id",
    },
    "with a shot's name": {
        "sq10_beauty": "beauty",
        "sq10_reflection": "component reflection total",
        "sq10_specular": "component specular total",
        "sq10_selfIllumination": "component emission total",
        "sq10_refraction": "component transmission total",
        "sq10_LightSelect_Key_01": "light_group Key_01",
        "sq10_SSS": "component subsurface total",
        "sq10_zDepth:R": "depth",
    },
    "numbers and twins": {
        "C": "beauty",
        "light_01": "light_group light_01",
        "light_02": "light_group light_02",
        "directDiffuse_lgt_key": "light_component key diffuse direct",
        "coat_indirect": "component coat indirect",
        "volume_denoised": "component volume total",
        "shadow_key": "shadow key",
    },
}

# What all names begin with, whatever its words mean; families of lights; raw light and filters; single odd words.
FAMILIES = {
    "a layer of words that mean something": {
        "fog_back.diffuse": "component diffuse total",
        "fog_back.emission": "component emission total",
        "fog_back.N:XYZ": "normal",
        "fog_back.P:XYZ": "position",
        "fog_back.Z:Z": "depth",
    },
    "a layer named after the whole picture": {
        "masterLayer.rgba": "beauty",
        "masterLayer.specular_direct": "component specular direct",
        "masterLayer.N:XYZ": "normal",
    },
    "a layer named after a light and a shadow": {
        "moonShadow.diffuse": "component diffuse total",
        "moonShadow.coat": "component coat total",
        "moonShadow.depth:Z": "depth",
    },
    "a shared word that does mean something": {
        "diffuse_direct": "component diffuse direct",
        "diffuse_indirect": "component diffuse indirect",
        "diffuse_color": "component diffuse colour",
    },
    "lights after the whole picture": {
        "RGBA": "beauty",
        "RGBA_lantern": "light_group lantern",
        "RGBA_env": "light_group env",
        "RGBA_ambient": "light_group ambient",
    },
    "components after the whole picture": {
        "RGBA": "beauty",
        "RGBA_diffuse": "component diffuse total",
        "RGBA_sheen": "component sheen total",
    },
    "lights named like lobes": {
        "beauty": "beauty",
        "lg_specular_rim_light": "light_group specular_rim",
        "lg_stern_light": "light_group stern",
        "lg_emission": "light_group emission",
    },
    "lights before their mark": {
        "env_light": "light_group env",
        "dome_light": "light_group dome",
        "sun_light": "light_group sun",
    },
    "a letter for the whole picture": {"C": "beauty", "C_key": "light_group key", "C_env": "light_group env"},
    "light groups by component": {
        "lg_bow_diffuse": "light_component bow diffuse total",
        "lg_bow_specular": "light_component bow specular total",
        "lg_stern_diffuse": "light_component stern diffuse total",
        "lg_stern_specular": "light_component stern specular total",
    },
    "light groups noisy and denoised": {
        "lg_bow": "light_group bow",
        "lg_bow_denoised": "light_group bow",
        "lg_env": "light_group env",
        "lg_env_denoised": "light_group env",
    },
    "raw light": {
        "beauty": "beauty",
        "rawLighting": "component direct raw",
        "rawGI": "component indirect raw",
        "lighting": "component direct total",
        "GI": "component indirect total",
        "diffuseFilter": "component diffuse colour",
        "specular_raw": "component specular raw",
        "reflectionFilter": "component specular colour",
    },
    "single words": {
        "Ci": "beauty",
        "Pz:Y": "depth",
        "emitters": "component emission total",
        "sunlight": "light_group sunlight",
        "glossyTransmission": "component transmission total",
        "specular_coat": "component coat total",
        "worldNormals": "normal",
    },
    "other scripts": {"灯一": "other", "灯二": "other", "N灯": "other", "свет": "other"},
}


class DialectTest(unittest.TestCase):
    def test_names_are_read_in_every_dialect(self) -> None:
        for dialect, rows in (DIALECTS | FAMILIES).items():
            named = [NamedPass(*self.split(row)) for row in rows]
            for row, role in zip(rows, recognise_passes(named, naming_table()), strict=True):
                with self.subTest(dialect=dialect, name=row):
                    words = (role.role, role.light, role.component, role.portion)
                    self.assertEqual(" ".join(str(word) for word in words if word), rows[row], role.reason)

    def test_it_says_how_sure_it_is_and_why(self) -> None:
        known, unknown = recognise_passes(
            [NamedPass("emission", tuple("RGB")), NamedPass("qwx", tuple("RGB"))], naming_table()
        )
        self.assertGreater(known.sure, 0.9)
        self.assertLess(unknown.sure, 0.5)
        self.assertIn("qwx", unknown.reason)

    def test_a_denoised_twin_is_reported(self) -> None:
        role = recognise_passes([NamedPass("diffuse_denoised", tuple("RGB"))], naming_table())[0]
        self.assertEqual(role.twin, "denoised")

    @staticmethod
    def split(row: str) -> tuple[str, tuple[str, ...]]:
        name, _, channels = row.partition(":")
        return name, tuple(channels or "RGB")
