"""What requests and answers about depth hold."""

from pydantic import BaseModel

from escala.engine.depth.survey import DepthPlace, Survey
from escala.model.numbers import Count

from ..schemas import Preview


class SurveyOut(BaseModel):
    """The depth of a frame."""

    survey: Survey


class DepthRequest(Preview):
    """A place in the displayed picture."""

    x: Count
    y: Count


class DepthPlaceOut(BaseModel):
    """What is there."""

    place: DepthPlace
