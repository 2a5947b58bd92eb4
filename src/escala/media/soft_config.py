"""Writes the shipped config with the soft view: `python -m escala.media.soft_config FOLDER`."""

import sys
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from escala.core.colour import soft_view
from escala.core.colour.config import GAMUT_SPACES
from escala.core.colour.gamuts import GAMUTS, gamut_matrix, primaries_to_xyz

TONE_FILE = "soft_tone.spi1d"
_LINEAR = {
    "Rec.709": "Linear Rec.709 (sRGB)",
    "AP1": "ACEScg",
    "P3-D65": "Linear P3-D65",
    "Rec.2020": "Linear Rec.2020",
}
_DISPLAYS = {"sRGB": "Rec.709", "Display P3": "P3-D65"}
_DESCRIPTION = (
    "A view with less contrast than the ACES ones, and bright saturated light that goes to white without turning hue."
)


def write_soft_config(folder: Path) -> None:
    """Write `config.ocio` and its table into a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / TONE_FILE).write_text(tone_table())
    (folder / "config.ocio").write_text(str(soft_config().serialize()) + "\n")


def tone_table() -> str:
    """The response over the logarithm of light, as a one-channel table."""
    stops = np.linspace(soft_view.LOWEST, soft_view.HIGHEST, soft_view.STEPS)
    values = soft_view.respond(2.0**stops)
    head = f"Version 1\nFrom 0 1\nLength {soft_view.STEPS}\nComponents 1\n{{\n"
    return head + "".join(f"{value:.8f}\n" for value in values) + "}\n"


def soft_config() -> ocio.Config:
    """The config: linear spaces of the usual gamuts, two displays, the soft view and the plain one on each."""
    config = ocio.Config()
    config.setVersion(2, 1)
    config.setName("escala-soft")
    config.setDescription(_DESCRIPTION)
    config.addSearchPath(".")
    _add_scene_spaces(config)
    for display, gamut in _DISPLAYS.items():
        _add_display(config, display, gamut)
    roles = {
        "aces_interchange": "ACES2065-1",
        "cie_xyz_d65_interchange": "CIE XYZ D65",
        "scene_linear": "ACEScg",
        "data": "Raw",
        "texture_paint": "sRGB Encoded Rec.709 (sRGB)",
        "color_picking": "sRGB Encoded Rec.709 (sRGB)",
    }
    for role, space in roles.items():
        config.setRole(role, space)
    rules = ocio.FileRules()
    rules.setDefaultRuleColorSpace("Linear Rec.709 (sRGB)")
    config.setFileRules(rules)
    config.validate()
    return config


def _add_scene_spaces(config: ocio.Config) -> None:
    config.addColorSpace(_scene_space("ACES2065-1", ["lin_ap0", "aces2065_1"], None))
    for gamut, name in _LINEAR.items():
        aliases = [alias for alias in GAMUT_SPACES[gamut] if alias != name]
        config.addColorSpace(_scene_space(name, aliases, _matrix(gamut_matrix(gamut, "AP0"))))
    curve = ocio.ExponentWithLinearTransform(gamma=[2.4, 2.4, 2.4, 1], offset=[0.055, 0.055, 0.055, 0])
    decode = ocio.GroupTransform([curve, _matrix(gamut_matrix("Rec.709", "AP0"))])
    encoded = _scene_space("sRGB Encoded Rec.709 (sRGB)", ["srgb_encoded_rec709", "srgb_tx"], decode, "sdr-video")
    config.addColorSpace(encoded)
    raw = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, "Raw", isData=True)
    config.addColorSpace(raw)


def _scene_space(
    name: str, aliases: list[str], to_reference: ocio.Transform | None, encoding: str = "scene-linear"
) -> ocio.ColorSpace:
    space = ocio.ColorSpace(ocio.REFERENCE_SPACE_SCENE, name, aliases=aliases, encoding=encoding)
    if to_reference is not None:
        space.setTransform(to_reference, ocio.COLORSPACE_DIR_TO_REFERENCE)
    return space


def _add_display(config: ocio.Config, display: str, gamut: str) -> None:
    """The display's own space, the soft view of its gamut, and the plain one."""
    if not config.getColorSpace("CIE XYZ D65"):
        config.addColorSpace(ocio.ColorSpace(ocio.REFERENCE_SPACE_DISPLAY, "CIE XYZ D65", encoding="display-linear"))
        plain = ocio.ViewTransform(ocio.REFERENCE_SPACE_SCENE, "Plain")
        to_xyz = primaries_to_xyz(GAMUTS["Rec.709"]) @ gamut_matrix("AP0", "Rec.709")
        plain.setTransform(_matrix(to_xyz), ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
        config.addViewTransform(plain)
        config.setDefaultViewTransformName("Plain")
    to_xyz = primaries_to_xyz(GAMUTS[gamut])
    curve = ocio.ExponentWithLinearTransform(
        gamma=[2.4, 2.4, 2.4, 1], offset=[0.055, 0.055, 0.055, 0], direction=ocio.TRANSFORM_DIR_INVERSE
    )
    space = ocio.ColorSpace(ocio.REFERENCE_SPACE_DISPLAY, display, encoding="sdr-video")
    encode = ocio.GroupTransform([_matrix(np.linalg.inv(to_xyz)), curve])
    space.setTransform(encode, ocio.COLORSPACE_DIR_FROM_REFERENCE)
    config.addColorSpace(space)
    view = ocio.ViewTransform(ocio.REFERENCE_SPACE_SCENE, f"Soft {gamut}")
    view.setTransform(_soft_transform(gamut), ocio.VIEWTRANSFORM_DIR_FROM_REFERENCE)
    config.addViewTransform(view)
    for name, transform in (("Soft", f"Soft {gamut}"), ("Plain", "Plain")):
        config.addDisplayView(display=display, view=name, viewTransform=transform, displayColorSpaceName=display)


def _soft_transform(gamut: str) -> ocio.GroupTransform:
    span = soft_view.HIGHEST - soft_view.LOWEST
    params = [*soft_view.LIMITS[gamut], *soft_view.THRESHOLD, soft_view.POWER]
    to_table = ocio.MatrixTransform(
        matrix=np.diag([1 / span] * 3 + [1]).ravel().tolist(), offset=[-soft_view.LOWEST / span] * 3 + [0]
    )
    return ocio.GroupTransform(
        [
            _matrix(gamut_matrix("AP0", gamut)),
            ocio.FixedFunctionTransform(ocio.FIXED_FUNCTION_ACES_GAMUT_COMP_13, params),
            _matrix(soft_view.LEAK),
            ocio.LogTransform(2),
            to_table,
            ocio.FileTransform(TONE_FILE, interpolation=ocio.INTERP_LINEAR),
            _matrix(soft_view.take_back()),
            ocio.RangeTransform(0.0, 1.0, 0.0, 1.0),
            _matrix(primaries_to_xyz(GAMUTS[gamut])),
        ]
    )


def _matrix(rows: NDArray[np.float64]) -> ocio.MatrixTransform:
    whole = np.eye(4)
    whole[:3, :3] = rows
    return ocio.MatrixTransform(matrix=whole.ravel().round(12).tolist())


if __name__ == "__main__":
    write_soft_config(Path(sys.argv[1]))
