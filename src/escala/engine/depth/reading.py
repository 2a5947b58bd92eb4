"""How the depth of a render is read: which pass, which kind, and distances from it at any viewport."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from escala.core.depth.distance import axial_of_ray, distance_of
from escala.core.planes import Planes
from escala.core.roles import Role
from escala.model.render import Render
from escala.model.variant import Variant

from ..beauty.removal import left_by_removals
from ..beauty.terms import Terms
from ..frame_context import part_of_frame
from ..mattes.kinds import pass_of_role
from ..mattes.mattes import Mattes
from ..request import EvaluationRequest


@dataclass(frozen=True)
class DetectedDepth:
    """A depth pass as intake found it: its name, its kind, and why it is taken for that."""

    name: str
    kind: str
    reason: str


def detected_depth(terms: Terms, name: str | None = None) -> DetectedDepth | None:
    """What a depth pass is taken for, the first of the render by default; None where there is none.

    It was decided with the roles of the render, for all frames. What could be no depth by its role is read as it
    stands.
    """
    chosen = terms.render.find_pass(name or pass_of_role(terms.render, Role.DEPTH) or "")
    if chosen is None or chosen.name not in terms.frame.passes:
        return None
    if chosen.depth is not None:
        return DetectedDepth(chosen.name, chosen.depth.kind, chosen.depth.reason)
    return DetectedDepth(chosen.name, "planar", f"as {chosen.role.value.replace('_', ' ')} it is used unchanged")


def waiting_passes(render: Render, variant: Variant, there: Mapping[str, object]) -> list[tuple[str, str]]:
    """The passes that effects of Depth that are on name or need, and that are not there: their places, and names."""
    depth = variant.depth
    waiting = []
    name = depth.reading.pass_ or pass_of_role(render, Role.DEPTH)
    if (depth.haze.changes or depth.defocus.changes) and name not in there:
        waiting.append(("depth/reading/pass", depth.reading.pass_ or "depth pass"))
    if depth.haze.changes and depth.haze.height and pass_of_role(render, Role.POSITION) not in there:
        waiting.append(("depth/haze/height", "position pass"))
    if depth.motion.changes and motion_pass(render, variant, there) is None:
        waiting.append(("depth/motion/pass", depth.motion.pass_ or "motion pass"))
    return waiting


def motion_pass(render: Render, variant: Variant, there: Mapping[str, object]) -> str | None:
    """The pass of vectors that a variant is blurred by; None where it is not there."""
    name = variant.depth.motion.pass_ or pass_of_role(render, Role.MOTION)
    return name if name in there else None


@dataclass(frozen=True)
class RenderDepth:
    """The depth input of a render: its passes, as a variant reads them. What the variant removes is nothing."""

    mattes: Mattes

    @property
    def terms(self) -> Terms:
        """The passes of the frame."""
        return self.mattes.terms

    def distance(self, request: EvaluationRequest, alpha: Planes | None) -> Planes | None:
        """As `DepthInput.distance`."""
        reading = request.variant.depth.reading
        found = detected_depth(self.terms, reading.pass_)
        if found is None:
            return None
        depth = self.terms.data(found.name, request)[0]
        distance = distance_of(depth, alpha, reading.kind or found.kind, reading.near, reading.far, reading.scale)
        left = left_by_removals(request, self.mattes)
        return distance if left is None else np.where(left > 0, distance, np.float32(np.inf))

    def axial_distance(self, request: EvaluationRequest, alpha: Planes | None) -> Planes | None:
        """As `DepthInput.axial_distance`."""
        distance = self.distance(request, alpha)
        if distance is None or self.kind(request.variant) != "ray":
            return distance
        slope = field_of_view(self.terms.render)
        if slope is None:
            return distance
        part = part_of_frame(self.terms.render, request.viewport)
        x, y = part.from_place(distance, part.middle)
        return axial_of_ray(distance, x[None] * (2.0 / part.width), y[:, None] * (2.0 / part.height), slope)

    def position(self, request: EvaluationRequest) -> Planes | None:
        """As `DepthInput.position`."""
        name = pass_of_role(self.terms.render, Role.POSITION)
        return None if name is None else self.terms.data(name, request)[:3]

    def motion(self, request: EvaluationRequest) -> Planes | None:
        """As `DepthInput.motion`."""
        name = motion_pass(self.terms.render, request.variant, self.terms.frame.passes)
        return None if name is None else self.terms.data(name, request)[:2]

    def longest_motion(self, variant: Variant) -> tuple[float, float] | None:
        """As `DepthInput.longest_motion`: from the statistics of the frame's pass."""
        name = motion_pass(self.terms.render, variant, self.terms.frame.passes)
        found = self.terms.render.find_pass(name) if name is not None else None
        if found is None:
            return None
        low, high = found.statistics.low, found.statistics.high
        return max(abs(low[0]), abs(high[0])), max(abs(low[1]), abs(high[1]))

    def kind(self, variant: Variant) -> str | None:
        """How the depth pass is read."""
        reading = variant.depth.reading
        found = detected_depth(self.terms, reading.pass_)
        return reading.kind or (found.kind if found else None)


def field_of_view(render: Render) -> tuple[float, float] | None:
    """Half of the frame's width and height at a distance of one, from the header; None where it has none.

    From `worldToCamera` and `worldToNDC` (OpenEXR's standard attributes: row vectors, 0..1 over the display window), or
    from a field of view across, in degrees.
    """
    attributes = {name.rpartition("/")[2].lower(): value for name, value in render.attributes.items()}
    try:
        if "worldtocamera" in attributes and "worldtondc" in attributes:
            to_camera, to_picture = (
                np.array(attributes[name].split(), np.float64).reshape(4, 4) for name in ("worldtocamera", "worldtondc")
            )
            projection = np.linalg.inv(to_camera) @ to_picture
            across, down, deep = abs(projection[0, 0]), abs(projection[1, 1]), abs(projection[2, 3])
            return (0.5 * deep / across, 0.5 * deep / down) if min(across, down, deep) > 0 else None
        degrees = float(next(attributes[name] for name in ("fieldofview", "fov") if name in attributes))
    except (StopIteration, ValueError, np.linalg.LinAlgError):
        return None
    if not 0 < degrees < 180:
        return None
    half = float(np.tan(np.radians(degrees) / 2))
    return half, half * render.height / (render.width * render.pixel_aspect)
