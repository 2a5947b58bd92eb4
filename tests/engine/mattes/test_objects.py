import json
from pathlib import Path

import numpy as np
import OpenEXR

from escala.core.errors import UnknownChoice
from escala.core.mattes.cryptomatte import encode_ranks, layer_key, name_to_id_bits
from escala.engine.mattes.manifests import crypto_layers
from escala.engine.mattes.objects import matte_of_objects
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, channels_of, light, write_layers


class ManifestTest(FolderTest):
    """Manifests as files may hold them: what is no id says nothing, and the ids themselves still do."""

    def write(self, **attributes: str) -> Path:
        self.shares = np.random.default_rng(2).random((2, 24, 32)).astype(np.float32) / 2
        ids = {name_to_id_bits(name): share for name, share in zip(("hull", "sail"), self.shares, strict=True)}
        ranks = encode_ranks(ids, 2)
        channels = channels_of({"": light(1)})
        channels |= {f"Obj00.{letter}": plane for letter, plane in zip("RGBA", ranks, strict=True)}
        header = {
            "compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage,
            f"cryptomatte/{layer_key('Obj')}/name": "Obj",
            **{f"cryptomatte/{layer_key('Obj')}/{key}": value for key, value in attributes.items()},
        }  # fmt: skip
        path = self.folder / f"crypto{len(list(self.folder.glob('crypto*')))}.exr"
        OpenEXR.File(header, channels).write(str(path))
        return path

    def names(self, path: Path) -> list[str]:
        (layer,) = crypto_layers(engine_for(path).frame)
        return sorted(layer.manifest)

    def test_odd_manifests_leave_the_ids(self) -> None:
        deep = '{"a":' * 3000 + "1" + "}" * 3000
        for text in ("", "{", "[]", '"x"', "3", deep, '{"hull": "fffffffff"}', '{"hull": "-1"}', '{"hull": ["ab"]}'):
            with self.subTest(text=text[:20]):
                path = self.write(manifest=text)
                self.assertEqual(self.names(path), [])
                np.testing.assert_array_equal(matte_of_objects(engine_for(path).frame, ["sail"], None), self.shares[1])
        mixed = json.dumps({"hull": f"{name_to_id_bits('hull'):08x}", "odd": "12345678x", "灯": "1"})
        path = self.write(manifest=mixed)
        self.assertEqual(self.names(path), ["hull", "灯"])
        with self.assertRaises(UnknownChoice):
            matte_of_objects(engine_for(path).frame, ["odd"], None)

    def test_a_sidecar_is_read_beside_the_picture_and_nowhere_else(self) -> None:
        good = json.dumps({"hull": f"{name_to_id_bits('hull'):08x}"})
        (self.folder / "names.json").write_text(good)
        self.assertEqual(self.names(self.write(manif_file="names.json")), ["hull"])
        outside = self.folder.parent / f"{self.folder.name}-names.json"
        outside.write_text(good)
        self.addCleanup(outside.unlink)
        (self.folder / "link.json").symlink_to(outside)
        (self.folder / "binary.json").write_bytes(b"\xff\xfe" * 40)
        (self.folder / "folder.json").mkdir()
        for name in ("link.json", f"../{outside.name}", str(outside), "binary.json", "folder.json", "ghost.json"):
            with self.subTest(name=name):
                self.assertEqual(self.names(self.write(manif_file=name)), [])


class MatteTest(FolderTest):
    def test_objects_by_name_and_by_hash(self) -> None:
        shares = np.random.default_rng(1).random((2, 8, 10)).astype(np.float32)
        names = ("hull", "sail")
        ranks = encode_ranks({name_to_id_bits(n): s for n, s in zip(names, shares, strict=True)}, 2)
        planes = {f"Obj00.{letter}": plane for letter, plane in zip("RGBA", ranks, strict=True)}
        key = f"cryptomatte/{layer_key('Obj')}"
        manifest = json.dumps({name: f"{name_to_id_bits(name):08x}" for name in names})
        for extra in ({f"{key}/manifest": manifest}, {}):
            with self.subTest(manifest=bool(extra)):
                header = {f"{key}/name": "Obj", f"{key}/hash": "MurmurHash3_32", **extra}
                path = write_layers(self.folder / f"c{len(extra)}.exr", {"": light(1, 8, 10), **planes}, **header)
                frame = engine_for(path).frame
                np.testing.assert_array_equal(matte_of_objects(frame, ["sail"], None), shares[1])
                np.testing.assert_allclose(
                    matte_of_objects(frame, names, "Obj"), np.minimum(shares.sum(axis=0), 1), rtol=1e-6
                )
                with self.assertRaisesRegex(UnknownChoice, "ghost"):
                    matte_of_objects(frame, ["ghost"], None)
