"""Packages that an installation may be without: each is an extra, and is named where it is missing."""

import importlib
from typing import Any

from escala.core.errors import EscalaError

_WORKERS = "writing by several workers"


class MissingPackage(EscalaError):
    """A package of an extra is not installed."""

    def __init__(self, purpose: str, package: str, extra: str) -> None:
        super().__init__(f"{purpose} needs the package {package}: pip install 'escala[{extra}]'")


def video_package() -> Any:
    """PyAV, imported when it is first used. Raises `MissingPackage`."""
    return _imported("av", "video", "video")


def cluster_package() -> Any:
    """dask.distributed, imported when it is first used. Raises `MissingPackage`."""
    _imported("cryptography", "cluster", _WORKERS)  # with which workers of this machine keep others out
    return _imported("distributed", "cluster", _WORKERS)


def _imported(package: str, extra: str, purpose: str) -> Any:
    try:
        return importlib.import_module(package)
    except ImportError as error:
        raise MissingPackage(purpose, package, extra) from error
