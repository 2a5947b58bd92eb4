"""How the depth of files is read: kinds found, dialects of nothing, fields of view, what waits."""

import numpy as np

from escala.engine.checking import waiting_names
from escala.engine.depth.reading import detected_depth, field_of_view
from escala.engine.depth.survey import depth_at, survey_depth
from escala.model.depth import Defocus, Depth, DepthReading, Haze, Height, Motion
from escala.model.variant import Variant
from tests.engine.depth.camera_shot import camera_engine, depth_passes
from tests.fixtures import FolderTest


class ReadingTest(FolderTest):
    def test_positions_in_the_file_tell_the_kind(self) -> None:
        passes = depth_passes()
        found = detected_depth(camera_engine(self.folder, passes).terms)
        self.assertEqual((found.name, found.kind), ("depth", "planar"))
        there = passes["depth.Z"] < 1e9
        eye = np.array([1.0, 2.0, 3.0])[:, None, None]
        ray = np.linalg.norm(passes["P"] - eye, axis=0).astype(np.float32)
        passes["depth.Z"] = np.where(there, ray, np.float32(0))
        (self.folder / "ray").mkdir()
        found = detected_depth(camera_engine(self.folder / "ray", passes).terms)
        self.assertEqual(found.kind, "ray")
        self.assertIn("from one point", found.reason)

    def test_the_survey_counts_distances(self) -> None:
        evaluator = camera_engine(self.folder)
        survey = survey_depth(evaluator, Variant())
        self.assertAlmostEqual(survey.nothing, 0.25, delta=0.01)
        self.assertAlmostEqual(sum(survey.counts), 0.75, delta=0.01)
        self.assertAlmostEqual(survey.edges[0], 2.5, delta=0.01)
        self.assertTrue(survey.has_sky and survey.moves and not survey.waiting)
        scaled = survey_depth(evaluator, Variant(depth=Depth(reading=DepthReading(scale=10.0))))
        self.assertAlmostEqual(scaled.edges[0], 25.0, delta=0.1)

    def test_what_is_at_a_place(self) -> None:
        evaluator = camera_engine(self.folder)
        variant = Variant(depth=Depth(defocus=Defocus(focus=5.0, aperture=20.0)))
        place = depth_at(evaluator, variant, 44, 60)
        self.assertAlmostEqual(place.distance, 2.5, places=4)
        self.assertAlmostEqual(place.radius_px, 20 * (1 / 5 - 1 / 2.5), places=4)
        sky = depth_at(evaluator, variant, 5, 5)
        self.assertIsNone(sky.distance)
        self.assertAlmostEqual(sky.radius_px, 4.0, places=4)

    def test_the_header_reports_the_field_of_view(self) -> None:
        to_camera = np.eye(4, dtype=np.float32)
        to_camera[3, :3] = (-1, -2, -3)
        picture = np.zeros((4, 4), np.float32)  # x / z of -0.8..0.8 to 0..1, y down
        picture[0, 0], picture[1, 1], picture[2] = 0.5 / 0.8, -0.5 / 0.6, (0.5, 0.5, 1.0, 1.0)
        header = {"worldToCamera": to_camera, "worldToNDC": to_camera @ picture}
        evaluator = camera_engine(self.folder, **header)
        np.testing.assert_allclose(field_of_view(evaluator.render), (0.8, 0.6), rtol=1e-5)
        (self.folder / "silent").mkdir()
        self.assertIsNone(field_of_view(camera_engine(self.folder / "silent").render))

    def test_what_is_not_there_waits(self) -> None:
        passes = {name: planes for name, planes in depth_passes().items() if name in ("", "A")}
        evaluator = camera_engine(self.folder, passes)
        variant = Variant(
            depth=Depth(
                haze=Haze(on=True, height=Height(thickness=1)), defocus=Defocus(on=True), motion=Motion(on=True)
            )
        )
        names = {(w.place, w.name) for w in waiting_names(evaluator.render, variant, evaluator)}
        self.assertIn(("depth/reading/pass", "depth pass"), names)
        self.assertIn(("depth/haze/height", "position pass"), names)
        self.assertIn(("depth/motion/pass", "motion pass"), names)
        self.assertIsNone(survey_depth(evaluator, variant).found)
        other = Variant(depth=Depth(reading=DepthReading(**{"pass": "far"}), defocus=Defocus(on=True)))
        self.assertIn(
            ("depth/reading/pass", "far"),
            {(w.place, w.name) for w in waiting_names(evaluator.render, other, evaluator)},
        )

    def test_intake_reports_what_it_found(self) -> None:
        depth = camera_engine(self.folder).render.find_pass("depth")
        self.assertIn("it holds planar (along camera axis)", depth.reason)
