"""The workshop: evaluators made once, let go in time, and shared by shots of the same files."""

import gc
import threading
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

import cv2
import numpy as np

from escala.core.errors import BadSource
from escala.engine import evaluator_pool, images
from escala.engine.evaluator_pool import EvaluatorPool
from escala.engine.images import ImagePool, ImageSource
from escala.engine.viewer.viewport import full_viewport
from escala.engine.worker import EXACT, PREVIEW, yield_to_urgent
from escala.media.clips import open_clip
from escala.media.decode import decode_frame_here
from escala.media.intake import import_frame
from escala.media.sources import SourceFile
from escala.media.store import StoredFrame
from escala.model.render import Render
from escala.model.variant import Variant
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import FolderTest, write_layers
from tests.media.test_clips import write_video


class EvaluatorPoolTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator_pool = EvaluatorPool(self.folder / "store", 1 << 30)
        self.addCleanup(self.evaluator_pool.close)
        self.render = self.read("grid")

    def read(self, name: str) -> Render:
        file = write_layers(self.folder / f"{name}.exr", grid_passes())
        return self.evaluator_pool.read([str(file)], False, lambda share, doing: None)[0]

    def test_of_many_who_ask_at_once_one_decodes(self) -> None:
        with (
            mock.patch.object(evaluator_pool, "import_frame", wraps=evaluator_pool.import_frame) as taken,
            ThreadPoolExecutor(8) as threads,
        ):
            engines = list(threads.map(lambda _: self.evaluator_pool.engine_for(1, self.render), range(8)))
        self.assertEqual(len({id(evaluator) for evaluator in engines}), 1)
        self.assertEqual(taken.call_count, 1)

    def test_a_newer_render_gets_an_evaluator_of_its_own(self) -> None:
        first = self.evaluator_pool.engine_for(1, self.render)
        newer = self.render.model_copy(update={"name": "newer"})
        self.assertEqual(self.evaluator_pool.engine_for(1, newer).render.name, "newer")
        self.assertIsNot(self.evaluator_pool.engine_for(1, newer), first)
        with self.assertRaisesRegex(BadSource, "has no frame 7"):
            self.evaluator_pool.engine_for(1, newer, 7)

    def test_the_oldest_go_first(self) -> None:
        with mock.patch.object(evaluator_pool, "_MOST_ENGINES", 2):
            engines = [self.evaluator_pool.engine_for(shot, self.render) for shot in (1, 2, 1, 3)]
            self.assertIs(self.evaluator_pool.engine_for(1, self.render), engines[0])
            self.assertIsNot(self.evaluator_pool.engine_for(2, self.render), engines[1])

    def test_what_another_shot_shows_stays_when_one_goes(self) -> None:
        one, two = (self.evaluator_pool.engine_for(shot, self.render) for shot in (1, 2))
        viewport = full_viewport(0, 0, 64, 48)
        one.at("finish", one.make_request(Variant(), viewport))
        held = self.evaluator_pool.cache.size
        self.assertGreater(held, 0)
        self.evaluator_pool.forget(1)
        self.assertEqual(self.evaluator_pool.cache.size, held)
        self.assertIs(
            two.at("source", two.make_request(Variant(), viewport)),
            two.at("source", two.make_request(Variant(), viewport)),
        )
        self.evaluator_pool.forget(2)
        self.assertEqual(self.evaluator_pool.cache.size, 0)

    def test_an_interpretation_is_worked_out_within_the_job_of_its_viewer(self) -> None:
        """A drag that changes the recipe waits for a band of an exact image, never for all of it."""
        began, over = threading.Event(), threading.Event()

        def exact() -> None:
            began.set()
            while not over.wait(0.01):
                yield_to_urgent()

        variant = Variant.model_validate({"tally": {"factor": [0.5, 0.5, 0.5]}})
        opened = self.evaluator_pool.open(1, self.render, variant)
        self.assertIsNone(opened.known)
        other = threading.Thread(target=lambda: self.evaluator_pool.evaluate(exact, EXACT, "other"))
        other.start()
        began.wait(5)
        made = self.evaluator_pool.evaluate(opened.interpret, PREVIEW, "mine")
        self.assertTrue(other.is_alive())
        over.set()
        other.join(5)
        self.assertEqual(made.render.recipes[0].recipe.factor, (0.5, 0.5, 0.5))
        again = self.evaluator_pool.open(1, self.render, variant)
        self.assertIs(again.known, made)
        self.assertIs(again.interpret(), made)

    def test_interpretations_are_cached_by_what_changes_them(self) -> None:
        def variant(factor: float, stops: float = 0.0) -> Variant:
            document = {"tally": {"factor": [factor] * 3}, "balance": {"lights": {"key": {"stops": stops}}}}
            return Variant.model_validate(document)

        first = self.evaluator_pool.engine_of_variant(1, self.render, variant(0.5))
        self.assertIs(self.evaluator_pool.engine_of_variant(1, self.render, variant(0.5, 3.0)), first)
        self.assertIsNot(self.evaluator_pool.engine_of_variant(1, self.render, variant(0.25)), first)
        newer = self.render.model_copy(update={"name": "newer"})
        self.assertEqual(self.evaluator_pool.engine_of_variant(1, newer, variant(0.5)).render.name, "newer")

    def test_deliveries_and_viewers_use_the_same_evaluators(self) -> None:
        """Each has its own copy of the render, as the database gives it."""
        first = self.evaluator_pool.engine_for(1, self.render)
        copy = Render.model_validate_json(self.render.model_dump_json())
        self.assertIs(self.evaluator_pool.engine_for(1, copy), first)
        with mock.patch.object(evaluator_pool, "_MOST_ENGINES", 1):
            self.evaluator_pool.engine_for(2, self.render, is_cacheable=False)
            self.assertIs(self.evaluator_pool.engine_for(1, self.render), first)

    def test_frames_in_use_stay_when_the_store_is_trimmed(self) -> None:
        repairs = [{"pass_name": "key_diffuse", "how": "fill"}]
        variant = Variant.model_validate({"source": {"repairs": repairs}})
        evaluator = self.evaluator_pool.engine_of_variant(1, self.render, variant)
        self.evaluator_pool.store_limit = 0
        self.evaluator_pool.trim()
        self.assertGreater(float(evaluator.frame.planes("key_diffuse").max()), 0)
        self.assertGreater(
            float(evaluator.at("finish", evaluator.make_request(variant, full_viewport(0, 0, 64, 48))).max()), 0
        )


