"""What a pass is: its role, and for light its light, component and portion."""

from dataclasses import dataclass
from enum import StrEnum


class Role(StrEnum):
    """What the numbers of a pass mean."""

    BEAUTY = "beauty"
    ALPHA = "alpha"
    COMPONENT = "component"
    LIGHT = "light_group"
    LIGHT_COMPONENT = "light_component"
    SHADOW = "shadow"
    OCCLUSION = "occlusion"
    DEPTH = "depth"
    NORMAL = "normal"
    POSITION = "position"
    UV = "uv"
    MOTION = "motion"
    ID = "id"
    CRYPTOMATTE = "cryptomatte"
    MASK = "mask"
    VARIANCE = "variance"
    OTHER = "other"


class Portion(StrEnum):
    """Which portion of a component a pass holds. Raw: its light, before the colour of the surface multiplies it."""

    TOTAL = "total"
    DIRECT = "direct"
    INDIRECT = "indirect"
    COLOUR = "colour"
    RAW = "raw"


# Roles whose pixels are light or surface colour: they go to the working space. All others are data and bypass it.
COLOUR_ROLES = frozenset({Role.BEAUTY, Role.COMPONENT, Role.LIGHT, Role.LIGHT_COMPONENT})

# Roles that darken what is there.
SHADE_ROLES = frozenset({Role.SHADOW, Role.OCCLUSION})

# Passes whose neighbouring pixels must not be averaged.
EXACT_ROLES = frozenset({Role.DEPTH, Role.ID, Role.CRYPTOMATTE, Role.MOTION, Role.UV})


def can_hold(channels: int, role: Role) -> bool:
    """Whether a pass of so many channels can have this role."""
    if role in COLOUR_ROLES:
        return channels == 1 or channels >= 3
    return channels >= _FEWEST_CHANNELS.get(role, 1)


_FEWEST_CHANNELS = {Role.NORMAL: 3, Role.POSITION: 3, Role.UV: 2, Role.MOTION: 2, Role.CRYPTOMATTE: 2}


@dataclass(frozen=True)
class PassRole:
    """A pass's role, with how sure the recogniser is (0..1) and why.

    `is_selected`: a light that was chosen out of many, by its name; the others have no passes of their own.
    """

    role: Role
    light: str | None = None
    component: str | None = None
    portion: Portion | None = None
    twin: str | None = None
    sure: float = 1.0
    reason: str = ""
    is_selected: bool = False

    @property
    def is_colour(self) -> bool:
        """Whether colour management applies."""
        return self.role in COLOUR_ROLES
