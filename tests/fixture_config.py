"""A small colour config of a studio's own: tables in a folder, a look, a named transform, a context variable."""

from pathlib import Path

import numpy as np

CONFIG = """ocio_profile_version: 2.1
environment:
  MOOD: day
search_path: tables:tables/${MOOD}
roles:
  scene_linear: Quay Linear
  data: Numbers
  aces_interchange: ACES2065-1
file_rules:
  - !<Rule> {name: Boats, colorspace: Boat Film, pattern: "*boat*", extension: "exr"}
  - !<Rule> {name: Default, colorspace: Quay Linear}
displays:
  Bridge:
    - !<View> {name: Print, colorspace: Bridge Print, looks: Dusk}
    - !<View> {name: Bare, colorspace: Quay Linear}
looks:
  - !<Look>
    name: Dusk
    process_space: Quay Linear
    transform: !<CDLTransform> {slope: [0.9, 0.8, 1.1]}
  - !<Look>
    name: Dawn
    process_space: Quay Linear
    transform: !<FileTransform> {src: mood.spi1d, interpolation: linear}
colorspaces:
  - !<ColorSpace> {name: Quay Linear, aliases: [quay_lin], encoding: scene-linear}
  - !<ColorSpace>
    name: ACES2065-1
    encoding: scene-linear
  - !<ColorSpace>
    name: Boat Film
    encoding: log
    to_scene_reference: !<LogTransform> {base: 2, direction: inverse}
  - !<ColorSpace>
    name: Bridge Print
    encoding: sdr-video
    from_scene_reference: !<FileTransform> {src: print.cube, interpolation: tetrahedral}
  - !<ColorSpace> {name: Numbers, isdata: true}
named_transforms:
  - !<NamedTransform>
    name: Halve
    transform: !<MatrixTransform> {matrix: [0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 0.5, 0, 0, 0, 0, 1]}
"""


def write_config(folder: Path, text: str = CONFIG) -> Path:
    """The config and its tables; the file of the config."""
    for mood, top in (("day", 1.0), ("night", 0.25)):
        place = folder / "tables" / mood
        place.mkdir(parents=True, exist_ok=True)
        (place / "mood.spi1d").write_text(f"Version 1\nFrom 0 1\nLength 2\nComponents 1\n{{\n0\n{top}\n}}\n")
    steps = np.linspace(0, 1, 5)
    rows = [(r**0.5, g**0.6, (b + r) / 2) for b in steps for g in steps for r in steps]
    body = "\n".join(" ".join(f"{value:.6f}" for value in row) for row in rows)
    (folder / "tables" / "print.cube").write_text(f"LUT_3D_SIZE 5\n{body}\n")
    config = folder / "config.ocio"
    config.write_text(text)
    return config
