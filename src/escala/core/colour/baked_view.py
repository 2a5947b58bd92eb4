"""A display view as a log-shaped 3D table with tetrahedral interpolation, for pictures that move.

OpenColorIO's processor is the truth; this table is its fast stand-in while something is dragged.
"""

from collections.abc import Callable, Iterator
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from ..planes import Planes, as_colour
from .config import ColourConfig, View
from .view_cells import CELLS, cell_words, look_up, pack_nodes, position_values

# A cell that is off by more than this, of 255 and half of it rounding, is divided into so many parts along each side.
_TOLERANCE = 1.4
_DIVISIONS = (3, 6, 12)
# Where in a cell the error is looked for: in its middle, and halfway from there to every second corner.
_TRIALS = np.array([[2, 2, 2], [1, 1, 1], [3, 3, 1], [3, 1, 3], [1, 3, 3]]) / 4
_MOST_TRIALS = 64
# Places computed at once.
_STEP_PLACES = 20_000


class BakedView:
    """A display view of one working space, as 8-bit pixels.

    `refine` divides the cells in which the view bends too sharply for the table, which it does at the edges of the
    display's gamut: until then single colours there may be off by tens of 255, afterwards hardly any by more than 2.
    """

    def __init__(self, config: ColourConfig, space: str, view: View) -> None:
        self._config, self._view = config, view
        # Wide primaries: every real colour lies inside the table.
        self._lattice = config.space("ACEScg") if config.has_space("ACEScg") else space
        self._matrix = config.matrix_between(space, self._lattice)
        grid = pack_nodes(self._exact(np.indices((CELLS + 1,) * 3).reshape(3, -1).T))
        corners = np.lib.stride_tricks.sliding_window_view(grid.reshape((CELLS + 1,) * 3), (2, 2, 2))
        own = np.ascontiguousarray(corners).reshape(-1)
        self._table = cell_words(np.arange(CELLS**3) * 8, 1), own

    def refine(self, stop: Callable[[], bool] = lambda: False) -> None:
        """Divide the cells that are off; some seconds of work, and the view may be used meanwhile.

        It ends early, and changes nothing more, as soon as `stop` says so.
        """
        bent = np.flatnonzero(_with_neighbours(self._errors(np.arange(CELLS**3), _TRIALS, stop)) > _TOLERANCE)
        for parts in _DIVISIONS:
            if stop():
                return
            self._divide(bent, parts, stop)
            bent = bent[self._errors(bent, _trials_of(parts), stop) > _TOLERANCE]

    def _divide(self, bent: NDArray[np.intp], parts: int, stop: Callable[[], bool]) -> None:
        """Give cells finer nodes of their own."""
        words, nodes = self._table
        inside = np.indices((parts + 1,) * 3).reshape(3, -1).T / parts
        finer = np.empty((len(bent), len(inside)), np.int64)
        for chosen in _slices(len(bent), len(inside)):
            if stop():
                return
            places = (_places_of(bent[chosen])[:, None] + inside).reshape(-1, 3)
            finer[chosen] = pack_nodes(self._exact(places)).reshape(-1, len(inside))
        words = words.copy()
        words[bent] = cell_words(len(nodes) + np.arange(len(bent)) * len(inside), parts)
        self._table = words, np.concatenate([nodes, finer.ravel()])

    def _errors(self, cells: NDArray[np.intp], trials: NDArray[Any], stop: Callable[[], bool]) -> NDArray[np.float32]:
        """The largest error that shows at trial places of cells, of 255; (N,). Nothing, once `stop` says so."""
        worst = np.zeros(len(cells), np.float32)
        for chosen in _slices(len(cells), len(trials)):
            if stop():
                break
            places = (_places_of(cells[chosen])[:, None] + trials).reshape(-1, 3)
            shown = self._look_up(position_values(places).T, np.eye(3, dtype=np.float32))
            off = np.abs(np.clip(self._exact(places), 0, 255) - shown)
            worst[chosen] = off.reshape(-1, 3 * len(trials)).max(axis=1)
        return worst

    def to_bytes(self, planes: Planes) -> NDArray[np.uint8]:
        """(3, H, W) working-space values to (H, W, 3) display bytes, red first."""
        source = as_colour(planes)
        return self._look_up(source.reshape(3, -1), self._matrix).reshape(*source.shape[1:], 3)

    def _look_up(self, light: NDArray[np.float32], matrix: NDArray[np.float32]) -> NDArray[np.uint8]:
        """(3, N) light to (N, 3) bytes."""
        words, nodes = self._table
        out = np.empty((light.shape[1], 3), np.uint8)
        look_up(np.ascontiguousarray(light), matrix, words, nodes, numba.get_num_threads(), out)
        return out

    def _exact(self, positions: NDArray[Any]) -> NDArray[np.float32]:
        """The view at positions in the table, in cells (N, 3), as 0..255."""
        shown = self._config.display_packed(position_values(positions), self._lattice, self._view)
        return np.clip(shown, -1.0, 2.0) * np.float32(255.0)


def _places_of(cells: NDArray[np.intp]) -> NDArray[np.intp]:
    """The near corners of cells, (N, 3)."""
    return np.stack(np.unravel_index(cells, (CELLS,) * 3), axis=1)


def _trials_of(parts: int) -> NDArray[np.float64]:
    """Trial places of a divided cell: somewhere in each part, or in some of them if they are many."""
    rng = np.random.default_rng(parts)
    corners = np.indices((parts,) * 3).reshape(3, -1).T
    chosen = corners if len(corners) <= _MOST_TRIALS else rng.permutation(corners)[:_MOST_TRIALS]
    return np.asarray((chosen + rng.uniform(0.25, 0.75, chosen.shape)) / parts, np.float64)


def _slices(count: int, places_each: int) -> Iterator[slice]:
    """Cells in steps so short that whoever else needs the machine hardly waits."""
    step = max(1, _STEP_PLACES // places_each)
    return (slice(first, min(first + step, count)) for first in range(0, count, step))


def _with_neighbours(worst: NDArray[np.float32]) -> NDArray[np.float32]:
    """Each cell's error, or half of its worst neighbour's: a bend seldom ends at the side of a cell."""
    cube = worst.reshape((CELLS,) * 3)
    around = cube.copy()
    for axis in range(3):
        own, other = np.moveaxis(around, axis, 0), np.moveaxis(cube, axis, 0)
        np.maximum(own[1:], other[:-1], out=own[1:])
        np.maximum(own[:-1], other[1:], out=own[:-1])
    return np.asarray(np.maximum(cube, np.float32(0.5) * around)).ravel()
