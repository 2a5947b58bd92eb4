"""Documents of earlier versions, read as those of today."""

from typing import Any, Final

VERSION: Final = 2


def migrated(document: Any) -> Any:
    """A document as this version has it; one that is of this version already, or no document at all, stays.

    Version 1 had recolourings by name of an object; since 2 they are changes of surfaces, limited by mattes.
    """
    if not isinstance(document, dict) or document.get("schema_version", 1) != 1:
        return document
    has_version, surface = "schema_version" in document, document.get("surface")
    newer = {**document, "schema_version": VERSION} if has_version else document
    if not isinstance(surface, dict) or not isinstance(surface.get("recolours"), list):
        return newer
    mattes = dict(document.get("mattes") or {})
    changes = [*surface.get("changes", ()), *(_recolour(old, mattes) for old in surface["recolours"])]
    others = {name: value for name, value in surface.items() if name != "recolours"}
    return {**newer, "mattes": mattes, "surface": {**others, "changes": changes}}


def _recolour(old: Any, mattes: dict[str, Any]) -> Any:
    """A recolouring of version 1; the object that limited it becomes a matte of its name."""
    if not isinstance(old, dict):
        return old
    named = old.get("object_name")
    if isinstance(named, str):
        mattes.setdefault(named, {"kind": "object", "names": [named]})
    return {"kind": "recolour", **{k: v for k, v in old.items() if k != "object_name"}, "matte": named}
