"""Denoised passes: the residual stays that of the passes as stored, strength mixes, the verdict tells of it."""

import sys
import threading
from unittest import mock

import numpy as np

from escala.core.errors import NoRoom
from escala.engine.beauty.tally import tally_of
from escala.engine.progress import Cancelled
from escala.engine.source.denoising import denoised_passes
from escala.engine.source.reading import interpretation_of, interpreted_evaluator
from escala.engine.viewer.viewport import full_viewport
from escala.engine.worker import PREVIEW, SMALL, EvaluationThread
from escala.media.denoise import NoDenoiser
from escala.model.balance import Balance, Level
from escala.model.source import Denoise, SourceChoice
from escala.model.variant import Variant
from tests.engine.fixture_shot import engine_for
from tests.fixtures import FolderTest, add_up, write_layers
from tests.small_disk import fill, mount_small_disk

HEIGHT, WIDTH = 48, 64
WHOLE = full_viewport(0, 0, WIDTH, HEIGHT)


def noisy_passes() -> dict[str, np.ndarray]:
    """Two components of even light under noise, a colour pass and normals, and a beauty that holds a little more."""
    rng = np.random.default_rng(5)
    diffuse = (0.4 + rng.normal(0, 0.15, (3, HEIGHT, WIDTH))).clip(0).astype(np.float32)
    specular = (0.2 + rng.normal(0, 0.1, (3, HEIGHT, WIDTH))).clip(0).astype(np.float32)
    more = np.full((3, HEIGHT, WIDTH), 0.05, np.float32)
    colour = np.full((3, HEIGHT, WIDTH), 0.5, np.float32)
    normal = np.zeros((3, HEIGHT, WIDTH), np.float32)
    normal[2] = 1
    beauty = add_up(diffuse, specular, more)
    return {"": beauty, "diffuse": diffuse, "specular": specular, "diffuse_color": colour, "N": normal}


class DenoisingTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.evaluator = engine_for(write_layers(self.folder / "noisy.exr", noisy_passes(), np.float32))

    def read(self, **choice: object) -> tuple[object, Variant]:
        variant = Variant(source=SourceChoice(denoise=Denoise(on=True, **choice)))
        return interpreted_evaluator(self.evaluator, 1, self.evaluator, variant, self.folder / "store"), variant

    def test_the_sum_is_calm_and_the_residual_stays(self) -> None:
        read, variant = self.read()
        self.assertEqual(set(read.frame.denoised), {"diffuse", "specular"})
        noisy = self.evaluator.at("beauty", self.evaluator.make_request(Variant(), WHOLE))
        calm = read.at("beauty", read.make_request(variant, WHOLE))
        self.assertLess(calm.std(axis=(1, 2)).max(), 0.3 * noisy.std(axis=(1, 2)).min())
        np.testing.assert_allclose(calm.mean(axis=(1, 2)), noisy.mean(axis=(1, 2)), rtol=0.03)
        recipe = read.render.recipes[0].recipe
        request = read.make_request(variant, WHOLE)
        residual = read.terms.residual(recipe, request)
        np.testing.assert_array_equal(
            residual, self.evaluator.terms.residual(recipe, self.evaluator.make_request(Variant(), WHOLE))
        )
        terms = np.sum([read.terms.term(term, request) for term in recipe.terms], axis=0)
        np.testing.assert_allclose(calm, terms + residual, atol=1e-5)

    def test_levels_act_on_the_denoised_light(self) -> None:
        read, variant = self.read()
        brighter = variant.model_copy(update={"balance": Balance(components={"specular": Level(stops=1.0)})})
        request = read.make_request(variant, WHOLE)
        term = next(t for t in read.render.recipes[0].recipe.terms if t.component == "specular")
        gained = read.at("beauty", read.make_request(brighter, WHOLE)) - read.at("beauty", request)
        np.testing.assert_allclose(gained, read.terms.term(term, request), atol=1e-5)

    def test_strength_mixes_and_single_passes_are_chosen(self) -> None:
        whole, half, alone = (self.read(**how)[0] for how in ({}, {"strength": 0.5}, {"passes": ("specular",)}))
        stored, smooth = self.evaluator.frame.planes("diffuse"), whole.frame.planes("diffuse")
        np.testing.assert_allclose(half.frame.planes("diffuse"), (stored + smooth) / 2, atol=1e-6)
        np.testing.assert_array_equal(alone.frame.planes("diffuse"), stored)
        np.testing.assert_array_equal(alone.frame.planes("specular"), whole.frame.planes("specular"))
        self.assertNotEqual(half.frame.folder, whole.frame.folder)

    def test_the_verdict_says_what_it_compares(self) -> None:
        read, variant = self.read()
        tally = tally_of(read, variant)
        self.assertIn("stored passes are compared; 2 of them are viewed denoised", tally.verdict.words)

    def test_without_the_package_a_sentence_says_how_to_get_it(self) -> None:
        variant = Variant(source=SourceChoice(denoise=Denoise(on=True)))
        with mock.patch.dict(sys.modules, {"pyoidn": None}), self.assertRaisesRegex(NoDenoiser, "pip install pyoidn"):
            interpretation_of(self.evaluator, variant, self.folder / "store")

    def test_what_was_done_before_it_was_broken_off_is_not_done_again(self) -> None:
        """Killed or stopped in the middle of the second pass: the first is there whole, of the second nothing."""
        done: list[str] = []

        def broken_off(share: float, doing: str) -> None:
            done.extend([doing] if doing.startswith("denoising") else [])
            if len(done) == 2:
                raise Cancelled("denoising")

        variant = Variant(source=SourceChoice(denoise=Denoise(on=True)))
        with self.assertRaises(Cancelled):
            interpretation_of(self.evaluator, variant, self.folder / "store", broken_off)
        self.assertEqual(len(set(done)), 2)
        again: list[str] = []
        interpretation_of(self.evaluator, variant, self.folder / "store", lambda share, doing: again.append(doing))
        self.assertEqual([each for each in again if each.startswith("denoising")], [done[1]])

    def test_a_full_disk_is_reported_and_leaves_nothing_half_written(self) -> None:
        disk = mount_small_disk(self, self.folder / "disk", 80_000)
        fill(disk, leave=20_000)
        variant = Variant(source=SourceChoice(denoise=Denoise(on=True)))
        with self.assertRaisesRegex(NoRoom, "disk full: the decoded passes"):
            interpretation_of(self.evaluator, variant, disk)
        (disk / "filler").unlink()
        read = interpreted_evaluator(self.evaluator, 1, self.evaluator, variant, disk)
        whole = interpreted_evaluator(self.evaluator, 1, self.evaluator, variant, self.folder / "store")
        np.testing.assert_array_equal(read.frame.planes("diffuse"), whole.frame.planes("diffuse"))

    def test_pictures_of_others_are_made_between_two_passes(self) -> None:
        thread, between, begun = EvaluationThread(), [], threading.Event()
        variant = Variant(source=SourceChoice(denoise=Denoise(on=True)))
        others: list[threading.Thread] = []

        def report_progress(share: float, doing: str) -> None:
            between.append(doing)
            if not begun.is_set():
                begun.set()
                other = threading.Thread(target=thread.run, args=(lambda: between.append("a picture"), PREVIEW))
                others.append(other)
                other.start()
                while len(thread._waiting) == 0:
                    pass

        thread.run(lambda: interpretation_of(self.evaluator, variant, self.folder / "store", report_progress), SMALL)
        others[0].join(10)
        self.assertEqual(between, ["finding recipe", "denoising diffuse", "a picture", "denoising specular"])

    def test_colour_of_surfaces_is_not_denoised(self) -> None:
        self.assertNotIn("diffuse_color", denoised_passes(self.evaluator.render, Denoise(on=True)))
