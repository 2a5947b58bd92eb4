"""Escala: split a render into its passes, verify their sum, rebalance its lights.

`open` opens a render for scripts; all that it needs is imported at its first use.
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from .core.errors import EscalaError as EscalaError
    from .scripting import Shot as Shot
    from .scripting import Variant as Variant
    from .scripting import open_shot as open
    from .scripting import render_demo as render_demo

__all__ = ["EscalaError", "Shot", "Variant", "open", "render_demo"]
_NAMES = {"Shot": "Shot", "Variant": "Variant", "open": "open_shot", "render_demo": "render_demo"}


def __getattr__(name: str) -> Any:
    if name == "EscalaError":
        from .core.errors import EscalaError

        return EscalaError
    if name in _NAMES:
        from . import scripting

        return getattr(scripting, _NAMES[name])
    raise AttributeError(f"module 'escala' has no attribute {name!r}")
