import json
import os
import random
import shutil
from unittest import mock

import numpy as np
import OpenEXR

from escala.core.colour.file_colour import FileColour
from escala.core.errors import BadSource, BeingWritten, EscalaError
from escala.engine.source.intake import read_render
from escala.media import intake, store
from escala.media.decode import decode_frame_here
from escala.media.intake import DecodeFailed, import_frame
from escala.media.sources import SourceFile, find_render
from escala.media.store import (
    INDEX,
    FrameHeader,
    FrameWriter,
    PassSlot,
    RepairedFrame,
    StoredFrame,
    frame_key,
    trim_store,
)
from escala.media.windows import Window
from tests.fixtures import FolderTest, box, light, write_layers, write_parts


class LargeStoreTest(FolderTest):
    def test_planes_beyond_two_gibibytes(self) -> None:
        """The last of so many planes lies where its offset is no 32-bit number; the file is sparse until then."""
        rows, columns, count = 2048, 4096, 66
        slots = [PassSlot(f"p{i}", "", "f", "", ("Y",), ("Y",), "float", FileColour(), True) for i in range(count)]
        band = np.random.default_rng(0).random((64, columns), np.float32)
        with FrameWriter(self.folder / "large", slots, rows, columns) as writer:
            writer.write_plane(f"p{count - 1}", 0, np.pad(band, ((rows - 64, 0), (0, 0))))
            with mock.patch.object(store._PlaneGroup, "write_smaller_levels"):
                writer.finish(FrameHeader(Window(0, 0, columns, rows), Window(0, 0, columns, rows), 1.0))
        frame = StoredFrame(self.folder / "large")
        self.assertGreater(frame.passes[f"p{count - 1}"].levels[0][0], 1 << 31)
        np.testing.assert_array_equal(frame.planes(f"p{count - 1}")[0, -64:], band)
        self.assertEqual(float(frame.planes("p3").max()), 0.0)


class TrimTest(FolderTest):
    """Frames that something still reads stay, whatever they were made of."""

    def frame(self, name: str) -> StoredFrame:
        path = write_layers(self.folder / f"{name}.exr", {"": light(1, 40, 50)})
        return import_frame(find_render([path]).first, self.folder / "store", decoder=decode_frame_here)

    def test_frames_in_use_stay_and_others_go(self) -> None:
        kept, gone = self.frame("kept"), self.frame("gone")
        pixels, folder = kept.planes("rgba").copy(), gone.folder
        del gone
        trim_store(self.folder / "store", 0)
        self.assertFalse(folder.exists())
        np.testing.assert_array_equal(StoredFrame(kept.folder).planes("rgba"), pixels)

    def test_the_parts_of_a_repaired_frame_stay(self) -> None:
        kept, folder = self.frame("kept"), self.folder / "store" / "repaired"
        with FrameWriter(folder, [slot_of(kept)], 40, 50) as writer:
            for index in range(3):
                writer.write_plane("rgba", index, np.full((40, 50), index, np.float16))
            writer.finish(kept.header)
        repaired = RepairedFrame(StoredFrame(folder), kept)
        del kept
        trim_store(self.folder / "store", 0)
        np.testing.assert_array_equal(repaired.planes("rgba")[:, 5, 5], [0, 1, 2])
        self.assertEqual(len(list((self.folder / "store").iterdir())), 2)

    def test_pixels_that_another_process_deleted_can_still_be_read(self) -> None:
        frame = self.frame("kept")
        shutil.rmtree(frame.folder)
        np.testing.assert_array_equal(frame.planes("rgba"), light(1, 40, 50).astype(np.float16))


def slot_of(frame: StoredFrame) -> PassSlot:
    found = frame.passes["rgba"]
    return PassSlot("rgba", "", found.file, "", found.channels, found.letters, "half", found.colour, False)


