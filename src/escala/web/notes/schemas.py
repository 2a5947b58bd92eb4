"""What requests and answers about notes hold."""

from typing import Annotated, Literal

from pydantic import BaseModel, Field, model_validator

from escala.database.notes import NewNote
from escala.model.numbers import Count, Id, Number

from ..query import Query

Words = Annotated[str, Field(min_length=1, max_length=4000)]
Author = Annotated[str, Field(min_length=1, max_length=80)]
State = Literal["open", "done"]


class NoteIn(BaseModel):
    """A note on a variant. `revision`: None is its head; `frame`: None is the first; `place`: in the image."""

    variant: Id
    text: Words
    author: Author
    revision: Count | None = None
    frame: Count | None = None
    place: tuple[Number, Number] | None = None

    @property
    def new(self) -> NewNote:
        """The note without its variant."""
        return NewNote(self.text, self.author, self.revision, self.frame, self.place)


class NoteChange(BaseModel):
    """Another state, or another text."""

    state: State | None = None
    text: Words | None = None

    @model_validator(mode="after")
    def _changes_one(self) -> "NoteChange":
        if (self.state is None) == (self.text is None):
            raise ValueError("give a state or a text")
        return self


class AnswerIn(BaseModel):
    """An answer; `variant`: one of the shot that it offers."""

    text: Words
    author: Author
    variant: Id | None = None


class AnswerOut(BaseModel):
    """An answer as it is listed."""

    id: Id
    text: str
    author: str
    created: str
    variant: Id | None


class NoteOut(BaseModel):
    """A note with its answers."""

    id: Id
    shot: Id
    variant: Id
    variant_name: str
    revision: Count
    frame: Count
    place: tuple[float, float] | None
    text: str
    author: str
    state: State
    created: str
    changed: str
    answers: list[AnswerOut]


class NoteList(BaseModel):
    """Notes, the newest first. `open`: of all, whatever is filtered; `more`: whether older ones follow."""

    notes: list[NoteOut]
    open: int
    more: bool


class NoteFilter(Query):
    """Which notes are listed. `after`: the last id of the page before."""

    variant: Id | None = None
    state: State | None = None
    after: Id | None = None
    limit: int = Field(100, ge=1, le=500)


class NoteQuery(NoteFilter):
    """Notes of a shot."""

    shot: Id


class NoteFileQuery(Query):
    """All notes of a shot as a file."""

    shot: Id
    format: Literal["csv", "txt", "json"]


class NotePath(BaseModel):
    """A note in an address."""

    note_id: Id
