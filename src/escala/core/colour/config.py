"""Colour management by OpenColorIO: spaces, views, and the exact processors that are the truth."""

import copy
import hashlib
import posixpath
import re
import secrets
import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any, Protocol

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from ..balance.levels import WorkingSpace
from ..errors import ColourError, EscalaError, UnknownChoice
from ..planes import Planes, as_planes
from .gamuts import GAMUTS, primaries_to_xyz
from .interop import Encoding, encoding_of
from .matrix import apply_matrix

# The config that shots begin with, by the name that users see.
DEFAULT_CONFIG = "ACES 2"

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

_BUILTIN = "ocio://default"
# A processor is taken for a matrix when it is one to this share of the largest channel.
_MATRIX_SLACK = np.float32(2e-6)
# One thread at a time requests what the library may have to read: it keeps its locks while it calls us back, and
# waits for them without letting go of the interpreter, so that two threads would stop each other for ever.
_LIBRARY = threading.RLock()
_THREADS = ThreadPoolExecutor(max_workers=2, thread_name_prefix="colour")
_BAND_ROWS = 64
# Names of fewer letters and figures are found in file names by chance.
_TELLING = 5
_MOST_WORDS = 300


@dataclass(frozen=True)
class View:
    """A display and one of its views. `look`: applied to before it in place of the view's own; "" is none at all."""

    display: str
    view: str
    look: str | None = None


class ConfigFiles(Protocol):
    """A config's text, and the contents of the tables that it names: all that the library gets to see of any disk.

    What it is not given the library looks for on the disk itself, so every place that it may look at is checked.
    """

    text: str

    def as_named(self, words: str) -> str:
        """A sentence about them, with the names that the user knows."""

    def read(self, name: str) -> bytes:
        """The contents of a table by its name in the config; raises `EscalaError` where it cannot be had."""


