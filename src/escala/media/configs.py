"""Configs by the names that users see: the built-in ones, our own, and files; each loaded once."""

from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path

from escala.core.colour import DEFAULT_CONFIG, ColourConfig

SOFT = "Soft"
# The newest of each kind that every supported library has, and our own with a view of lower contrast.
BUILTIN_CONFIGS = {
    DEFAULT_CONFIG: "ocio://cg-config-v4.0.0_aces-v2.0_ocio-v2.5",
    "ACES 1.3": "ocio://cg-config-v2.2.0_aces-v1.3_ocio-v2.4",
    SOFT: str(Path(__file__).parent / "soft" / "config.ocio"),
}


def colour_config(source: str, context: Mapping[str, str] | None = None) -> ColourConfig:
    """The config of a file, an `ocio://` name or a name of `BUILTIN_CONFIGS`, with values of its context variables.

    A file that has changed is loaded anew. Raises `ColourError`, which says where it fails.
    """
    address = BUILTIN_CONFIGS.get(source, source)
    return _loaded(address, _stamp(address), tuple(sorted((context or {}).items())))


def is_builtin(source: str) -> bool:
    """Whether a config comes with Escala or the library, and so knows nothing of the user's own files."""
    return source in BUILTIN_CONFIGS or source in BUILTIN_CONFIGS.values() or source.startswith("ocio://")


@lru_cache(maxsize=16)
def _loaded(address: str, stamp: int, context: tuple[tuple[str, str], ...]) -> ColourConfig:
    return ColourConfig(address, dict(context), own=not is_builtin(address))


def _stamp(address: str) -> int:
    """The time of a file's last change; 0 for what is no file."""
    try:
        return 0 if address.startswith("ocio://") else Path(address).stat().st_mtime_ns
    except OSError:
        return 0
