"""What changed from a render to the newer one that takes its place: lights and passes new, gone, renamed."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from escala.model.render import Render

from ..balance.plan import render_components, render_lights
from ..evaluator import Evaluator
from ..viewer.viewport import whole_viewport

# Two pictures of light are the same light under another name when they agree so well (cosine of the two).
_SAME_LIGHT = 0.97


@dataclass(frozen=True)
class Changes:
    """Names by what happened to them; `renamed` maps old to new. `sentences` say it."""

    new_lights: tuple[str, ...]
    gone_lights: tuple[str, ...]
    renamed: dict[str, str]
    new_passes: tuple[str, ...]
    gone_passes: tuple[str, ...]
    sentences: tuple[str, ...]

    @property
    def is_news(self) -> bool:
        """Whether anything but the pixels changed."""
        return any((self.new_lights, self.gone_lights, self.renamed, self.new_passes, self.gone_passes))


def compare_renders(before: Render, after: Evaluator, seen: Evaluator | None) -> Changes:
    """The changes from a render to a newer one. `seen`: the older one's evaluator, to know lights by their pictures."""
    old, new = render_lights(before), render_lights(after.render)
    gone, come = [n for n in old if n not in new], [n for n in new if n not in old]
    renamed = _renamed(_light_pictures(seen, gone), _light_pictures(after, come)) if seen else {}
    lost, added = (
        sorted({p.name for p in a.passes} - {p.name for p in b.passes})
        for a, b in ((before, after.render), (after.render, before))
    )
    new_lights = tuple(n for n in come if n not in renamed.values())
    gone_lights = tuple(n for n in gone if n not in renamed)
    sentences = [f"{a} is now named {b}." for a, b in renamed.items()]
    sentences += [f"The light {n} is new." for n in new_lights]
    sentences += [f"The light {n} is gone; its level is unresolved until a render has it." for n in gone_lights]
    sentences += _listed("Components", set(render_components(before)), set(render_components(after.render)))
    sentences += _size(before, after.render)
    if not sentences:
        sentences = [_passes(lost, added)]
    return Changes(new_lights, gone_lights, renamed, tuple(added), tuple(lost), tuple(sentences))


def _light_pictures(evaluator: Evaluator, names: list[str]) -> dict[str, NDArray[np.float32]]:
    """The small picture of each light, as one row of numbers of length 1."""
    pictures = {}
    for name in names:
        found = next((p for p in evaluator.render.passes if p.light == name and p.role.value.startswith("light")), None)
        if found is not None:
            values = np.nan_to_num(evaluator.stored_pass(found.name, whole_viewport(evaluator.render))[:3]).ravel()
            length = float(np.linalg.norm(values))
            if length > 0:
                pictures[name] = values / np.float32(length)
    return pictures


def _renamed(gone: Mapping[str, NDArray[np.float32]], come: Mapping[str, NDArray[np.float32]]) -> dict[str, str]:
    """Gone lights whose picture a new one has."""
    found: dict[str, str] = {}
    for name, picture in gone.items():
        fits = {n: float(p @ picture) for n, p in come.items() if p.size == picture.size and n not in found.values()}
        best = max(fits, key=lambda n: fits[n], default=None)
        if best is not None and fits[best] > _SAME_LIGHT:
            found[name] = best
    return found


def _listed(what: str, before: set[str], after: set[str]) -> list[str]:
    changes = [(sorted(after - before), "new"), (sorted(before - after), "gone")]
    return [f"{what} {word}: {', '.join(names)}." for names, word in changes if names]


def _size(before: Render, after: Render) -> list[str]:
    old, new = (f"{render.width} × {render.height}" for render in (before, after))
    return [f"The image is now {new}, it was {old}."] if old != new else []


def _passes(lost: list[str], added: list[str]) -> str:
    if not lost and not added:
        return "Same passes, new pixels."
    parts = [f"{len(names)} {word}" for names, word in ((added, "new"), (lost, "gone")) if names]
    return f"The same lights and components; of the other passes {' and '.join(parts)}."
