import numpy as np

from escala.media.exr import write_exr
from escala.media.stills import StillOptions, still_pixels, write_still
from escala.media.whole_files import is_whole
from escala.media.windows import Window
from tests.fixtures import FolderTest, light


class WholeFilesTest(FolderTest):
    def test_files_cut_short_empty_or_absent_are_not_whole(self) -> None:
        planes = light(1, 64, 96, top=1)
        window = Window(0, 0, 96, 64)
        write_exr(self.folder / "a.exr", dict(zip("RGB", planes.astype(np.float16), strict=True)), window, window)
        for name in ("a.png", "a.tif", "a.jpg"):
            write_still(self.folder / name, still_pixels(planes, 8), {}, StillOptions())
        for name in ("a.exr", "a.png", "a.tif", "a.jpg"):
            with self.subTest(name=name):
                path = self.folder / name
                self.assertTrue(is_whole(path))
                whole = path.read_bytes()
                for share in (0.9, 0.4, 0.0):
                    path.write_bytes(whole[: int(len(whole) * share)])
                    self.assertFalse(is_whole(path), share)
                path.unlink()
                self.assertFalse(is_whole(path))
