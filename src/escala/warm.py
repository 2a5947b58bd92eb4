"""Compiles every kernel once, into the cache beside the sources: `python -m escala.warm`."""

import tempfile
from pathlib import Path

from escala.engine.evaluation import Purpose
from escala.engine.looking.look import fit_look
from escala.engine.looking.screen import screen_picture
from escala.engine.looking.subject import Subject
from escala.engine.workshop import Workshop
from escala.model.variant import Variant
from escala.stage.emblems import write_emblems
from escala.stage.render import StageJob, render_frame


def main() -> None:
    """Render, take in and look at a tiny frame."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        render_frame(StageJob(64, 36, 1), 12, folder / "tiny.exr")
        workshop = Workshop(folder / "store", 2**30)
        render, _ = workshop.read([folder / "tiny.exr"])
        engine = workshop.engine_for(0, render)
        emblem = write_emblems(folder)[0]
        for purpose in (Purpose.MOVING, Purpose.RESTING):
            subject = Subject(engine, everything(emblem), "display")
            screen_picture(subject, fit_look(0, 0, 64, 36, 32, 18), purpose)


def everything(emblem: Path) -> Variant:
    """A document that runs through every kernel of the path."""
    mattes = {
        "thing": {"kind": "object", "names": ["hull"], "grow_px": 2, "soften_px": 1},
        "near": {"kind": "depth", "near": 1, "far": 9, "soft": 2},
        "bright": {"kind": "luminance", "low": -2, "high": 2, "soft": 1},
        "red": {"kind": "hue", "centre": 20, "width": 60, "soft": 20},
        "drawn": {"kind": "shape", "points": [[4, 4], [40, 6], [20, 30]], "feather_px": 4},
    }
    corrections = [{"kind": "contrast", "amount": 1.1, "matte": name} for name in mattes] + [
        {"kind": "roll_off", "start": 2, "limit": 4},
        {"kind": "hue_saturation", "hue": 10},
        {"kind": "blur", "radius_px": [1, 1]},
    ]
    changes = [
        {"kind": "recolour", "hue": 20, "matte": "thing"},
        {"kind": "label", "pictures": [str(emblem)], "matte": "thing"},
    ]
    return Variant.model_validate(
        {
            "mattes": mattes,
            "surface": {"changes": changes},
            "balance": {"lights": {"moon": {"stops": 1, "matte": "near"}}},
            "depth": {
                "haze": {"on": True, "height": {"thickness": 2}},
                "defocus": {"on": True, "focus": 5, "aperture": 400, "limit_px": 12, "blades": 6},
                "motion": {"on": True, "shutter": 4},
            },
            "lens": {
                "distortion": {"on": True, "k1": 0.1},
                "aberration": {"on": True, "shift_px": 1},
                "glow": {"on": True, "threshold": -4},
                "glare": {"on": True, "threshold": -4},
                "vignette": {"on": True},
                "grain": {"on": True},
            },
            "finish": {"corrections": corrections},
        }
    )


if __name__ == "__main__":
    main()
