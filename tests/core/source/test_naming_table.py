"""Single names with what they mean, as a render of many passes would use them."""

import unittest

from escala.core.roles import Portion, Role
from escala.core.source.naming import NamedPass, recognise_passes, split_words
from escala.media.naming_table import naming_table

RGB = ("R", "G", "B")
T, D, N, C = Portion.TOTAL, Portion.DIRECT, Portion.INDIRECT, Portion.COLOUR

COMPONENTS = {
    "diffuse": ("diffuse", T), "Diffuse": ("diffuse", T), "DIFFUSE": ("diffuse", T), "diff": ("diffuse", T),
    "diffuse_direct": ("diffuse", D), "direct_diffuse": ("diffuse", D), "DirectDiffuse": ("diffuse", D),
    "DiffDir": ("diffuse", D), "diff_dir": ("diffuse", D), "diffuse.direct": ("diffuse", D),
    "diffuse-indirect": ("diffuse", N), "indirectDiffuse": ("diffuse", N), "DiffInd": ("diffuse", N),
    "diffuse bounce": ("diffuse", N), "DiffCol": ("diffuse", C), "diffuse_color": ("diffuse", C),
    "diffuse_albedo": ("diffuse", C), "albedo": ("diffuse", C), "diffuseFilter": ("diffuse", C),
    "specular": ("specular", T), "spec": ("specular", T), "reflection": ("specular", T), "Refl": ("specular", T),
    "glossy_direct": ("specular", D), "GlossDir": ("specular", D), "GlossInd": ("specular", N),
    "specular_indirect": ("specular", N), "indirect specular": ("specular", N), "SpecularColor": ("specular", C),
    "transmission": ("transmission", T), "refraction": ("transmission", T), "TransDir": ("transmission", D),
    "transmission_indirect": ("transmission", N), "refr": ("transmission", T),
    "sss": ("subsurface", T), "SSS": ("subsurface", T), "subsurface_direct": ("subsurface", D),
    "SubsurfaceScattering": ("subsurface", T), "translucency": ("subsurface", T),
    "volume": ("volume", T), "VolumeDir": ("volume", D), "volume_indirect": ("volume", N), "fog": ("volume", T),
    "atmosphere": ("volume", T), "emission": ("emission", T), "Emit": ("emission", T), "emissive": ("emission", T),
    "selfIllum": ("emission", T), "environment": ("environment", T), "Env": ("environment", T),
    "background": ("environment", T), "coat": ("coat", T), "clearcoat": ("coat", T), "coat_direct": ("coat", D),
    "sheen": ("sheen", T), "sheen_indirect": ("sheen", N), "ambient": ("ambient", T), "caustics": ("caustics", T),
    "glow": ("glow", T), "bloom": ("glow", T),
}  # fmt: skip

DATA = {
    "depth": Role.DEPTH, "Depth": Role.DEPTH, "zDepth": Role.DEPTH, "Z": Role.DEPTH, "camera_depth": Role.DEPTH,
    "N": Role.NORMAL, "normal": Role.NORMAL, "Normals": Role.NORMAL, "world_normal": Role.NORMAL,
    "P": Role.POSITION, "position": Role.POSITION, "worldPosition": Role.POSITION, "Pworld": Role.POSITION,
    "uv": Role.UV, "UV": Role.UV, "texCoord": Role.UV, "motion": Role.MOTION, "motionVector": Role.MOTION,
    "velocity": Role.MOTION, "vector": Role.MOTION, "objectId": Role.ID, "material_id": Role.ID, "index": Role.ID,
    "ao": Role.OCCLUSION, "AO": Role.OCCLUSION, "ambientOcclusion": Role.OCCLUSION, "occlusion": Role.OCCLUSION,
    "shadow": Role.SHADOW, "Shadows": Role.SHADOW, "shadow_mask": Role.SHADOW, "mask": Role.MASK, "matte": Role.MASK,
    "variance": Role.VARIANCE, "sampleCount": Role.VARIANCE, "alpha": Role.ALPHA, "opacity": Role.ALPHA,
    "cryptomatte": Role.CRYPTOMATTE, "CryptoObject": Role.CRYPTOMATTE,
}  # fmt: skip

BEAUTIES = ("beauty", "Beauty", "rgba", "RGBA", "Combined", "final", "main", "bty", "color", "image", "render")


class NameTest(unittest.TestCase):
    def role_of(self, name: str, channels: tuple[str, ...] = RGB):
        named = [NamedPass(name, channels)]
        return recognise_passes(named, naming_table())[0]

    def test_components(self) -> None:
        for name, (component, portion) in COMPONENTS.items():
            with self.subTest(name=name):
                role = self.role_of(name)
                self.assertEqual((role.role, role.component, role.portion), (Role.COMPONENT, component, portion))
                self.assertGreater(role.sure, 0.5)
                self.assertTrue(role.reason)

    def test_data(self) -> None:
        for name, role in DATA.items():
            with self.subTest(name=name):
                self.assertEqual(self.role_of(name).role, role)

    def test_beauties(self) -> None:
        for name in BEAUTIES:
            with self.subTest(name=name):
                self.assertEqual(self.role_of(name).role, Role.BEAUTY)

    def test_prefixes_and_suffixes_change_nothing(self) -> None:
        for name, (component, portion) in list(COMPONENTS.items())[::7]:
            for frame in ("aov_{}", "{}_pass", "AOV.{}", "{}.layer", "Pass-{}"):
                with self.subTest(name=frame.format(name)):
                    role = self.role_of(frame.format(name))
                    self.assertEqual((role.component, role.portion), (component, portion))

    def test_what_no_word_explains_is_left_open(self) -> None:
        for name in ("zebra", "my_stuff", "x1", "thing.07"):
            with self.subTest(name=name):
                role = self.role_of(name)
                self.assertEqual(role.role, Role.OTHER)
                self.assertLess(role.sure, 0.5)

    def test_words_are_split_at_every_kind_of_seam(self) -> None:
        for name, words in {
            "diffuseDirect": ["diffuse", "direct"],
            "Diffuse_Direct": ["diffuse", "direct"],
            "HDRKey01": ["hdr", "key", "01"],
            "key.light-2": ["key", "light", "2"],
        }.items():
            with self.subTest(name=name):
                self.assertEqual([text for text, _, _ in split_words(name)], words)
