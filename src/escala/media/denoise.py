"""Denoising by Open Image Denoise, where its package is there: colour guided by albedo and normals."""

from typing import Any

import numpy as np

from escala.core.errors import EscalaError
from escala.core.planes import Planes


class NoDenoiser(EscalaError):
    """The package that denoises is not installed."""

    def __init__(self) -> None:
        super().__init__(
            "to denoise, the package pyoidn (Open Image Denoise) is needed: run make setup, or pip install pyoidn"
        )


def check_denoiser() -> None:
    """Raises `NoDenoiser` where the package is not there."""
    _package()


def denoise_colour(colour: Planes, albedo: Planes | None = None, normal: Planes | None = None) -> Planes:
    """Scene-linear colour, (3, H, W), without its noise; `albedo` and `normal` are clean guides.

    Values below 0 stay what they are; pixels that are no numbers too. Raises `NoDenoiser`.
    """
    package = _package()
    finite = np.isfinite(colour).all(axis=0)
    light = np.where(finite, np.maximum(colour, np.float32(0.0)), np.float32(0.0))
    guides = {name: _packed(planes) for name, planes in (("albedo", albedo), ("normal", normal)) if planes is not None}
    # Normals without an albedo are not taken.
    if "albedo" not in guides:
        guides.pop("normal", None)
    smooth = package.denoise(_packed(light), **guides, hdr=True, clean_aux=bool(guides))
    out = np.ascontiguousarray(smooth.transpose(2, 0, 1)) + np.minimum(colour, np.float32(0.0))
    return np.where(finite, out, colour).astype(np.float32)


def denoise_guide(planes: Planes, kind: str) -> Planes:
    """A guide, (3, H, W), without its own noise; `kind`: "albedo" or "normal". Raises `NoDenoiser`."""
    package = _package()
    low = 0.0 if kind == "albedo" else -1.0
    image = np.clip(np.nan_to_num(_packed(planes)), low, 1.0)
    out = np.empty_like(image)
    device = package.Device()
    device.commit()
    with package.Filter(device) as smoothing:
        smoothing.set_image(kind, image, package.OIDN_FORMAT_FLOAT3)
        smoothing.set_image("output", out, package.OIDN_FORMAT_FLOAT3)
        smoothing.commit()
        smoothing.execute()
    device.release()
    return np.ascontiguousarray(out.transpose(2, 0, 1))


def _packed(planes: Planes) -> Any:
    return np.ascontiguousarray(planes.transpose(1, 2, 0), np.float32)


def _package() -> Any:
    try:
        import pyoidn
    except (ImportError, OSError) as error:
        raise NoDenoiser from error
    return pyoidn