class ImageTest(FolderTest):
    def test_an_image_is_decoded_before_evaluation_and_once_for_all_frames(self) -> None:
        calls: list[str] = []
        file = self.folder / "emblem.png"
        cv2.imwrite(str(file), np.zeros((8, 8, 3), np.uint8))

        def decode(file: SourceFile) -> StoredFrame:
            calls.append(file.path.name)
            if not file.path.exists():
                raise BadSource(f"{file.path}: no such file")
            return import_frame((file,), self.folder / "store", decoder=decode_frame_here)

        pool, source = ImagePool(decode, open_clip), ImageSource(str(file))
        self.assertIsNone(pool.find(source))
        (held,) = pool.prepare([source, source, ImageSource("gone.png")])
        self.assertEqual(len(calls), 2)
        self.assertIs(pool.find(source), held)
        self.assertIs(pool.load(source), held)
        cv2.imwrite(str(file), np.full((8, 8, 3), 9, np.uint8))
        self.assertIs(pool.find(source), held)  # until it is prepared again
        (newer,) = pool.prepare([source])
        self.assertNotEqual(newer.fingerprint, held.fingerprint)
        file.unlink()
        self.assertEqual(pool.prepare([source]), [])
        self.assertIsNone(pool.find(source))

    def test_images_that_a_request_holds_stay_open(self) -> None:
        files = [self.folder / f"{number}.png" for number in range(4)]
        for number, file in enumerate(files):
            cv2.imwrite(str(file), np.full((4, 4, 3), number, np.uint8))
        pool = ImagePool(
            lambda file: import_frame((file,), self.folder / "store", decoder=decode_frame_here), open_clip
        )
        sources = [ImageSource(str(file)) for file in files]
        with mock.patch.object(images, "_MAX_OPEN", 1):
            held = pool.prepare(sources)
            self.assertEqual([pool.find(source) for source in sources], held)
            del held
            gc.collect()
            self.assertEqual([pool.find(source) is None for source in sources], [True, True, True, False])


class ClipBoundsTest(FolderTest):
    """A plate of many frames on a long shot: what stays open, and what stays in the store, is bounded."""

    def test_a_long_video_leaves_little_behind(self) -> None:
        store, count = self.folder / "store", 90
        video = write_video(self.folder / "sea.mkv", count, (64, 48), rate=24)
        first = write_layers(self.folder / "cg.0001.exr", grid_passes())
        for number in range(2, count + 1):
            (self.folder / f"cg.{number:04d}.exr").symlink_to(first)
        render, _ = EvaluatorPool(store, 1 << 30, decoder=decode_frame_here).read([self.folder / "cg.####.exr"])
        pool = EvaluatorPool(store, 3 << 20)  # clips are decoded ahead in a thread, which only children may do
        self.addCleanup(pool.close)
        variant = Variant.model_validate({"plate": {"layers": [{"kind": "picture", "path": str(video)}]}})
        seen = set()
        for number in sorted(render.frames):
            opened = pool.open(1, render, variant, number)
            (image,) = opened.images
            seen.add(image.fingerprint)
            self.assertLessEqual(len(pool.images._recent), 4)
        self.assertEqual(len(seen), count)
        del opened, image
        pool.trim()
        size = sum(file.stat().st_size for file in store.rglob("*") if file.is_file())
        # What is in use stays beyond the limit.
        self.assertLess(size, 8 << 20)
