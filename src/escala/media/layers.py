"""Channels of a file gathered into passes: R, G, B, A of one layer belong together, X, Y, Z too, and so on."""

from collections.abc import Sequence
from dataclasses import dataclass

# Words that stand for one-letter channels in some files.
_LETTERS = {"red": "R", "green": "G", "blue": "B", "alpha": "A", "r": "R", "g": "G", "b": "B", "a": "A"}
# What belongs together, in this order of channels; the first that a layer has in full is taken first.
_SETS = (
    ("R", "G", "B", "A"),
    ("R", "G", "B"),
    ("Y", "RY", "BY", "A"),
    ("Y", "RY", "BY"),
    ("X", "Y", "Z", "W"),
    ("X", "Y", "Z"),
    ("U", "V", "W"),
    ("U", "V"),
    ("X", "Y"),
)

# What is one pass even where an underscore stands before the letters.
_SPELLED = (("R", "G", "B"), ("X", "Y", "Z"), ("U", "V"))


@dataclass(frozen=True)
class Layer:
    """A pass as stored: its name, the part and channels that hold it, and their last letters."""

    name: str
    part: int
    part_name: str
    channels: tuple[str, ...]
    letters: tuple[str, ...]


def split_channel(channel: str) -> tuple[str, str]:
    """Layer and letter of a channel name: `diffuse.R` is (diffuse, R), `R` is ('', R), `diffuse_R` is (diffuse, R)."""
    layer, dot, last = channel.rpartition(".")
    if dot:
        return layer, _letter(last)
    head, mark, tail = channel.rpartition("_")
    if mark and tail in ("R", "G", "B", "A"):
        return head, tail
    return "", _letter(channel)


def _letter(last: str) -> str:
    """The last part of a channel name, single letters in capitals."""
    return _LETTERS.get(last.lower(), last.upper() if len(last) == 1 else last)


def _underscored(channels: Sequence[str]) -> set[str]:
    """The layers whose channels follow an underscore (`N_x`, `N_y`, `N_z`): only where a whole set is there."""
    letters: dict[str, set[str]] = {}
    for channel in channels:
        head, mark, tail = channel.rpartition("_")
        if mark and head and len(tail) == 1 and "." not in tail:
            letters.setdefault(head, set()).add(tail.upper())
    return {head for head, found in letters.items() if any(set(wanted) <= found for wanted in _SPELLED)}


def layers_of_parts(parts: Sequence[tuple[str, Sequence[str]]]) -> list[Layer]:
    """The passes of a file from its parts, each a name and its channel names."""
    layers: list[Layer] = []
    for index, (part_name, channels) in enumerate(parts):
        grouped: dict[str, dict[str, str]] = {}
        underscored = _underscored(channels)
        for channel in channels:
            head, _, tail = channel.rpartition("_")
            layer, letter = (head, tail.upper()) if head in underscored and len(tail) == 1 else split_channel(channel)
            if len(parts) > 1 and not layer:
                layer = part_name
            grouped.setdefault(layer, {})[letter] = channel
        for layer, letters in grouped.items():
            layers.extend(_layers_of_group(layer, letters, index, part_name))
    return _distinct(layers)


def pass_name(label: str, layer: Layer, alone: bool) -> str:
    """The name of a layer of a file whose own name stands for a pass (`label`, empty when it does not).

    `alone`: it is all that the file holds, so that a bare channel letter adds nothing to the label.
    """
    if not label:
        return layer.name or ("rgba" if {"R", "RY"} & set(layer.letters) else "".join(layer.letters))
    if alone and layer.name == "".join(layer.letters):
        return label
    return f"{label}.{layer.name}" if layer.name else label


def _layers_of_group(layer: str, letters: dict[str, str], part: int, part_name: str) -> list[Layer]:
    left = dict(letters)
    found = []
    for wanted in _SETS:
        if all(letter in left for letter in wanted):
            found.append(Layer(layer, part, part_name, tuple(left.pop(letter) for letter in wanted), wanted))
    alone = not found and len(left) == 1
    for letter, channel in left.items():
        name = layer if alone and layer else f"{layer}.{letter}" if layer else letter
        found.append(Layer(name, part, part_name, (channel,), (letter,)))
    return found


def _distinct(layers: list[Layer]) -> list[Layer]:
    """Names made distinct: a second pass of the same name carries its part's name, or its letters."""
    taken: set[str] = set()
    out = []
    for layer in layers:
        name, n = layer.name, 2
        if name in taken and layer.part_name and layer.part_name != name:
            name = f"{layer.part_name}.{layer.name}" if layer.name else layer.part_name
        if name in taken:
            name = f"{layer.name}.{''.join(layer.letters)}"
        while name in taken:
            name, n = f"{layer.name}.{n}", n + 1
        taken.add(name)
        out.append(Layer(name, layer.part, layer.part_name, layer.channels, layer.letters))
    return out