class IntakeTest(FolderTest):
    def decoded(self, *files: SourceFile) -> StoredFrame:
        """Decode in this process."""
        target = self.folder / "store" / f"{random.random()}"
        decode_frame_here(files, target, lambda share: None)
        return StoredFrame(target)

    def test_pixels_come_back_to_the_bit(self) -> None:
        kinds = {"half": np.float16, "float": np.float32}
        for name, kind in kinds.items():
            with self.subTest(kind=name):
                planes = light(1, 70, 90)
                path = write_layers(self.folder / f"{name}.exr", {"key": planes}, kind)
                frame = self.decoded(SourceFile(path))
                self.assertEqual(frame.passes["key"].pixel_type, name)
                np.testing.assert_array_equal(frame.planes("key"), planes.astype(kind))
                self.assertEqual(frame.planes("key", 1).shape, (3, 35, 45))

    def test_all_compressions_that_lose_nothing(self) -> None:
        planes = light(2, 40, 50)
        names = ["NO", "RLE", "ZIPS", "ZIP", "PIZ"]
        for name in names:
            with self.subTest(compression=name):
                path = self.folder / f"{name}.exr"
                write_layers(path, {"": planes}, compression=getattr(OpenEXR, f"{name}_COMPRESSION"))
                np.testing.assert_array_equal(self.decoded(SourceFile(path)).planes("rgba"), planes.astype(np.float16))

    def test_data_windows_inside_and_beyond_the_picture(self) -> None:
        for x, y, width, height in ((4, 3, 10, 8), (-3, -2, 40, 30)):
            with self.subTest(x=x):
                planes = light(1, height, width)
                windows = {"dataWindow": box(x, y, width, height), "displayWindow": box(0, 0, 32, 24)}
                frame = self.decoded(SourceFile(write_layers(self.folder / f"w{x}.exr", {"": planes}, **windows)))
                raster = frame.header.raster
                self.assertEqual((frame.header.display.width, frame.header.display.height), (32, 24))
                top, left = y - raster.y, x - raster.x
                inside = frame.planes("rgba")[:, top : top + height, left : left + width]
                np.testing.assert_array_equal(inside, planes.astype(np.float16))
                self.assertEqual(
                    float(frame.planes("rgba").astype(np.float64).sum()), float(planes.astype(np.float64).sum())
                )

    def test_parts_tiles_and_alpha(self) -> None:
        parts = {"rgba": np.concatenate([light(1), light(2)[:1]]), "key": light(3), "depth": light(4)[0]}
        frame = self.decoded(SourceFile(write_parts(self.folder / "parts.exr", parts)))
        self.assertEqual(set(frame.passes), {"rgba", "rgba.A", "key", "depth"})
        tiled = self.folder / "tiled.exr"
        tiles = OpenEXR.TileDescription()
        tiles.xSize = tiles.ySize = 16
        header = {"type": OpenEXR.tiledimage, "tiles": tiles}
        write_layers(tiled, {"": light(5)}, **header)
        np.testing.assert_array_equal(self.decoded(SourceFile(tiled)).planes("rgba"), light(5).astype(np.float16))

    def test_separate_files_must_be_of_one_size(self) -> None:
        first = write_layers(self.folder / "q_beauty.exr", {"": light(1)})
        second = write_layers(self.folder / "q_key.exr", {"": light(1, 8, 8)})
        with self.assertRaisesRegex(BadSource, "8 × 8"):
            self.decoded(SourceFile(first, "beauty"), SourceFile(second, "key"))

    def test_a_frame_is_decoded_once_and_again_when_its_file_changes(self) -> None:
        path = write_layers(self.folder / "a.exr", {"": light(1)})
        store = self.folder / "store"
        first = import_frame(find_render([path]).first, store)
        again = import_frame(find_render([path]).first, store)
        self.assertEqual(first.folder, again.folder)
        write_layers(path, {"": light(2, 30, 30)})
        self.assertNotEqual(import_frame(find_render([path]).first, store).folder, first.folder)

    def test_a_long_sequence_is_opened_by_its_first_frame_alone(self) -> None:
        for number in range(1, 41):
            write_layers(self.folder / f"long.{number:04d}.exr", {"": light(1)})
        (self.folder / "long.0020.exr").write_bytes(b"broken, and not looked at")
        store = self.folder / "store"
        render, _ = read_render([self.folder / "long.####.exr"], store)
        self.assertEqual((len(render.frames), len(list(store.iterdir()))), (40, 1))

    def test_the_store_keeps_to_its_limit(self) -> None:
        store = self.folder / "store"
        for i in range(3):
            path = write_layers(self.folder / f"{i}.exr", {"": light(i)})
            kept = import_frame(find_render([path]).first, store)
        trim_store(store, 1)
        self.assertEqual([frame.name for frame in store.iterdir()], [kept.folder.name])


