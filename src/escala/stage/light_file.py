"""The lights of the demo scene as USD, and layers of changes to them."""

from collections.abc import Sequence
from pathlib import Path

import numpy as np

from escala.media.usd_lights import LightValue, MadeLight, read_lights_over, write_lights

from .passes import LIGHTS
from .scene import MOON_LIGHT, SKY_LIGHT, WINDOW_LIGHT, Scene

_KINDS = {MOON_LIGHT: "DistantLight", SKY_LIGHT: "DomeLight", WINDOW_LIGHT: "RectLight"}
_PLACED = "SphereLight"


def lights_of(scenes: Sequence[tuple[int, Scene]]) -> list[MadeLight]:
    """Each emitter as a light below a prim with the name of its light; `scenes`: by frame."""
    first = scenes[0][1]
    count = dict.fromkeys(LIGHTS, 0)
    made = []
    for index, emitter in enumerate(first.emitters):
        light = LIGHTS[int(emitter[1])]
        count[light] += 1
        colour = emitter[2:5].astype(float)
        largest = float(colour.max())
        red, green, blue = (colour / largest).tolist()
        kind = _KINDS.get(int(emitter[0]), _PLACED)
        places = {}
        if kind in (_PLACED, "RectLight"):
            places = {float(frame): tuple(scene.emitters[index, 5:8].astype(float).tolist()) for frame, scene in scenes}
            places = {None: next(iter(places.values()))} if len(set(places.values())) == 1 else places
        value = LightValue(0.0, largest, (red, green, blue))
        made.append(MadeLight(f"/lights/{light}/{light}_{count[light]}", kind, value, places))
    return made


def write_scene_lights(path: Path, scenes: Sequence[tuple[int, Scene]], rate: float) -> None:
    """The lights of the scene at some frames as a USD file. Raises as `write_lights`."""
    write_lights(path, lights_of(scenes), rate)


def with_lights(scene: Scene, layer: Path, frame: int) -> Scene:
    """The scene with its lights as a layer changes them at a frame. Raises as `read_lights_over`."""
    made = lights_of([(frame, scene)])
    values = read_lights_over(made, layer, float(frame))
    before, after = (
        np.array([light.radiance for light in each]) for each in ([m.value for m in made], values.values())
    )
    return scene._replace(gains=np.divide(after, before, out=np.ones_like(before), where=before > 0).astype(np.float32))
