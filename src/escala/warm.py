"""Compiles every kernel once, into the cache beside the sources: `python -m escala.warm`."""

import tempfile
from pathlib import Path

from escala.engine.evaluation import Purpose
from escala.engine.looking.look import fit_look
from escala.engine.looking.screen import screen_picture
from escala.engine.looking.subject import Subject
from escala.engine.workshop import Workshop
from escala.model.balance import Balance, Level
from escala.model.variant import Variant
from escala.stage.render import StageJob, render_frame


def main() -> None:
    """Render, take in and look at a tiny frame."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        render_frame(StageJob(64, 36, 1), 12, folder / "tiny.exr")
        workshop = Workshop(folder / "store", 2**30)
        render, _ = workshop.read([folder / "tiny.exr"])
        engine = workshop.engine_for(0, render)
        variant = Variant(balance=Balance(lights={"moon": Level(stops=1)}))
        screen_picture(Subject(engine, variant, "display"), fit_look(0, 0, 64, 36, 32, 32), Purpose.MOVING)


if __name__ == "__main__":
    main()
