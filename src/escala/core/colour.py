"""Colour management by OpenColorIO: spaces, views, and the exact processors that are the truth."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache, cached_property, lru_cache
from typing import Any

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from .errors import ColourError, UnknownChoice
from .gamuts import GAMUTS, primaries_to_xyz
from .levels import WorkingSpace
from .matrix import apply_matrix
from .planes import Planes, as_planes

# Built-in configs by the name that users see; the newest of each kind that every supported library has.
BUILTIN_CONFIGS = {
    "ACES 2": "ocio://cg-config-v4.0.0_aces-v2.0_ocio-v2.5",
    "ACES 1.3": "ocio://cg-config-v2.2.0_aces-v1.3_ocio-v2.4",
}
DEFAULT_CONFIG = BUILTIN_CONFIGS["ACES 2"]

# SMPTE ST 2065-1: ACES2065-1 (AP0) RGB to CIE XYZ, relative to the ACES white.
AP0_TO_XYZ = np.array(
    [
        [0.9525523959, 0.0, 0.0000936786],
        [0.3439664498, 0.7281660966, -0.0721325464],
        [0.0, 0.0, 1.0088251844],
    ]
)

# The usual aliases of the linear spaces of the gamuts that headers name.
GAMUT_SPACES: dict[str, tuple[str, ...]] = {
    "Rec.709": ("lin_rec709_srgb", "lin_rec709"),
    "AP1": ("ACEScg", "lin_ap1"),
    "AP0": ("ACES2065-1", "lin_ap0"),
    "P3-D65": ("lin_p3d65",),
    "Rec.2020": ("lin_rec2020",),
}

# A processor is taken for a matrix when it is one to this share of the largest channel.
_MATRIX_SLACK = np.float32(2e-6)
_THREADS = ThreadPoolExecutor(max_workers=2, thread_name_prefix="colour")
_BAND_ROWS = 64


@dataclass(frozen=True)
class View:
    """A display and one of its views."""

    display: str
    view: str


class ColourConfig:
    """An OpenColorIO config: names of spaces and views, and processors between them."""

    def __init__(self, source: str) -> None:
        self.source = source
        self._config = _load_config(source)

    @property
    def spaces(self) -> list[str]:
        """Names of scene-referred and display spaces, data spaces left out."""
        return [space.getName() for space in self._config.getColorSpaces() if not space.isData()]

    @property
    def scene_spaces(self) -> list[str]:
        """Names of the scene-linear spaces, in which passes may come and results leave."""
        linear = ("scene-linear", "")
        return [s.getName() for s in self._config.getColorSpaces() if not s.isData() and s.getEncoding() in linear]

    @cached_property
    def views(self) -> dict[str, list[str]]:
        """Views of each display, the default first."""
        displays = self._config.getDisplays()
        return {str(display): [str(view) for view in self._config.getViews(display)] for display in displays}

    @cached_property
    def default_working_space(self) -> str:
        """The config's scene-linear role, or ACEScg."""
        return self.space("scene_linear" if self._config.hasRole("scene_linear") else "ACEScg")

    @cached_property
    def default_view(self) -> View:
        """The default display and its default view."""
        display = self._config.getDefaultDisplay()
        return View(display, self._config.getDefaultView(display))

    def space(self, name: str) -> str:
        """The config's own name of a space, role or alias; raises `UnknownChoice`."""
        found = self._config.getColorSpace(name)
        if found is None:
            raise UnknownChoice("colour space", name, self.spaces)
        return str(found.getName())

    def has_space(self, name: str) -> bool:
        """Whether a space, role or alias of this name exists."""
        return self._config.getColorSpace(name) is not None

    def space_of_gamut(self, chromaticities: Sequence[float] | None) -> tuple[str, str]:
        """The space of a header's chromaticities, and the reason in words. None: the EXR standard's default."""
        if chromaticities is None:
            return self._gamut_space("Rec.709"), "the header names no primaries; OpenEXR's default is Rec.709"
        for gamut, corners in GAMUTS.items():
            if np.allclose(corners[:6], chromaticities[:6], atol=2e-3):
                return self._gamut_space(gamut), f"the header's primaries are those of {gamut}"
        return self._gamut_space("Rec.709"), "the header's primaries are of no known gamut; Rec.709 is assumed"

    def gamut_of_space(self, space: str) -> tuple[float, ...] | None:
        """Chromaticities to write into a header for a space, if it is one of the known gamuts."""
        name = self.space(space)
        for gamut, aliases in GAMUT_SPACES.items():
            if any(self.has_space(alias) and self.space(alias) == name for alias in aliases):
                return GAMUTS[gamut]
        return None

    def _gamut_space(self, gamut: str) -> str:
        aliases = GAMUT_SPACES[gamut]
        return next((self.space(alias) for alias in aliases if self.has_space(alias)), self.default_working_space)

    def check_view(self, view: View) -> View:
        """The view itself when the config has it; raises `UnknownChoice`."""
        if view.display not in self.views:
            raise UnknownChoice("display", view.display, self.views)
        if view.view not in self.views[view.display]:
            raise UnknownChoice("view", view.view, self.views[view.display])
        return view

    def convert(self, planes: Planes, source: str, target: str) -> Planes:
        """Pixels from one space to another; the very same array when they are equal. (3, H, W)."""
        source, target = self.space(source), self.space(target)
        if source == target:
            return as_planes(planes)
        matrix = self._plain_matrix(source, target)
        return apply_matrix(planes, matrix) if matrix is not None else _apply(self._processor(source, target), planes)

    def display(self, planes: Planes, source: str, view: View) -> Planes:
        """Display-encoded pixels, 0..1 on a standard display; (3, H, W). The exact processor."""
        return _apply(self._view_processor(self.space(source), self.check_view(view)), planes)

    def display_packed(self, pixels: NDArray[np.float32], source: str, view: View) -> NDArray[np.float32]:
        """As `display`, on packed pixels (..., 3), in one thread."""
        out = np.ascontiguousarray(pixels, np.float32).copy()
        self._view_processor(self.space(source), self.check_view(view)).applyRGB(out)
        return out

    def working_space(self, name: str) -> WorkingSpace:
        """What levels need to know of a space."""
        gamut = self.gamut_of_space(name)
        if gamut is not None:
            return WorkingSpace(self.space(name), _rows(primaries_to_xyz(gamut)))
        if self._config.hasRole("aces_interchange"):
            ap0 = self.matrix_between(name, "aces_interchange").astype(np.float64)
        else:
            ap0 = np.linalg.solve(AP0_TO_XYZ, _REC709_TO_XYZ)
        return WorkingSpace(self.space(name), _rows(AP0_TO_XYZ @ ap0))

    def matrix_between(self, source: str, target: str) -> NDArray[np.float32]:
        """The 3x3 matrix between two scene-linear spaces, rows for the target's channels."""
        unit = np.eye(3, dtype=np.float32).reshape(3, 3, 1)
        return np.ascontiguousarray(self.convert(unit, source, target)[:, :, 0])

    @lru_cache(maxsize=64)  # noqa: B019 - configs live as long as the process
    def _plain_matrix(self, source: str, target: str) -> NDArray[np.float32] | None:
        """The 3x3 matrix that the processor between two spaces amounts to; None when it is anything else."""
        processor = self._processor(source, target)
        matrix = _apply(processor, np.eye(3, dtype=np.float32).reshape(3, 3, 1))[:, :, 0]
        rng = np.random.default_rng(0)
        probes = (rng.normal(size=(3, 1, 500)) * 2.0 ** rng.uniform(-12, 12, (1, 1, 500))).astype(np.float32)
        probes[:, :, 0] = 0.0
        found, expected = _apply(processor, probes), apply_matrix(probes, matrix)
        scale = np.abs(probes).max(axis=0) + np.float32(1e-9)
        return matrix if np.all(np.abs(found - expected) <= _MATRIX_SLACK * scale) else None

    @lru_cache(maxsize=64)  # noqa: B019
    def _processor(self, source: str, target: str) -> Any:
        return _told(lambda: self._config.getProcessor(source, target).getDefaultCPUProcessor())

    @lru_cache(maxsize=64)  # noqa: B019
    def _view_processor(self, source: str, view: View) -> Any:
        transform = ocio.DisplayViewTransform(src=source, display=view.display, view=view.view)
        return _told(lambda: self._config.getProcessor(transform).getDefaultCPUProcessor())


