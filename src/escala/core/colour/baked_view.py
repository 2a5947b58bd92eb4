"""A display view as a log-shaped 3D table with tetrahedral interpolation, for pictures that move.

OpenColorIO's processor is the truth; this table is its fast stand-in while something is dragged.
"""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernels import thread_count
from ..planes import Planes, as_colour
from .config import ColourConfig, View
from .view_cells import CELLS, as_unfollowed, cell_words, look_up, pack_nodes, position_values

# Words of cells, and the nodes that they refer to.
Table = tuple[NDArray[Any], NDArray[Any]]

# A cell that is off by more than this, of 255 and half of it rounding, is divided into so many parts along each side;
# a divided one that still is by more than the second, is not followed.
_DIVIDED, _UNFOLLOWED = 1.1, 1.4
_PARTS = 4
# Places computed at once.
_STEP_PLACES = 20_000


class BakedView:
    """A display view of one working space, as 8-bit pixels, at most 2 of 255 off.

    `table` may be replaced by that of the same view, refined elsewhere.

    `refine` divides the cells in which the view bends too sharply for the table, which it does at the edges of the
    display's gamut, and marks those that no table follows: their colours, few in any picture, go through the processor.
    Until then single colours there may be off by tens of 255.
    """

    def __init__(self, config: ColourConfig, space: str, view: View) -> None:
        self._config, self._space, self._view = config, space, view
        # Wide primaries: every real colour lies inside the table.
        self._lattice = config.space("ACEScg") if config.has_space("ACEScg") else space
        self._matrix = config.matrix_between(space, self._lattice)
        grid = pack_nodes(self._exact(np.indices((CELLS + 1,) * 3).reshape(3, -1).T))
        corners = np.lib.stride_tricks.sliding_window_view(grid.reshape((CELLS + 1,) * 3), (2, 2, 2))
        own = np.ascontiguousarray(corners).reshape(-1)
        self.table: Table = cell_words(np.arange(CELLS**3) * 8, 1), own

    @property
    def key(self) -> str:
        """Identifies what the table holds; the same in every process."""
        return self._config.view_key(self._lattice, self._view)

    def refine(self) -> None:
        """Divide the cells that are off: some seconds of work."""
        bent = self._off(np.arange(CELLS**3), _anywhere(12), _anywhere(64), _DIVIDED)
        self._divide(bent)
        self._mark(self._off(bent, _in_each_part(1), _in_each_part(4), _UNFOLLOWED))

    def _off(self, cells: NDArray[np.intp], trials: NDArray[Any], more: NDArray[Any], most: float) -> NDArray[np.intp]:
        """The cells that are off by more than `most` at trial places, or at more of them where a neighbour is.

        A bend is a surface through the table: where it only grazes a cell, it was seen next door.
        """
        found = cells[self._errors(cells, trials) > most]
        beside = np.setdiff1d(np.intersect1d(_around(found), cells), found)
        grazed = beside[self._errors(beside, more) > most]
        return np.concatenate([found, grazed])

    def _divide(self, bent: NDArray[np.intp]) -> None:
        """Give cells finer nodes of their own."""
        words, nodes = self.table
        inside = np.indices((_PARTS + 1,) * 3).reshape(3, -1).T / _PARTS
        finer = np.empty((len(bent), len(inside)), np.int64)
        for chosen in _slices(len(bent), len(inside)):
            places = (_places_of(bent[chosen])[:, None] + inside).reshape(-1, 3)
            finer[chosen] = pack_nodes(self._exact(places)).reshape(-1, len(inside))
        words = words.copy()
        words[bent] = cell_words(len(nodes) + np.arange(len(bent)) * len(inside), _PARTS)
        self.table = words, np.concatenate([nodes, finer.ravel()])

    def _mark(self, unfollowed: NDArray[np.intp]) -> None:
        words, nodes = self.table
        words = words.copy()
        words[unfollowed] = as_unfollowed(words[unfollowed])
        self.table = words, nodes

    def _errors(self, cells: NDArray[np.intp], trials: NDArray[Any]) -> NDArray[np.float32]:
        """The largest error that shows at trial places of cells, of 255; (N,)."""
        worst = np.zeros(len(cells), np.float32)
        for chosen in _slices(len(cells), len(trials)):
            places = (_places_of(cells[chosen])[:, None] + trials).reshape(-1, 3)
            shown, _ = self._look_up(position_values(places).T, np.eye(3, dtype=np.float32))
            off = np.abs(np.clip(self._exact(places), 0, 255) - shown)
            worst[chosen] = off.reshape(-1, 3 * len(trials)).max(axis=1)
        return worst

    def to_bytes(self, planes: Planes) -> NDArray[np.uint8]:
        """(3, H, W) working-space values to (H, W, 3) display bytes, red first."""
        light = as_colour(planes).reshape(3, -1)
        out, unfollowed = self._look_up(light, self._matrix)
        few = np.flatnonzero(unfollowed.view(np.bool_))
        if few.size:
            exact = self._config.display_packed(np.ascontiguousarray(light[:, few].T), self._space, self._view)
            out[few] = np.rint(np.clip(np.nan_to_num(exact), 0.0, 1.0) * np.float32(255.0))
        return out.reshape(*planes.shape[1:], 3)

    def _look_up(
        self, light: NDArray[np.float32], matrix: NDArray[np.float32]
    ) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
        """(3, N) light to (N, 3) bytes, and (N,) 1 where no table follows."""
        words, nodes = self.table
        out, unfollowed = np.empty((light.shape[1], 3), np.uint8), np.empty(light.shape[1], np.uint8)
        look_up(np.ascontiguousarray(light), matrix, words, nodes, thread_count(), out, unfollowed)
        return out, unfollowed

    def _exact(self, positions: NDArray[Any]) -> NDArray[np.float32]:
        """The view at positions in the table, in cells (N, 3), as 0..255."""
        shown = self._config.display_packed(position_values(positions), self._lattice, self._view)
        return np.clip(shown, -1.0, 2.0) * np.float32(255.0)


def _places_of(cells: NDArray[np.intp]) -> NDArray[np.intp]:
    """The near corners of cells, (N, 3)."""
    return np.stack(np.unravel_index(cells, (CELLS,) * 3), axis=1)


def _anywhere(count: int) -> NDArray[np.float64]:
    """Trial places all over a cell."""
    return np.random.default_rng(count).uniform(0.05, 0.95, (count, 3))


def _in_each_part(count: int) -> NDArray[np.float64]:
    """Trial places in each part of a divided cell."""
    corners = np.tile(np.indices((_PARTS,) * 3).reshape(3, -1).T, (count, 1))
    return np.asarray((corners + np.random.default_rng(count).uniform(0.1, 0.9, corners.shape)) / _PARTS, np.float64)


def _slices(count: int, places_each: int) -> Iterator[slice]:
    """Cells in steps of a bounded size in memory."""
    step = max(1, _STEP_PLACES // places_each)
    return (slice(first, min(first + step, count)) for first in range(0, count, step))


def _around(cells: NDArray[np.intp]) -> NDArray[np.intp]:
    """Cells, and all that touch one of them."""
    cube = np.zeros((CELLS,) * 3, bool)
    cube.ravel()[cells] = True
    from scipy import ndimage  # slow to import

    return np.flatnonzero(ndimage.binary_dilation(cube, np.ones((3, 3, 3), bool)))