class ColourConfig:
    """An OpenColorIO config: names of spaces, views and looks, and processors between them.

    `source`: the `ocio://` name of a built-in one, or the files of any other. `key`: identifies it.
    `context`: values of its variables; the process's own environment counts only with `environment`. `own`: whether it
    was made for the user's own files, so that its file rules speak of them.
    """

    def __init__(
        self,
        source: str | ConfigFiles,
        key: str = "",
        context: Mapping[str, str] | None = None,
        own: bool = False,
        environment: bool = True,
    ) -> None:
        self._arguments = source, key, context, own, environment
        self.own = own
        self.key = f"{key or source} {sorted((context or {}).items())}"
        files = source if isinstance(source, str) else _Tables(source)
        self._tables = None if isinstance(files, str) else files
        self._config = _load_config(files)
        self._context = copy.deepcopy(self._config.getCurrentContext())
        if self._tables:
            self._config.setWorkingDir(self._tables.root)
            self._context.setWorkingDir(self._tables.root)
        if not environment:
            self._context.setEnvironmentMode(ocio.ENV_ENVIRONMENT_LOAD_PREDEFINED)
            self._context.clearStringVars()
            for name, value in self.variables.items():
                self._context.setStringVar(name, value)
        for name, value in (context or {}).items():
            if name not in self.variables:
                raise UnknownChoice("context variable", name, self.variables)
            self._context.setStringVar(name, value)
        if self._tables and not environment:
            self._check_places(self._tables)

    def __reduce__(self) -> tuple[Any, ...]:
        """Loaded anew from the same files where it is unpickled."""
        return ColourConfig, self._arguments

    def _check_places(self, tables: "_Tables") -> None:
        """Raises what `read` raises for any place outside of its own folder at which the library would look."""
        folders = ["", *(str(path) for path in self._config.getSearchPaths())]
        for name in sorted(_file_names(self._config)):
            for folder in folders:
                place = self._context.resolveStringVar(
                    f"{folder}/{name}" if folder and not name.startswith("/") else name
                )
                if place.startswith(("/", "\\")) or ":" in place[:3]:
                    tables.check(place)

    @property
    def spaces(self) -> list[str]:
        """Names of scene-referred and display spaces, data spaces excluded."""
        return [space.getName() for space in self._config.getColorSpaces() if not space.isData()]

    @property
    def scene_spaces(self) -> list[str]:
        """Names of the scene-linear spaces, in which passes may come and results leave."""
        return [name for name in self.spaces if self.is_scene_linear(name)]

    def is_scene_linear(self, name: str) -> bool:
        """Whether a space holds scene-linear light; one whose encoding the config leaves open is taken to."""
        return self._config.getColorSpace(name).getEncoding() in ("scene-linear", "")

    @property
    def roles(self) -> dict[str, str]:
        """The space of each role."""
        return {str(role): str(self._config.getRoleColorSpace(role)) for role in self._config.getRoleNames()}

    @property
    def looks(self) -> list[str]:
        """Names of looks."""
        return [str(name) for name in self._config.getLookNames()]

    @property
    def named_transforms(self) -> list[str]:
        """Names of transforms that belong to no space."""
        return [str(transform.getName()) for transform in self._config.getNamedTransforms()]

    @cached_property
    def variables(self) -> dict[str, str]:
        """The context variables that the config declares, with their defaults."""
        names = [str(name) for name in self._config.getEnvironmentVarNames()]
        return {name: str(self._config.getEnvironmentVarDefault(name)) for name in names}

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

    def space_of_gamut(self, gamut: str) -> str | None:
        """The scene-linear space of a gamut of GAMUTS, if the config has it."""
        return next((self.space(alias) for alias in GAMUT_SPACES[gamut] if self.has_space(alias)), None)

    def space_named_in(self, text: str) -> str | None:
        """The space whose name or alias a text holds as words of its own, the longest; short aliases do not count."""
        plain, found = _words(text), ("", "")
        for space in self._config.getColorSpaces():
            for name in (space.getName(), *space.getAliases()):
                words = _words(name)
                if not space.isData() and len(words) >= _TELLING and f" {words} " in f" {plain} ":
                    found = max(found, (words, str(space.getName())), key=lambda each: len(each[0]))
        return found[1] or None

    def space_by_rules(self, path: str) -> str | None:
        """The space that the config's file rules name for a path; None when only the last, for all files, applies."""
        rules = self._config.getFileRules()
        name, rule = self._config.getColorSpaceFromFilepath(path)
        return str(name) if rule < rules.getNumEntries() - 1 and self.has_space(name) else None

    def gamut_of_space(self, space: str) -> tuple[float, ...] | None:
        """Chromaticities to write into a header for a space, if it is one of the known gamuts."""
        name = self.space(space)
        for gamut, aliases in GAMUT_SPACES.items():
            if any(self.has_space(alias) and self.space(alias) == name for alias in aliases):
                return GAMUTS[gamut]
        return None

    def encoding_of(self, space: str) -> Encoding | None:
        """The encoding of a space by its interoperability identifier; None for data and where it is unknown."""
        found = self._config.getColorSpace(space)
        if found is None or found.isData():
            return None
        known = encoding_of(str(found.getInteropID()))
        return known or self._known_encodings.get(str(found.getName()))

    @cached_property
    def _known_encodings(self) -> dict[str, Encoding]:
        """Encodings of spaces without an identifier: those that equal spaces of the library's own config."""
        builtin = _load_config(_BUILTIN)
        found: dict[str, Encoding] = {}
        for space in builtin.getColorSpaces():
            encoding, name = encoding_of(str(space.getInteropID())), str(space.getName())
            if encoding is None:
                continue
            if self._tables is None and self.has_space(name):  # the names of the library's configs are standardised
                found[self.space(name)] = encoding
                continue
            with suppress(ColourError):
                found.setdefault(self._same_as(builtin, name), encoding)
        return found

    def _same_as(self, config: Any, space: str) -> str:
        """The space that equals one of another config. Raises `ColourError` where there is none."""
        identify = ocio.Config.IdentifyBuiltinColorSpace
        return str(_translate_errors(lambda: identify(self._config, config, space), self._tables))

    def encoding_of_view(self, view: View) -> Encoding | None:
        """The encoding of what a view gives; None for a view that passes data through, and where it is unknown."""
        name = str(self._config.getDisplayViewColorSpaceName(view.display, view.view))
        return self.encoding_of(view.display if name == ocio.OCIO_VIEW_USE_DISPLAY_NAME else name)

    def check_view(self, view: View) -> View:
        """The view itself when the config has it; raises `UnknownChoice`."""
        if view.display not in self.views:
            raise UnknownChoice("display", view.display, self.views)
        if view.view not in self.views[view.display]:
            raise UnknownChoice("view", view.view, self.views[view.display])
        if view.look and view.look not in self.looks:
            raise UnknownChoice("look", view.look, self.looks)
        return view

    def convert(self, planes: Planes, source: str, target: str) -> Planes:
        """Pixels from one space to another; the very same array when they are equal. (3, H, W)."""
        source, target = self.space(source), self.space(target)
        if source == target:
            return as_planes(planes)
        matrix = self.plain_matrix(source, target)
        return apply_matrix(planes, matrix) if matrix is not None else _apply(self._processor(source, target), planes)

    def display(self, planes: Planes, source: str, view: View) -> Planes:
        """Display-encoded pixels, 0..1 on a standard display; (3, H, W). The exact processor."""
        return _apply(self._view_processor(self.space(source), self.check_view(view)), planes)

    def display_packed(self, pixels: NDArray[np.float32], source: str, view: View) -> NDArray[np.float32]:
        """As `display`, on packed pixels (..., 3), in one thread."""
        out = np.ascontiguousarray(pixels, np.float32).copy()
        self._view_processor(self.space(source), self.check_view(view)).applyRGB(out)
        return out

    def view_key(self, source: str, view: View) -> str:
        """Identifies the exact processor of a view by the contents of all its steps; the same in every process."""
        return str(self._view_processor(self.space(source), self.check_view(view)).getCacheID())

    def transform(self, planes: Planes, name: str, space: str, inverse: bool = False) -> Planes:
        """Pixels of `space` through a look or a named transform of the config; (3, H, W). Raises `UnknownChoice`."""
        if name not in self.looks and name not in self.named_transforms:
            raise UnknownChoice("look or named transform", name, [*self.looks, *self.named_transforms])
        return _apply(self._transform_processor(name, self.space(space), inverse), planes)

    @property
    def faults(self) -> tuple[str, ...]:
        """What of the config does not work, each with its place: spaces, looks, named transforms and views."""
        return self._survey

    @cached_property
    def _survey(self) -> tuple[str, ...]:
        """Try everything that the config offers: what of it fails."""
        working, found = self.default_working_space, []
        trials: list[tuple[str, Callable[[], Any]]] = [
            *(
                (f"colour space {name}", lambda n=name: self._made(ocio.ColorSpaceTransform(src=n, dst=working)))
                for name in self.spaces
            ),
            *((f"look {name}", lambda n=name: self._made(*self._transform(n, working, False))) for name in self.looks),
            *(
                (f"named transform {name}", lambda n=name: self._made(*self._transform(n, working, False)))
                for name in self.named_transforms
            ),
            *(
                (f"view {view} of {display}", lambda v=View(display, view): self._made(_shown(working, v)))
                for display, views in self.views.items()
                for view in views
            ),
        ]
        for place, trial in trials:
            try:
                trial()
            except ColourError as error:
                found.append(f"{place}: {error}")
        return tuple(found)

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
    def plain_matrix(self, source: str, target: str) -> NDArray[np.float32] | None:
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
        return self._cpu(ocio.ColorSpaceTransform(src=source, dst=target))

    @lru_cache(maxsize=64)  # noqa: B019
    def _view_processor(self, source: str, view: View) -> Any:
        return self._cpu(_shown(source, view))

    @lru_cache(maxsize=64)  # noqa: B019
    def _transform_processor(self, name: str, space: str, inverse: bool) -> Any:
        return self._cpu(*self._transform(name, space, inverse))

    def _transform(self, name: str, space: str, inverse: bool) -> tuple[Any, Any]:
        """A look or named transform, and its direction."""
        direction = ocio.TRANSFORM_DIR_INVERSE if inverse else ocio.TRANSFORM_DIR_FORWARD
        if name in self.looks:
            return ocio.LookTransform(src=space, dst=space, looks=name), direction
        return self._config.getNamedTransform(name), direction

    def _cpu(self, transform: Any, direction: Any = ocio.TRANSFORM_DIR_FORWARD) -> Any:
        return _translate_errors(lambda: self._made(transform, direction).getDefaultCPUProcessor())

    def _made(self, transform: Any, direction: Any = ocio.TRANSFORM_DIR_FORWARD) -> Any:
        """The exact processor of a transform. Raises `ColourError` that says what is missing or wrong, and where."""
        return _translate_errors(lambda: self._config.getProcessor(self._context, transform, direction), self._tables)


