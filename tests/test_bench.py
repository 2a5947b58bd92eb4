"""Figures of benchmarks are judged by the yardstick, and measured again while the machine changes its speed."""

import unittest
from unittest import mock

from escala.bench import yardstick
from escala.bench.figures import Figure, in_turns


class FigureTest(unittest.TestCase):
    def test_a_time_is_held_against_its_limit_on_a_machine_of_that_speed(self) -> None:
        figure = Figure(30.0, "ms", 0.0, "≤ 20 ms", True, limit=20.0)
        for seconds, ratio, is_reached in ((0.1, 1.5, False), (0.2, 0.75, True)):
            with self.subTest(seconds):
                judged = figure.judged(seconds)
                self.assertAlmostEqual(judged.ratio, ratio)
                self.assertEqual((judged.ok, judged.yardstick), (is_reached, seconds * 1000))
        self.assertFalse(Figure(1.0, "ms", 0.0, "", False, limit=20.0).judged(0.1).ok)

    def test_a_ratio_is_not_scaled(self) -> None:
        judged = Figure(3.0, "ms", 0.9, "≤ 0.85", False).judged(0.5)
        self.assertEqual((judged.ratio, judged.ok), (0.9, False))


class InTurnsTest(unittest.TestCase):
    def test_works_take_turns_after_a_first_run_of_each(self) -> None:
        done: list[str] = []
        times = in_turns([lambda: done.append("ours"), lambda: done.append("theirs")], 2)
        self.assertEqual(done, ["ours", "theirs"] * 3)
        self.assertEqual(len(times), 2)


class YardstickTest(unittest.TestCase):
    def measured(self, *seconds: float) -> tuple[int, Figure]:
        """How often a figure was measured while the yardstick took so long, and the figure."""
        measure = mock.Mock(return_value=Figure(10.0, "ms", 0.0, "", True, limit=10.0))
        with mock.patch.object(yardstick, "yardstick", side_effect=seconds):
            figure = yardstick.steadily(measure)
        return measure.call_count, figure

    def test_a_figure_is_measured_again_while_the_machine_changes(self) -> None:
        self.assertEqual(self.measured(0.1, 0.11)[0], 1)
        count, figure = self.measured(0.1, 0.2, 0.2, 0.21)
        self.assertEqual(count, 2)
        self.assertAlmostEqual(figure.ratio, 1 / 2.05)
        self.assertEqual(self.measured(0.1, 0.2, 0.1, 0.2, 0.1, 0.2)[0], 3)

    def test_the_yardstick_takes_a_time(self) -> None:
        self.assertGreater(yardstick.yardstick(), 0.001)