class BrokenFileTest(FolderTest):
    """The child may fall; the caller gets a sentence."""

    def report_progress(self, data: bytes) -> str:
        path = self.folder / "broken.exr"
        path.write_bytes(data)
        try:
            decode_frame_here([SourceFile(path)], self.folder / "store" / "x", lambda share: None)
        except EscalaError as error:
            return str(error)
        return ""

    def test_truncated_files_are_refused_in_a_sentence(self) -> None:
        whole = write_layers(self.folder / "whole.exr", {"": light(1, 64, 64)}).read_bytes()
        for size in (0, 3, 4, 20, 200, len(whole) // 2, len(whole) - 40):
            with self.subTest(size=size):
                self.assertRegex(self.report_progress(whole[:size]), r"broken\.exr: .*(not an OpenEXR|cannot be read)")

    def test_a_claim_of_absurd_size_is_refused_before_memory_is_taken(self) -> None:
        whole = write_layers(self.folder / "whole.exr", {"": light(1, 8, 8)}).read_bytes()
        for side in (200_000, 40_000):
            window = np.array([0, 0, side - 1, side - 1], np.int32).tobytes()
            small = np.array([0, 0, 7, 7], np.int32).tobytes()
            with self.subTest(side=side):
                self.assertRegex(self.report_progress(whole.replace(small, window)), "claims|cannot be read")

    def test_deep_data_is_refused(self) -> None:
        samples = np.empty((4, 4), object)
        for place in np.ndindex(4, 4):
            samples[place] = np.zeros(2, np.float32)
        path = self.folder / "deep.exr"
        OpenEXR.File({"type": OpenEXR.deepscanline, "compression": OpenEXR.ZIPS_COMPRESSION}, {"Z": samples}).write(
            str(path)
        )
        self.assertIn("deep data", self.report_progress(path.read_bytes()))

    def test_the_child_process_reports_what_is_wrong(self) -> None:
        path = self.folder / "note.exr"
        path.write_text("hello")
        with self.assertRaisesRegex(DecodeFailed, "note.exr: not an OpenEXR file"):
            import_frame([SourceFile(path)], self.folder / "store")
        self.assertFalse(list((self.folder / "store").glob(f"*/{INDEX}")))

    def test_flipped_bytes_never_bring_down_the_caller(self) -> None:
        whole = bytearray(write_layers(self.folder / "whole.exr", {"": light(1, 32, 32)}).read_bytes())
        rng = random.Random(7)
        for i in range(4):
            spoiled = bytearray(whole)
            for _ in range(6):
                spoiled[rng.randrange(8, len(spoiled))] = rng.randrange(256)
            path = self.folder / f"spoiled{i}.exr"
            path.write_bytes(spoiled)
            try:
                frame = import_frame([SourceFile(path)], self.folder / "store")
                self.assertTrue(json.loads((frame.folder / INDEX).read_text())["passes"])
            except EscalaError as error:
                self.assertIn(path.name, str(error))


class ChangingFileTest(FolderTest):
    """A file that changes while it is read never gives a frame of two states."""

    def setUp(self) -> None:
        super().setUp()
        self.file = self.folder / "running.exr"
        self.states = [{"": light(n), "key": light(n + 10)} for n in range(2)]
        self.write(0)

    def write(self, state: int) -> None:
        """Another state in place of the file, as if in the same tick of the clock."""
        other = write_layers(self.folder / "other.exr", self.states[state])
        os.utime(other, ns=(10**18, 10**18))
        other.replace(self.file)

    def test_two_states_of_one_size_and_time_have_keys_of_their_own(self) -> None:
        files, keys = (SourceFile(self.file),), set()
        for state in (0, 1, 0):
            self.write(state)
            keys.add(frame_key(files))
        self.assertEqual(len(keys), 2)

    def test_what_was_read_of_two_states_is_let_go(self) -> None:
        files = (SourceFile(self.file),)
        key = frame_key(files)
        with self.assertRaisesRegex(BeingWritten, r"running\.exr is still being written"):
            decode_frame_here(files, self.folder / "store" / key, lambda share: self.write(1), key)
        self.assertEqual(list((self.folder / "store").iterdir()), [])

    def test_reading_is_begun_anew_and_gives_the_later_state_whole(self) -> None:
        files, decode, times = (SourceFile(self.file),), intake.decode_in_child, []

        def changing(files, folder, progress, key) -> None:
            if not times:
                self.write(1)
            times.append(key)
            decode(files, folder, progress, key)

        with mock.patch.object(intake, "decode_in_child", changing):
            frame = intake.import_frame(files, self.folder / "store")
        self.assertEqual((len(times), len(set(times))), (2, 2))
        for name, planes in (("rgba", self.states[1][""]), ("key", self.states[1]["key"])):
            np.testing.assert_array_equal(frame.planes(name).astype(np.float32), planes)

    def test_one_that_never_rests_is_reported(self) -> None:
        def never(*_: object) -> None:
            raise BeingWritten("it is still being written")

        with mock.patch.object(intake, "decode_in_child", never), self.assertRaises(BeingWritten):
            intake.import_frame((SourceFile(self.file),), self.folder / "store")
