"""Every field of a document and every outside file, changed in turn, makes a new picture; none is left from before."""

import os
import re
from collections.abc import Iterator
from typing import Any

import cv2
import numpy as np
from pydantic import BaseModel

from escala.core.mattes.cryptomatte import layer_key, name_to_id_bits
from escala.engine.cache import ByteCache
from escala.engine.evaluator import Evaluator
from escala.engine.request import Quality
from escala.engine.source.reading import interpreted_evaluator
from escala.engine.viewer.viewport import full_viewport
from escala.model.balance import Balance, Level, PointLight, RimLight, SideLight
from escala.model.beauty import Beauty, Removal, TallyChoice, TermEdit
from escala.model.colour import ColourChoice
from escala.model.corrections import (
    BlurCorrection,
    CdlCorrection,
    ConfigCorrection,
    ContrastCorrection,
    ExposureCorrection,
    HueSaturationCorrection,
    LutCorrection,
    RangeCorrection,
    RollOffCorrection,
    SharpenCorrection,
    TintCorrection,
    WhiteBalanceCorrection,
)
from escala.model.depth import Defocus, Depth, DepthReading, Haze, Height, Motion
from escala.model.display import DisplayChoice
from escala.model.finish import Finish
from escala.model.lens import Aberration, Dirt, Distortion, Glare, Glow, Grain, Lens, Vignette
from escala.model.mattes import (
    ChannelMatte,
    DepthMatte,
    EllipseMatte,
    HueMatte,
    IdMatte,
    JoinMatte,
    LuminanceMatte,
    NormalMatte,
    ObjectMatte,
    PositionMatte,
    ShapeMatte,
)
from escala.model.source import PassReading, PassRepair, SourceChoice
from escala.model.surface import Label, Recolour, Repaint, Surface
from escala.model.variant import Variant
from tests.engine.fixture_shot import COMPONENTS, PreparingImages, engine_for, grid_passes
from tests.fixture_config import CONFIG, write_config
from tests.fixtures import FolderTest, add_up, light, sampled, write_layers

WHOLE = full_viewport(0, 0, 32, 24)
CUBE = "LUT_3D_SIZE 2\n" + "\n".join(f"{r} {g} {{}}" for b in (0, 1) for g in (0, 1) for r in (0, 1)) + "\n"

# What a field becomes where a quarter more, or the opposite, would not do, by the end of its place.
OTHERWISE: dict[str, Any] = {
    "colour.working_space": "Wide Linear",
    "colour.input_space": "Boat Film",
    "colour.context": {"MOOD": "day"},
    "display.display": "Mast",
    "display.view": "Bare",
    "display.look": "Dawn",
    "source.twin": "denoised",
    "source.alpha": "unassociated",
    "notes.role": "mask",
    "notes.light": "sun",
    "notes.component": "specular",
    "notes.part": "colour",
    "notes.twin": "denoised",
    "spare.role": "mask",
    "spare.light": "sun",
    "spare.component": "diffuse",
    "spare.part": "colour",
    "spare.twin": "denoised",
    "repairs.0.how": "decode",
    "repairs.0.pass_name": "specular_color",
    "recipe": "lights",
    ".operator": "multiply",
    "curves": {"balance/lights/key/stops": {"kind": "ramp", "from": 2, "to": 3, "start": 0, "end": 1}},
    "added": ["more"],
    "added.0.direction": (0.5, -1, 0.3),
    ".shadow_pass": "spare",
    "order": ["fill specular", "key specular"],
    ".component": "specular",
    ".light": "fill",
    ".matte": "round",
    ".names": ["keel"],
    ".layer": "none",
    "mattes.number.pass": "more",
    ".pass": "diffuse_color",
    ".values": [(0.2, 0.1, 0.1)],
    ".channel": 0,
    ".shape": "sphere",
    "ball.size": 0.9,
    "vignette.size": 0.6,
    "reading.kind": "planar",
    ".blades": 9,
    ".streaks": 3,
    ".seed": 7,
    ".size": (0.9, 0.5, 0.7),
    "both.of": ["drawn", "round"],
    "red.of": "notes",
    "bright.of": None,
    "bright.high": 0.5,
    ".grow_px": 2.5,
    ".soften_px": 2.0,
    ".how": "any",
    ".points": [(3, 4), (20, 6), (20, 20)],
    ".keys": {"1": [(3, 4), (20, 6), (20, 20)]},
    ".outside": "mirror",
    "changes.2.chosen": 1,
    ".space": "Boat Film",
    ".uv": "notes",
    "finish.corrections.3.name": "Halve",
}
# What says nothing of the pixels.
SILENT = ("schema_version", "source.frame_rate", "kind", ".id", "number.tolerance")
# What cannot be said without another field.
TOGETHER = (
    "added.0.name",
    "added.1.name",
    "added.2.name",
    "added.2.specular",
    "added.2.roughness",
    "denoise.passes",
    "denoise.strength",
    "depth.reading.scale",
    "ball.shape",
    "crate.shape",
    "drawn.keys",
    "keyed.points",
)
# What every matte has is changed in one of them.
SHARED = re.compile(r"mattes\.(?!thing).*\.(grow_px|soften_px|gain|invert)|(beauty|finish)\.corrections\.\d+\.of")
MORE = """  - !<ColorSpace>
    name: Wide Linear
    encoding: scene-linear
    to_scene_reference: !<MatrixTransform> {matrix: [0.7, 0.2, 0.1, 0, 0.1, 0.8, 0.1, 0, 0, 0.1, 0.9, 0, 0, 0, 0, 1]}
"""


