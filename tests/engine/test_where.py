"""Levels, corrections and removals limited by mattes, against plain numpy; with edges as clean as they were."""

import numpy as np

from escala.core.corrections.steps import contrast_step
from escala.engine.balance.board import draw_board
from escala.engine.request import Quality
from escala.engine.source.reading import interpreted_evaluator
from escala.engine.stations import STATION_BY_NAME
from escala.engine.viewer.viewport import full_viewport
from escala.model.balance import Balance, Level
from escala.model.beauty import Beauty, Removal
from escala.model.colour import ColourChoice
from escala.model.corrections import BlurCorrection, ContrastCorrection, ExposureCorrection, HueSaturationCorrection
from escala.model.finish import Finish
from escala.model.mattes import ChannelMatte
from escala.model.source import SourceChoice
from escala.model.variant import Variant
from tests.core.fixture_planes import corrected
from tests.engine.fixture_shot import engine_for, grid_passes, one_axis_passes
from tests.fixtures import FolderTest, add_up, light, write_layers

WHOLE = full_viewport(0, 0, 64, 48)
RANDOM = np.random.default_rng(8)


class Limited(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.passes = grid_passes()
        self.masks = {name: RANDOM.random((48, 64)).astype(np.float32) for name in ("mask_a", "mask_b")}
        self.masks["mask_a"][:, :20], self.masks["mask_a"][:, 20:30] = 0, 1
        self.evaluator = self.made("grid", self.passes)
        self.mattes = {name: ChannelMatte(**{"pass": name}) for name in self.masks}

    def made(self, name: str, passes: dict[str, np.ndarray]):
        masks = {f"{mask}.Y": plane for mask, plane in self.masks.items()}
        return engine_for(write_layers(self.folder / f"{name}.exr", {**passes, **masks}, np.float32))

    def variant(self, **parts: object) -> Variant:
        return Variant(colour=ColourChoice(input_space="ACEScg"), mattes=self.mattes, **parts)

    def shown(self, variant: Variant, station: str = "beauty", quality: Quality = Quality.EXACT) -> np.ndarray:
        return self.evaluator.at(station, self.evaluator.make_request(variant, WHOLE, quality, "somebody"))


class LevelTest(Limited):
    def test_light_component_and_cell_each_where_it_counts(self) -> None:
        a, b = self.masks["mask_a"], self.masks["mask_b"]
        levels = Balance(
            lights={"key": Level(stops=1, matte="mask_a")},
            components={"diffuse": Level(multiplier=0.25, matte="mask_b")},
            cells={"fill/specular": Level(multiplier=3, matte="mask_a")},
        )
        gains = {
            "key_diffuse": (1 + a) * (1 - 0.75 * b), "key_specular": 1 + a,
            "fill_diffuse": 1 - 0.75 * b, "fill_specular": 1 + 2 * a,
        }  # fmt: skip
        wanted = self.passes[""] + sum((gain - 1) * self.passes[name] for name, gain in gains.items())
        variant = self.variant(balance=levels)
        for station in ("beauty", "balance"):
            for quality in Quality:
                np.testing.assert_allclose(self.shown(variant, station, quality), wanted, rtol=1e-3, atol=5e-3)
        cells = {
            cell.component: cell.share for cell in draw_board(self.evaluator, variant)[0].cells if cell.light == "key"
        }
        dimmer = {
            cell.component: cell.share
            for cell in draw_board(self.evaluator, self.variant())[0].cells
            if cell.light == "key"
        }
        self.assertGreater(cells["specular"], dimmer["specular"])

    def test_outside_the_matte_nothing_changes_to_the_bit(self) -> None:
        plain = self.shown(self.variant())
        levelled = self.shown(self.variant(balance=Balance(lights={"key": Level(stops=3, matte="mask_a")})))
        np.testing.assert_array_equal(levelled[:, :, :20], plain[:, :, :20])
        off = self.shown(self.variant(balance=Balance(lights={"key": Level(multiplier=0, matte="mask_a")})))
        np.testing.assert_allclose(off[:, :, 20:30], (self.passes[""] - self.passes["key"])[:, :, 20:30], atol=5e-3)

    def test_a_neutral_level_and_a_muted_one(self) -> None:
        idle = self.variant(balance=Balance(lights={"key": Level(matte="mask_a")}))
        self.assertTrue(self.evaluator.is_untouched(self.evaluator.make_request(idle, WHOLE)))
        muted = self.shown(self.variant(balance=Balance(lights={"key": Level(mute=True, matte="mask_a")})))
        np.testing.assert_allclose(muted, self.passes[""] - self.passes["key"], atol=5e-3)

    def test_a_drag_passes_through_neutral_and_back(self) -> None:
        for stops in (0.5, 1.0, 0.0, -1.0, 2.0):
            variant = self.variant(balance=Balance(
                lights={"key": Level(stops=stops, matte="mask_a"), "fill": Level(stops=1, matte="mask_b")},
            ))  # fmt: skip
            moving, resting = self.shown(variant, quality=Quality.PREVIEW), self.shown(variant)
            np.testing.assert_allclose(moving, resting, rtol=1e-5, atol=1e-5)

    def test_by_ratio_too(self) -> None:
        passes = one_axis_passes()
        self.evaluator = self.made("axes", passes)
        levels = Balance(
            lights={"key": Level(stops=1, matte="mask_a")}, components={"diffuse": Level(stops=-1, matte="mask_b")}
        )
        first = passes[""] + self.masks["mask_a"] * passes["lg_key"]
        total = passes["diffuse"] + passes["specular"]
        ratio = np.where(
            total > 1e-6, (total - 0.5 * self.masks["mask_b"] * passes["diffuse"]) / np.maximum(total, 1e-6), 1
        )
        found = self.shown(self.variant(balance=levels))
        either = [first * ratio, None]
        second = passes[""] - 0.5 * self.masks["mask_b"] * passes["diffuse"]
        lit = passes["lg_key"] + passes["lg_fill"]
        either[1] = second * np.where(
            lit > 1e-6, (lit + self.masks["mask_a"] * passes["lg_key"]) / np.maximum(lit, 1e-6), 1
        )
        self.assertLess(min(float(np.abs(found - one).max()) for one in either), 0.02)


class CorrectionTest(Limited):
    def test_as_far_as_the_matte_covers(self) -> None:
        variant = self.variant(
            finish=Finish(corrections=(ContrastCorrection(amount=1.4, matte="mask_a", opacity=0.8),))
        )
        beauty = self.shown(self.variant())
        wanted = beauty + 0.8 * self.masks["mask_a"] * (corrected(beauty, contrast_step(1.4)) - beauty)
        found = self.shown(variant, "finish")
        np.testing.assert_allclose(found, wanted, rtol=1e-5, atol=1e-6)
        np.testing.assert_array_equal(found[:, :, :20], beauty[:, :, :20])

    def test_exactly_the_correction_where_it_counts_whole(self) -> None:
        limited = self.shown(self.variant(beauty=Beauty(corrections=(ContrastCorrection(amount=1.4, matte="mask_a"),))))
        whole = self.shown(self.variant(beauty=Beauty(corrections=(ContrastCorrection(amount=1.4),))))
        np.testing.assert_array_equal(limited[:, :, 20:30], whole[:, :, 20:30])

    def test_of_a_light_a_component_or_a_cell(self) -> None:
        key, a = self.passes["key"], self.masks["mask_a"]
        levels = {"lights": {"key": Level(stops=1)}}
        for of, part in (
            ({"light": "key"}, 2 * key),
            ({"component": "specular"}, 2 * self.passes["key_specular"] + self.passes["fill_specular"]),
            ({"light": "fill", "component": "diffuse"}, self.passes["fill_diffuse"]),
        ):  # fmt: skip
            corrections = (ContrastCorrection(amount=1.3, of=of, matte="mask_a"), ExposureCorrection(stops=-1, of=of))
            variant = self.variant(balance=Balance(**levels, corrections=corrections))
            after = (part + a * (corrected(part.astype(np.float32), contrast_step(1.3)) - part)) / 2
            wanted = self.passes[""] + key + after - part
            for station in ("beauty", "balance"):
                np.testing.assert_allclose(self.shown(variant, station), wanted, rtol=2e-3, atol=8e-3)
        self.assertEqual(
            STATION_BY_NAME["balance"].words(self.evaluator.render, variant, None), ("1 level, 2 corrections", True)
        )

    def test_of_what_is_not_there_waits(self) -> None:
        variant = self.variant(balance=Balance(corrections=(ExposureCorrection(stops=3, of={"light": "sun"}),)))
        self.assertTrue(self.evaluator.is_untouched(self.evaluator.make_request(variant, WHOLE)))

    def test_parts_of_the_picture_are_those_of_the_whole(self) -> None:
        blurred = BlurCorrection(radius_px=(2, 2), of={"light": "key"}, matte="mask_b")
        variant = self.variant(
            balance=Balance(corrections=(blurred,)), finish=Finish(corrections=(BlurCorrection(radius_px=(3, 1)),))
        )
        whole = self.shown(variant, "finish")
        request = self.evaluator.make_request(variant, full_viewport(11, 9, 30, 20), Quality.EXPORT)
        np.testing.assert_array_equal(self.evaluator.at("finish", request), whole[:, 9:29, 11:41])

    def test_order_counts_and_neutral_is_the_beauty_itself(self) -> None:
        pair = (ContrastCorrection(amount=1.3), ExposureCorrection(stops=1))
        one, other = (self.shown(self.variant(finish=Finish(corrections=c)), "finish") for c in (pair, pair[::-1]))
        self.assertGreater(float(np.abs(one - other).max()), 0.01)
        off = self.variant(finish=Finish(corrections=(ContrastCorrection(amount=2, on=False),)))
        self.assertIs(self.shown(off, "finish"), self.shown(off))


class EdgeTest(FolderTest):
    """An object that half covers its edge pixels, over nothing: no correction of it leaves a fringe."""

    def test_a_corrected_object_has_no_fringe(self) -> None:
        cover = np.clip((np.arange(40) - 12) / 8, 0, 1).astype(np.float32) * np.ones((16, 1), np.float32)
        colour = np.array([0.6, 0.25, 0.1], np.float32)[:, None, None]
        passes = {"": colour * cover, "A": cover, "mask.Y": cover}
        viewport = full_viewport(0, 0, 40, 16)
        for correction in (
            ContrastCorrection(amount=1.5), HueSaturationCorrection(hue=120, saturation=0.5),
            ExposureCorrection(stops=1),
        ):  # fmt: skip
            solid = engine_for(write_layers(self.folder / "solid.exr", {"": colour * np.ones_like(cover)}, np.float32))
            edged = engine_for(write_layers(self.folder / "edged.exr", passes, np.float32))
            variant = Variant(colour=ColourChoice(input_space="ACEScg"), finish=Finish(corrections=(correction,)))
            whole = solid.at("finish", solid.make_request(variant, viewport))
            found = edged.picture(edged.make_request(variant, viewport), "finish")
            np.testing.assert_allclose(found.colour, whole * cover, rtol=1e-4, atol=1e-4)
            np.testing.assert_array_equal(found.alpha, cover)
            straight = engine_for(
                write_layers(self.folder / "straight.exr", {**passes, "": colour * (cover > 0)}, np.float32)
            )
            unassociated = variant.model_copy(update={"source": SourceChoice(alpha="unassociated")})
            read = interpreted_evaluator(straight, 1, straight, unassociated, self.folder / "store")
            found = read.picture(read.make_request(unassociated, viewport), "finish")
            np.testing.assert_allclose(found.colour, whole * cover, rtol=1e-4, atol=1e-4)


class RemovalTest(Limited):
    def test_colour_and_alpha_go_before_corrections(self) -> None:
        alpha = np.linspace(0.2, 1, 48 * 64, dtype=np.float32).reshape(48, 64)
        self.evaluator = self.made("alpha", {**self.passes, "A": alpha})
        removed = (Removal(matte="mask_a"), Removal(matte="mask_b", opacity=0.5), Removal(matte="mask_b", on=False))
        variant = self.variant(beauty=Beauty(removed=removed, corrections=(ExposureCorrection(stops=1),)))
        left = (1 - self.masks["mask_a"]) * (1 - 0.5 * self.masks["mask_b"])
        found = self.evaluator.picture(self.evaluator.make_request(variant, WHOLE), "beauty")
        np.testing.assert_allclose(found.colour, 2 * self.passes[""] * left, rtol=1e-5, atol=1e-6)
        np.testing.assert_allclose(found.alpha, alpha * left, rtol=1e-6)
        self.assertEqual(found.colour[:, :, 20:30].max(), 0)
        words, changes = STATION_BY_NAME["beauty"].words(self.evaluator.render, variant, None)
        self.assertIn("2 removed, exposure", words)
        self.assertTrue(changes)

    def test_what_stays_is_added_up_from_what_the_passes_keep(self) -> None:
        lit = {"lg_key": light(1, 48, 64), "lg_fill": light(2, 48, 64)}
        self.evaluator = self.made("lit", {"": add_up(*lit.values()), **lit})
        level = Balance(lights={"key": Level(stops=1)})
        both = self.shown(self.variant(balance=level, beauty=Beauty(removed=(Removal(matte="mask_b"),))))
        kept = 1 - self.masks["mask_b"]
        wanted = 2 * lit["lg_key"] * kept + lit["lg_fill"] * kept
        np.testing.assert_allclose(both, wanted, rtol=2e-3, atol=5e-3)
