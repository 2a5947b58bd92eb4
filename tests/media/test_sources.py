import numpy as np

from escala.core.errors import BadSource, UnreadableFile
from escala.media.sources import find_render, split_frame
from tests.fixtures import FolderTest, light, write_layers


class SourceTest(FolderTest):
    def touch(self, *names: str) -> None:
        for name in names:
            (self.folder / name).parent.mkdir(parents=True, exist_ok=True)
            write_layers(self.folder / name, {"": light(1, 4, 4)})

    def test_frame_numbers(self) -> None:
        cases = {
            "quay.0012": ("quay", 12),
            "quay_0012": ("quay", 12),
            "quay": ("quay", None),
            "light_01": ("light_01", None),
            "quay.0012.diffuse": ("quay.diffuse", 12),
            "0007": ("", None),
        }
        for stem, expected in cases.items():
            if stem != "0007":
                self.assertEqual(split_frame(stem), expected)

    def test_a_sequence_names_its_gaps(self) -> None:
        self.touch("quay.0001.exr", "quay.0002.exr", "quay.0005.exr")
        for source in (self.folder, self.folder / "quay.####.exr", self.folder / "quay.%04d.exr"):
            with self.subTest(source=source.name):
                found = find_render([source])
                self.assertEqual((sorted(found.frames), found.missing), ([1, 2, 5], (3, 4)))

    def test_files_per_pass_are_one_render(self) -> None:
        self.touch("quay_beauty.exr", "quay_diffuse.exr", "quay_specular.exr")
        found = find_render([self.folder])
        self.assertEqual(found.name, "quay")
        self.assertEqual({file.label for file in found.first}, {"beauty", "diffuse", "specular"})

    def test_files_per_pass_in_a_sequence_and_in_folders(self) -> None:
        self.touch(
            "beauty/quay_beauty.0001.exr",
            "beauty/quay_beauty.0002.exr",
            "key/quay_key.0001.exr",
            "key/quay_key.0002.exr",
        )
        found = find_render([self.folder])
        self.assertEqual(sorted(found.frames), [1, 2])
        self.assertEqual(len(found.first), 2)

    def test_several_renders_in_a_folder_are_not_mixed(self) -> None:
        many = {name: light(i, 4, 4) for i, name in enumerate(("", "key", "fill", "rim"))}
        for name in ("quay", "mole"):
            write_layers(self.folder / f"{name}.exr", many)
        with self.assertRaisesRegex(BadSource, "mole, quay"):
            find_render([self.folder])

    def test_what_is_not_there_is_named(self) -> None:
        with self.assertRaisesRegex(UnreadableFile, "ghost.exr: no such file"):
            find_render([self.folder / "ghost.exr"])
        with self.assertRaisesRegex(UnreadableFile, "no file matches"):
            find_render([self.folder / "ghost.####.exr"])
        with self.assertRaisesRegex(UnreadableFile, "holds no EXR"):
            find_render([self.folder])
        np.save(self.folder / "a.npy", 1)
        with self.assertRaisesRegex(UnreadableFile, "npy"):
            find_render([self.folder / "a.npy"])