def leaves(document: BaseModel, place: str = "") -> Iterator[tuple[str, Any]]:
    """Every field that holds no further document, by its place."""
    for name, field in type(document).model_fields.items():
        yield from _leaves(getattr(document, name), f"{place}{field.alias or name}")


def _leaves(value: Any, place: str) -> Iterator[tuple[str, Any]]:
    if isinstance(value, BaseModel):
        yield from leaves(value, f"{place}.")
    elif isinstance(value, dict) and value and isinstance(next(iter(value.values())), BaseModel):
        for name, entry in value.items():
            yield from _leaves(entry, f"{place}.{name}")
    elif isinstance(value, tuple) and value and isinstance(value[0], BaseModel):
        for index, entry in enumerate(value):
            yield from _leaves(entry, f"{place}.{index}")
    else:
        yield place, value


def changed(place: str, value: Any) -> Any:
    """Another value of a field of a kind that has many."""
    for ending, other in OTHERWISE.items():
        if place.endswith(ending):
            return other
    if isinstance(value, bool):
        return not value
    if isinstance(value, tuple):
        return [value[0] * 0.7 + 0.1, *value[1:]]
    return value * 0.7 + (0.1 if abs(value) > 0.05 else 0.001)


def with_change(variant: Variant, place: str, value: Any) -> Variant:
    """A document in which one field is another."""
    facts = variant.model_dump(mode="json")
    *steps, last = place.split(".")
    at: Any = facts
    for step in steps:
        at = at[int(step) if step.isdigit() else step]
    at[last] = value
    return Variant.model_validate(facts)


class EveryChangeTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        passes = grid_passes(24, 32)
        extra = {f"{name}_color": light(20 + i, 24, 32, 0.9) for i, name in enumerate(COMPONENTS)}
        extra |= {name: light(30 + i, 24, 32, 0.3) for i, name in enumerate(("spare", "notes", "more"))}
        extra["A"] = np.linspace(0.2, 1, 24 * 32, dtype=np.float32).reshape(24, 32)
        ids = np.zeros((4, 24, 32), np.float32)
        ids[0] = np.uint32(name_to_id_bits("hull")).view(np.float32)
        ids[1, 5:15, 5:20] = 1
        extra |= {f"things00.{letter}": plane for letter, plane in zip("RGBA", ids, strict=True)}
        vectors = 6 * light(45, 24, 32) - np.float32(1)
        extra |= {"motion.X": vectors[0], "motion.Y": vectors[1]}
        extra |= {"P": light(40, 24, 32), "N": light(41, 24, 32) - np.float32(0.4)}
        extra |= {"Z": 1 + 5 * light(42, 24, 32)[0], "uv.U": light(43, 24, 32, 1)[0], "uv.V": light(44, 24, 32, 1)[0]}
        key = f"cryptomatte/{layer_key('things')}"
        header = {f"{key}/name": "things", f"{key}/hash": "MurmurHash3_32", f"{key}/manif_file": "things.json"}
        self.manifest = self.folder / "things.json"
        self.manifest.write_text(f'{{"hull": "{name_to_id_bits("hull"):08x}"}}')
        self.images = PreparingImages(self.folder)
        beauty = add_up(passes[""], extra["notes"], extra["spare"])
        made = {**passes, "": beauty, **extra}
        self.file = write_layers(self.folder / "shot.exr", made, np.float32, **header)
        self.cubes = [self.folder / f"{name}.cube" for name in ("grade", "other", "light")]
        for cube, top in zip(self.cubes, (0.8, 0.6, 0.7), strict=True):
            cube.write_text(CUBE.format(*(0, 0, 0, 0, *(top,) * 4)))
        text = CONFIG.replace("colorspaces:\n", "colorspaces:\n" + MORE)
        text = text.replace("looks:\n", "  Mast:\n    - !<View> {name: Print, colorspace: Quay Linear}\nlooks:\n", 1)
        self.config = write_config(self.folder / "colour", text)
        self.other_config = write_config(self.folder / "colour again", text.replace("0.9, 0.8, 1.1", "0.7, 0.8, 1.1"))
        self.emblems = [self.folder / "emblem.png", self.folder / "other.png"]
        for seed, emblem in enumerate(self.emblems):
            pixels = np.random.default_rng(seed).integers(0, 255, (8, 8, 4), np.uint8)
            cv2.imwrite(str(emblem), pixels)
        self.evaluator = engine_for(self.file)
        self.variant = self.everything()

    def everything(self) -> Variant:
        """A document that says something in every part."""
        level = Level(stops=0.4, multiplier=1.2, tint=(1.1, 1.0, 0.8), kelvin=5200, duv=0.005)
        corrections = (
            ExposureCorrection(stops=0.3, opacity=0.9), CdlCorrection(slope=(1.1, 1, 0.9), saturation=0.8),
            LutCorrection(path=str(self.cubes[0]), opacity=0.5), ConfigCorrection(name="Dawn", opacity=0.7),
            WhiteBalanceCorrection(kelvin=5200, duv=0.01, opacity=0.4),
            RollOffCorrection(start=-6, limit=6, opacity=0.4),
            HueSaturationCorrection(hue=20, saturation=0.9, value=1.1, opacity=0.4),
            ContrastCorrection(amount=1.2, opacity=0.4),
            RangeCorrection(black=0.01, white=1.2, out_black=0.02, out_white=1.1, gamma=1.1, opacity=0.4),
            TintCorrection(colour=(0.9, 0.5, 0.2), amount=0.3, opacity=0.4, matte="both"),
            SharpenCorrection(radius_px=1.2, amount=0.5, opacity=0.8),
        )  # fmt: skip
        mattes = {
            "thing": ObjectMatte(names=("hull",), grow_px=1.5, soften_px=0.7, gain=0.8),
            "number": IdMatte(
                **{"pass": "Z", "values": tuple((1 + 5 * light(42, 24, 32)[0]).reshape(-1)[::2].tolist())}
            ),
            "tones": IdMatte(**{"pass": "notes", "values": ((0.1, 0.1, 0.1),), "tolerance": 0.1}),
            "share": ChannelMatte(**{"pass": "spare", "channel": 1, "low": 0.1, "high": 0.6}),
            "near": DepthMatte(near=2, far=4, soft=1),
            "ball": PositionMatte(centre=(0.5, 0.4, 0.3), size=0.6, soft=0.5),
            "crate": PositionMatte(shape="box", centre=(0.5, 0.4, 0.3), size=(0.6, 0.5, 0.7), soft=0.5),
            "facing": NormalMatte(direction=(0.2, 0.3, 1), angle=40, soft=30),
            "bright": LuminanceMatte(low=-1, high=2, soft=1, of="more"),
            "red": HueMatte(centre=20, width=90, soft=60, least_saturation=0.2),
            "drawn": ShapeMatte(points=((3, 4), (28, 6), (20, 20)), feather_px=3),
            "keyed": ShapeMatte(keys={1: ((3, 9), (28, 6), (20, 20)), 5: ((3, 4), (20, 6), (20, 20))}, smooth=False),
            "round": EllipseMatte(centre=(15, 11), radii=(9, 5), turn=20, feather_px=2),
            "both": JoinMatte(how="minus", of=("round", "drawn")),
        }
        limited = Level(stops=0.6, matte="thing")
        rim = {"role": "light_component", "light": "rim"}
        return Variant(
            colour=ColourChoice(config=str(self.config), context={"MOOD": "night"}),
            source=SourceChoice(
                roles={
                    "notes": PassReading(component="diffuse", **rim),
                    "spare": PassReading(component="specular", twin="noisy", **rim),
                },
                repairs=(PassRepair(pass_name="diffuse_color", how="scale", factor=(1.0, 0.9, 0.8)),),
                twin="noisy",
            ),
            recipe="lights_components",
            residual=False,
            tally=TallyChoice(
                terms={
                    "fill diffuse": TermEdit(strength=0.8),
                    "key specular": TermEdit(operator="screen", strength=0.5),
                },
                factor=(0.004, 0.0044, 0.0036),
            ),
            mattes=mattes,
            surface=Surface(
                changes=(
                    Recolour(hue=30, saturation=0.9, value=1.1, matte="near", opacity=0.9),
                    Repaint(**{"from": (0.4, 0.3, 0.5), "to": (0.5, 0.2, 0.4), "amount": 0.8, "matte": "number"}),
                    Label(
                        pictures=tuple(map(str, self.emblems)),
                        scale=(1.5, 0.8),
                        move=(0.1, -0.1),
                        turn=20,
                        outside="repeat",
                        matte="facing",
                        opacity=0.6,
                    ),
                )
            ),
            balance=Balance(
                lights={"key": level, "rim": level, "fill": limited},
                components={"diffuse": level},
                cells={"fill/specular": level},
                added=(
                    SideLight(name="window", direction=(0.3, 0.5, 1), specular=0.5, shadow_pass="more"),
                    PointLight(name="torch", position=(0.5, 0.4, 2), radius=1.2, specular=0.3, roughness=0.6),
                    RimLight(name="outline", edge=1.5, colour=(0.9, 1, 0.7)),
                ),
                corrections=(
                    ContrastCorrection(amount=1.3, of={"light": "key"}, matte="ball"),
                    BlurCorrection(radius_px=(1.5, 0.6), turn=30, of={"component": "diffuse"}),
                    LutCorrection(path=str(self.cubes[2]), opacity=0.3, of={"light": "rim"}),
                ),
            ),
            beauty=Beauty(
                removed=(Removal(matte="drawn", opacity=0.7), Removal(matte="keyed", opacity=0.2)),
                corrections=(
                    ContrastCorrection(amount=1.1, matte="bright"),
                    LutCorrection(path=str(self.cubes[0]), opacity=0.3, matte="share"),
                    ExposureCorrection(stops=0.5, matte="tones"),
                    ExposureCorrection(stops=0.4, matte="crate"),
                    ExposureCorrection(stops=0.4, matte="red"),
                ),
            ),
            depth=Depth(
                reading=DepthReading(kind="unit", near=0.5, far=4),
                haze=Haze(
                    on=True,
                    density=0.1,
                    start=0.6,
                    colour=(0.1, 0.2, 0.4),
                    level=0.5,
                    height=Height(thickness=0.4, base=0.2),
                    matte="drawn",
                ),
                defocus=Defocus(on=True, focus=2, aperture=9, limit_px=3, blades=6, turn=10, round=0.3),
                motion=Motion(on=True, shutter=0.8, centre=0.2),
            ),
            lens=Lens(
                distortion=Distortion(on=True, k1=-0.1, k2=0.05, centre=(15, 11), fill=False),
                aberration=Aberration(on=True, shift_px=1.5),
                glow=Glow(on=True, threshold=-4, size_px=5, tint=(0.6, 0.8, 1), matte="crate"),
                glare=Glare(on=True, threshold=-4, length_px=7, turn=20, soft_px=0.8, matte="crate"),
                dirt=Dirt(on=True, picture=str(self.emblems[0])),
                vignette=Vignette(on=True, stops=-0.6, centre=(15, 11), matte="drawn"),
                grain=Grain(on=True, amount=0.3, matte="drawn"),
            ),
            finish=Finish(corrections=corrections),
            display=DisplayChoice(display="Bridge", view="Print"),
        )

    def read(self, variant: Variant, cache: ByteCache) -> Evaluator:
        first = Evaluator(self.evaluator.render, self.evaluator.frame, cache, images=self.images)
        return interpreted_evaluator(first, 1, first, variant, self.folder / "store")

    def shown(self, read: Evaluator, variant: Variant, quality: Quality) -> np.ndarray:
        """Display values."""
        return read.shown(read.make_request(variant, WHOLE, quality, "somebody")).colour

    def other(self, place: str, value: Any) -> Any:
        """Another value of a field."""
        files = {
            "colour.config": str(self.other_config),
            "colour.file_spaces": {self.file.name: "Boat Film"},
            "changes.2.pictures": list(map(str, reversed(self.emblems))),
            "dirt.picture": str(self.emblems[1]),
            "corrections.2.path": str(self.cubes[1]),
            "beauty.corrections.1.path": str(self.cubes[1]),
        }
        return next((found for ending, found in files.items() if place.endswith(ending)), None) or changed(place, value)

    def assert_new(
        self, variant: Variant, before: dict[Quality, np.ndarray], cache: ByteCache, fresh: Evaluator
    ) -> None:
        """With all that is kept of before, the picture is that of a fresh start, and another than before."""
        read = self.read(variant, cache)
        clean = Evaluator(fresh.render, fresh.frame, ByteCache(1 << 28), images=self.images)
        # In the other order: what one purpose took from the other would not be the same.
        expected = {quality: self.shown(clean, variant, quality) for quality in reversed(before)}
        for quality, old in before.items():
            found = self.shown(read, variant, quality)
            np.testing.assert_allclose(found, expected[quality], rtol=1e-5, atol=1e-6)
            self.assertGreater(float(np.abs(found - old).max()), 1e-5)

    def pictures(self, cache: ByteCache) -> dict[Quality, np.ndarray]:
        """The untouched pictures, moving and resting; what they were made of is kept."""
        read = self.read(self.variant, cache)
        return {quality: self.shown(read, self.variant, quality) for quality in (Quality.PREVIEW, Quality.EXACT)}

    def test_every_field(self) -> None:
        cache = ByteCache(1 << 28)
        before = self.pictures(cache)
        unread = self.read(self.variant, cache)
        places = [
            (place, value)
            for place, value in leaves(self.variant)
            if place == "depth.reading.kind" or not place.endswith(SILENT + TOGETHER)
            if not place.startswith(("plate.", "balance.residual."))  # the residual is off
        ]
        places = [(place, value) for place, value in places if not SHARED.fullmatch(place)]
        self.assertGreater(len(places), 200)
        for place, value in sampled(places, 4):
            with self.subTest(place=place):
                other = with_change(self.variant, place, self.other(place, value))
                changes_interpretation = place.startswith(("source", "tally", "recipe"))
                self.assert_new(
                    other, before, cache, self.read(other, ByteCache(1 << 28)) if changes_interpretation else unread
                )

    def test_every_outside_file(self) -> None:
        tables = self.folder / "colour" / "tables"
        cache = ByteCache(1 << 28)
        for file, old, new in (
            (self.cubes[0], "0.8", "0.5"), (self.cubes[2], "0.7", "0.4"),
            (self.config, "0.9, 0.8, 1.1", "0.6, 0.8, 1.1"),
            (self.manifest, f"{name_to_id_bits('hull'):08x}", "00000001"),
            (tables / "print.cube", "0.500000", "0.600000"), (tables / "night" / "mood.spi1d", "0.25", "0.3"),
        ):  # fmt: skip
            with self.subTest(file=file.name):
                before = self.pictures(cache)
                text = file.read_text()
                self.assertIn(old, text)
                file.write_text(text.replace(old, new))
                stamp = file.stat()
                os.utime(file, ns=(stamp.st_atime_ns, stamp.st_mtime_ns + 10**9))
                self.assert_new(self.variant, before, cache, self.read(self.variant, cache))

    def test_another_picture_under_the_name_of_a_label(self) -> None:
        cache = ByteCache(1 << 28)
        before = self.pictures(cache)
        cv2.imwrite(str(self.emblems[0]), np.full((8, 8, 3), 250, np.uint8))
        self.assert_new(self.variant, before, cache, self.read(self.variant, cache))