def _shown(source: str, view: View) -> Any:
    """The transform from a space to a view, with a look of its own before it where one is chosen."""
    shown = ocio.DisplayViewTransform(
        src=source, display=view.display, view=view.view, looksBypass=view.look is not None
    )
    if not view.look:
        return shown
    return ocio.GroupTransform([ocio.LookTransform(src=source, dst=source, looks=view.look), shown])


# IEC 61966-2-1: linear Rec.709 to CIE XYZ (D65).
_REC709_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])


def _rows(matrix: NDArray[np.float64]) -> tuple[tuple[float, float, float], ...]:
    return tuple((float(row[0]), float(row[1]), float(row[2])) for row in matrix)


def _file_names(config: Any) -> set[str]:
    """The files that anything in a config names, as it names them."""
    found: set[str] = set()
    both = (ocio.COLORSPACE_DIR_TO_REFERENCE, ocio.COLORSPACE_DIR_FROM_REFERENCE)
    spaces = [
        config.getColorSpace(name)
        for name in config.getColorSpaceNames(ocio.SEARCH_REFERENCE_SPACE_ALL, ocio.COLORSPACE_ALL)
    ]
    views = [config.getViewTransform(name) for name in config.getViewTransformNames()]
    views_both = (ocio.VIEWTRANSFORM_DIR_TO_REFERENCE, ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
    transforms = [space.getTransform(way) for space in spaces for way in both]
    transforms += [view.getTransform(way) for view in views for way in views_both]
    directions = (ocio.TRANSFORM_DIR_FORWARD, ocio.TRANSFORM_DIR_INVERSE)
    named = [config.getNamedTransform(name) for name in config.getNamedTransformNames(ocio.NAMEDTRANSFORM_ALL)]
    transforms += [entry.getTransform(way) for entry in named for way in directions]
    looks = [config.getLook(name) for name in config.getLookNames()]
    transforms += [look.getTransform() for look in looks] + [look.getInverseTransform() for look in looks]
    for transform in transforms:
        _collect_files(transform, found)
    return found


def _collect_files(transform: Any, found: set[str]) -> None:
    if isinstance(transform, ocio.FileTransform):
        found.add(transform.getSrc())
    elif isinstance(transform, ocio.GroupTransform):
        for inner in transform:
            _collect_files(inner, found)


def refers_elsewhere(contents: bytes) -> bool:
    """Whether a table of the XML formats takes a part of itself from another file."""
    return b"<Reference" in contents


@dataclass(frozen=True)
class Lut:
    """A LUT file's contents. `kind`: its extension, which gives the format; `digest`: identifies it."""

    name: str = field(compare=False)
    kind: str
    digest: str
    contents: bytes = field(repr=False, compare=False)


def apply_lut(planes: Planes, lut: Lut) -> Planes:
    """A LUT applied to working-space values, with OpenColorIO's interpolation. Raises `ColourError`. (3, H, W)."""
    return _apply(_lut_processor(lut), planes)


@lru_cache(maxsize=16)
def _lut_processor(lut: Lut) -> Any:
    """The library gets the contents alone: it looks for no file, follows no path in them, expands no variable."""
    tables = _Tables(_OneTable(lut))
    config = _load_config(tables)
    config.setWorkingDir(tables.root)
    transform = ocio.FileTransform(src=f"{lut.digest}{lut.kind}", interpolation=ocio.INTERP_BEST)
    try:
        return _translate_errors(lambda: config.getProcessor(transform).getDefaultCPUProcessor(), tables)
    except ColourError as error:
        named = str(error) if lut.name in str(error) else f"{lut.name}: {error}"
        raise ColourError(named) from error


class _OneTable:
    """The files of a config that knows nothing but one table."""

    text = (
        "ocio_profile_version: 2\nroles: {default: raw}\n"
        "file_rules: [!<Rule> {name: Default, colorspace: default}]\n"
        "displays: {none: [!<View> {name: none, colorspace: raw}]}\n"
        "colorspaces: [!<ColorSpace> {name: raw, isdata: true}]\n"
    )

    def __init__(self, lut: Lut) -> None:
        self._lut = lut

    def as_named(self, words: str) -> str:
        return words.replace(f"{self._lut.digest}{self._lut.kind}", self._lut.name)

    def read(self, name: str) -> bytes:
        if name != f"{self._lut.digest}{self._lut.kind}" or refers_elsewhere(self._lut.contents):
            raise ColourError("the LUT refers to another file; a LUT must be one file")
        return self._lut.contents


class _Tables(ocio.PyConfigIOProxy):  # type: ignore[misc]
    """Files that the library requests. `refused`: why some of them were refused."""

    def __init__(self, files: ConfigFiles) -> None:
        super().__init__()
        self._files = files
        self.refused: list[str] = []
        # The library remembers tables by their path, so each config has a folder of its own, which is on no disk.
        self.root = f"/escala-{secrets.token_hex(8)}"

    def as_named(self, words: str) -> str:
        """A sentence of the library with the names that the user knows."""
        return self._files.as_named(words.replace(f"{self.root}/", ""))

    def check(self, place: str) -> None:
        """Raises `ColourError` for a place on the disk that may not be read; one that is empty holds nothing."""
        try:
            self._files.read(place)
        except LookupError:
            pass
        except EscalaError as error:
            raise ColourError(f"the config names {place}: {error}") from error

    def getConfigData(self) -> str:
        return self._files.text

    def getFastLutFileHash(self, name: str) -> str:
        """Empty for what is not there, as the library wants it."""
        try:
            return hashlib.sha256(self._read(name)).hexdigest()
        except EscalaError as error:
            self.refused.append(str(error))
            return ""

    def getLutData(self, name: str) -> list[int]:
        return list(self._read(name))

    def _read(self, name: str) -> bytes:
        inside = posixpath.normpath(name).removeprefix(f"{self.root}/")
        return self._files.read(inside)


def _words(text: str) -> str:
    """Letters and figures in lower case, all else as single spaces."""
    return " ".join(re.findall(r"[a-z0-9]+", text.lower()))


def _load_config(source: "str | _Tables") -> Any:
    ocio.SetLoggingLevel(ocio.LOGGING_LEVEL_NONE)
    if isinstance(source, str):
        return _translate_errors(lambda: ocio.Config.CreateFromFile(source))
    return _translate_errors(lambda: ocio.Config.CreateFromConfigIOProxy(source), source)


def forget_tables() -> None:
    """Let the library's own memory of files go: it does not notice that one was replaced."""
    with _LIBRARY:
        ocio.ClearAllCaches()


def _translate_errors(action: Callable[[], Any], tables: "_Tables | None" = None) -> Any:
    """OpenColorIO's errors as one sentence of ours. Its missing-file error is no subclass of its error."""
    with _LIBRARY:
        if tables:
            tables.refused.clear()
        try:
            return action()
        except UnicodeDecodeError as error:  # it quotes a line of a file that is no text
            raise ColourError(_NOT_TEXT) from error
        except (ocio.Exception, ocio.ExceptionMissingFile) as error:
            words = "".join(sign if sign.isprintable() else " " for sign in str(error))
            words = _BOILERPLATE.sub("", tables.as_named(words) if tables else words)
            reason = f" ({tables.refused[-1]})" if tables and tables.refused else ""
            # Of some files that are no text it says nothing at all.
            said = " ".join(words.split())[:_MOST_WORDS] or _NOT_TEXT
            raise ColourError(said + reason) from error


_NOT_TEXT = "its content is not in the format of its extension"
# What the library says of every table that it cannot read.
_BOILERPLATE = re.compile(r" ?All formats have been tried\. \(Enable debug log[^)]*\)[^:]*:?")


def _apply(processor: Any, planes: Planes) -> Planes:
    """Run a CPU processor over bands of rows in two threads; each pixel by itself, so bands change nothing."""
    source = as_planes(planes)
    out = np.empty_like(source)

    def run(first: int) -> None:
        rows = slice(first, first + _BAND_ROWS)
        out[:, rows] = source[:, rows]
        red, green, blue = out[:, rows]
        processor.apply(ocio.PlanarImageDesc(red, green, blue, red.shape[1], red.shape[0]))

    list(_THREADS.map(run, range(0, out.shape[1], _BAND_ROWS)))
    return out
