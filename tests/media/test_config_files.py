import zipfile

from escala.core.errors import BadSource, TooLarge
from escala.media.config_files import config_place, find_config, unpack_archives
from escala.media.configs import colour_config
from tests.fixture_config import CONFIG, write_config
from tests.fixtures import FolderTest


class ConfigFilesTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.source = self.folder / "source"
        self.target = self.folder / "target"
        self.target.mkdir()
        write_config(self.source)

    def pack(self, name: str, prefix: str = "") -> None:
        with zipfile.ZipFile(self.target / name, "w") as packed:
            for file in self.source.rglob("*.*"):
                packed.write(file, prefix + str(file.relative_to(self.source)))

    def test_an_archive_is_unpacked_and_its_config_works(self) -> None:
        for name, prefix in (("quay.zip", "studio/"), ("quay.ocioz", "")):
            with self.subTest(name=name):
                self.pack(name, prefix)
                unpack_archives(self.target, 1 << 20)
                self.assertFalse((self.target / name).exists())
                found = find_config(self.target)
                self.assertEqual(colour_config(str(found)).faults, ())

    def test_an_archive_cannot_write_elsewhere(self) -> None:
        with zipfile.ZipFile(self.target / "sly.zip", "w") as packed:
            packed.writestr("../../escaped.ocio", "ocio_profile_version: 2")
        with self.assertRaisesRegex(BadSource, "leaves the target folder"):
            unpack_archives(self.target, 1 << 20)
        self.assertFalse((self.folder.parent / "escaped.ocio").exists())

    def test_sizes_and_broken_archives_are_reported(self) -> None:
        with zipfile.ZipFile(self.target / "big.zip", "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("config.ocio", "x" * 5000)
        with self.assertRaises(TooLarge):
            unpack_archives(self.target, 4000)
        (self.target / "big.zip").write_bytes(b"not an archive at all")
        with self.assertRaisesRegex(BadSource, "big.zip"):
            unpack_archives(self.target, 1 << 20)

    def test_a_damaged_entry_is_reported_and_nothing_of_it_stays(self) -> None:
        self.pack("torn.zip")
        data = bytearray((self.target / "torn.zip").read_bytes())
        place = data.index(b"LUT_3D_SIZE")
        data[place : place + 4] = b"\xff\xfe\xfd\xfc"
        (self.target / "torn.zip").write_bytes(bytes(data))
        with self.assertRaisesRegex(BadSource, "torn.zip: the archive cannot be read"):
            unpack_archives(self.target, 1 << 20)
        self.assertEqual([file.name for file in self.target.rglob("print.cube")], [])

    def test_what_an_archive_hides_is_left_out(self) -> None:
        with zipfile.ZipFile(self.target / "mac.zip", "w") as packed:
            packed.writestr("config.ocio", CONFIG)
            packed.writestr("__MACOSX/._config.ocio", "junk")
            packed.writestr("..\\..\\x.cube", "junk")
        with self.assertRaisesRegex(BadSource, "leaves the target folder"):
            unpack_archives(self.target, 1 << 20)

    def test_names_that_lead_out_or_are_of_no_use_are_refused(self) -> None:
        for name in ("../a.cube", "/etc/a.cube", "C:/a.cube", "notes.txt", "", "a/../../b.cube"):
            with self.subTest(name=name), self.assertRaises(BadSource):
                config_place(self.target, name)
        self.assertEqual(config_place(self.target, "luts/day & night.cube"), self.target / "luts" / "day & night.cube")

    def test_the_config_nearest_to_the_top_is_taken(self) -> None:
        with self.assertRaisesRegex(BadSource, "no .ocio"):
            find_config(self.target)
        (self.target / "deep").mkdir()
        (self.target / "deep" / "config.ocio").write_text("")
        (self.target / "mine.ocio").write_text("")
        self.assertEqual(find_config(self.target).name, "mine.ocio")
        (self.target / "yours.ocio").write_text("")
        with self.assertRaisesRegex(BadSource, r"mine\.ocio, yours\.ocio"):
            find_config(self.target)
