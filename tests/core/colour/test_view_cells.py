import unittest

import numpy as np

from escala.core.colour.view_cells import (
    CELLS,
    HIGHEST,
    LOWEST,
    MOST_PARTS,
    OFFSET,
    TOP,
    as_unfollowed,
    cell_words,
    look_up,
    pack_nodes,
    position_values,
)

ALONE = np.eye(3, dtype=np.float32)


def table_of(shown, parts: np.ndarray):  # type: ignore[no-untyped-def]
    """Words and nodes of a function of positions, each cell divided into its number of parts."""
    words, nodes, count = np.empty(CELLS**3, np.int32), [], 0
    places = np.stack(np.unravel_index(np.arange(CELLS**3), (CELLS,) * 3), axis=1)
    for number in np.unique(parts):
        chosen = np.flatnonzero(parts == number)
        inside = np.indices((number + 1,) * 3).reshape(3, -1).T / number
        words[chosen] = cell_words(count + np.arange(len(chosen)) * len(inside), int(number))
        nodes.append(pack_nodes(shown((places[chosen][:, None] + inside).reshape(-1, 3))))
        count += len(nodes[-1])
    return words, np.concatenate(nodes)


def looked_up(values: np.ndarray, words: np.ndarray, nodes: np.ndarray, matrix: np.ndarray = ALONE) -> np.ndarray:
    return look_up_all(values, words, nodes, matrix)[0]


def look_up_all(
    values: np.ndarray, words: np.ndarray, nodes: np.ndarray, matrix: np.ndarray = ALONE
) -> tuple[np.ndarray, np.ndarray]:
    """Bytes, and whether each place's cell is marked."""
    out, unfollowed = np.empty((len(values), 3), np.uint8), np.empty(len(values), np.uint8)
    look_up(np.ascontiguousarray(values.T, np.float32), matrix, words, nodes, 2, out, unfollowed)
    return out, unfollowed


class ViewCellsTest(unittest.TestCase):
    def setUp(self) -> None:
        self.rng = np.random.default_rng(4)

    def test_what_is_straight_is_met_everywhere_however_cells_are_divided(self) -> None:
        slopes = np.array([[3.0, 0.5, 0.2], [-1.0, 2.0, 2.5], [0.3, 0.4, -3.5]])
        start = np.array([10.0, 60.0, 230.0])
        parts = np.ones(CELLS**3, np.int64)
        parts[self.rng.integers(0, CELLS**3, 400)] = self.rng.integers(2, MOST_PARTS + 1, 400)
        words, nodes = table_of(lambda p: p @ slopes.T + start, parts)
        divided = np.stack(np.unravel_index(np.flatnonzero(parts > 1), (CELLS,) * 3), axis=1)
        for name, corners in (("any", self.rng.integers(0, CELLS, (5000, 3))), ("divided", divided)):
            with self.subTest(cells=name):
                positions = corners + self.rng.random((len(corners), 3))
                expected = np.clip(positions @ slopes.T + start, 0, 255)
                off = np.abs(looked_up(position_values(positions), words, nodes) - expected)
                self.assertLess(off.max(), 0.5 + 0.1)

    def test_each_node_of_a_divided_cell_has_its_own_place(self) -> None:
        for parts in (1, 3, MOST_PARTS):
            with self.subTest(parts=parts):
                cell, inside = np.array([40, 7, 22]), np.indices((parts + 1,) * 3).reshape(3, -1).T
                shown = self.rng.integers(0, 256, (len(inside), 3)).astype(np.float32)
                words = np.ones(CELLS**3, np.int32)
                words[np.ravel_multi_index(tuple(cell), (CELLS,) * 3)] = cell_words(np.array([8]), parts)[0]
                nodes = np.concatenate([np.zeros(8, np.int64), pack_nodes(shown)])
                within = (inside < parts).all(axis=1)  # on its far sides the next cell is asked
                positions = cell + (inside[within] + 1e-4) / parts
                np.testing.assert_array_equal(looked_up(position_values(positions), words, nodes), shown[within])

    def test_places_in_marked_cells_are_reported_and_nothing_else_changes(self) -> None:
        words, nodes = table_of(lambda p: 4.0 * p, np.full(CELLS**3, 2))
        marked = words.copy()
        chosen = self.rng.integers(0, CELLS**3, CELLS**3 // 2)
        marked[chosen] = as_unfollowed(words[chosen])
        corners = self.rng.integers(0, CELLS, (5000, 3))
        values = position_values(corners + self.rng.uniform(0.1, 0.9, corners.shape))
        out, unfollowed = look_up_all(values, marked, nodes)
        np.testing.assert_array_equal(out, looked_up(values, words, nodes))
        np.testing.assert_array_equal(unfollowed, np.isin(np.ravel_multi_index(corners.T, (CELLS,) * 3), chosen))

    def test_a_pixel_is_mixed_by_its_matrix_before_it_is_looked_up(self) -> None:
        words, nodes = table_of(lambda p: 4.0 * p, np.ones(CELLS**3, np.int64))
        turned = np.array([[0, 1, 0], [0, 0, 1], [1, 0, 0]], np.float32)
        values = self.rng.random((50, 3)).astype(np.float32)
        np.testing.assert_array_equal(
            looked_up(values, words, nodes, turned), looked_up(values @ turned.T, words, nodes)
        )

    def test_light_beyond_the_table_stays_at_its_ends(self) -> None:
        words, nodes = table_of(lambda p: 4.0 * p, np.ones(CELLS**3, np.int64))
        brightest = float(TOP - OFFSET)
        for value, same_as in ((np.nan, -1.0), (-np.inf, -1.0), (-5.0, -1.0), (np.inf, brightest), (1e9, brightest)):
            with self.subTest(value=value):
                pixels = np.full((3, 3), value, np.float32), np.full((3, 3), same_as, np.float32)
                first, second = (looked_up(p, words, nodes) for p in pixels)
                np.testing.assert_array_equal(first, second)

    def test_three_channels_share_a_node_without_touching_each_other(self) -> None:
        ends = np.array([[LOWEST, HIGHEST, 0.0], [HIGHEST, LOWEST, 255.0], [0.0, 128.0, HIGHEST]], np.float32)
        for colour in ends:
            with self.subTest(colour=colour.tolist()):
                words, nodes = np.ones(CELLS**3, np.int32), np.repeat(pack_nodes(colour[None]), 8)
                shown = looked_up(self.rng.random((200, 3)), words, nodes)
                np.testing.assert_array_equal(shown, np.broadcast_to(np.clip(np.rint(colour), 0, 255), (200, 3)))