# IEC 61966-2-1: linear Rec.709 to CIE XYZ (D65).
_REC709_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])


def _rows(matrix: NDArray[np.float64]) -> tuple[tuple[float, float, float], ...]:
    return tuple((float(row[0]), float(row[1]), float(row[2])) for row in matrix)


@cache
def colour_config(source: str) -> ColourConfig:
    """The config of a file path, an `ocio://` name or a name of `BUILTIN_CONFIGS`, loaded once."""
    return ColourConfig(BUILTIN_CONFIGS.get(source, source))


def apply_lut_file(planes: Planes, path: str) -> Planes:
    """A LUT file laid on working-space values, with OpenColorIO's interpolation. Raises `ColourError`. (3, H, W)."""
    transform = ocio.FileTransform(src=path, interpolation=ocio.INTERP_BEST)
    config = ocio.Config.CreateRaw()
    processor = _told(lambda: config.getProcessor(transform).getDefaultCPUProcessor())
    return _apply(processor, planes)


def _load_config(source: str) -> Any:
    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)
    return _told(lambda: ocio.Config.CreateFromFile(source))


def _told(action: Callable[[], Any]) -> Any:
    """OpenColorIO's errors as one sentence of ours. Its missing-file error is no subclass of its error."""
    try:
        return action()
    except (ocio.Exception, ocio.ExceptionMissingFile) as error:
        raise ColourError(" ".join(str(error).split())) from error


def _apply(processor: Any, planes: Planes) -> Planes:
    """Run a CPU processor over bands of rows in two threads; each pixel by itself, so bands change nothing."""
    out = as_planes(planes).copy()

    def run(first: int) -> None:
        red, green, blue = (np.ascontiguousarray(plane[first : first + _BAND_ROWS]) for plane in out)
        processor.apply(ocio.PlanarImageDesc(red, green, blue, red.shape[1], red.shape[0]))
        for plane, band in zip(out, (red, green, blue), strict=True):
            plane[first : first + _BAND_ROWS] = band

    list(_THREADS.map(run, range(0, out.shape[1], _BAND_ROWS)))
    return out
