"""What answers about plates hold."""

from pydantic import BaseModel

from escala.engine.plate.sheet import PlateFacts


class PlateOut(BaseModel):
    """The layers of a plate at a frame."""

    plate: PlateFacts


class ClipEntry(BaseModel):
    """A picture, sequence or video that a layer can show. `frames`: how many files it has; 1 for a video."""

    name: str
    path: str
    frames: int


class ClipsOut(BaseModel):
    """What lies beside a shot's files, and in the folders there."""

    clips: list[ClipEntry]
