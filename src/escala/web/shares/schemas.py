"""What requests and answers about shares hold."""

from pydantic import BaseModel, Field

from escala.model.numbers import Count, Id

from ..schemas import Region


class NewShare(BaseModel):
    """Variants of one shot to share. `follow`: whether the page shows them as they become, else as they are now."""

    variants: list[Id] = Field(min_length=1, max_length=100)
    name: str = Field(min_length=1, max_length=120)
    follow: bool = True


class ShareMade(BaseModel):
    """A new share; its token is in this answer only."""

    id: Id
    token: str
    path: str


class ShareOut(BaseModel):
    """A share: its variants, when it was last used, and whether it was withdrawn."""

    id: Id
    name: str
    shot: Id
    variants: list[Id]
    follow: bool
    created: str
    last_used: str | None
    withdrawn: str | None


class ShareList(BaseModel):
    """All shares, the newest first."""

    shares: list[ShareOut]


class SharePath(BaseModel):
    """A share in an address."""

    share_id: Id


class TokenPath(BaseModel):
    """The token of a share in an address."""

    token: str


class SharedShot(BaseModel):
    """What a share shows of its shot."""

    name: str
    width: int
    height: int
    frames: list[Count]
    frame_rate: float


class SharedVariant(BaseModel):
    """A shared variant: the revision that is shown, and when that was made."""

    id: Id
    name: str
    revision: Count
    changed: str


class SharedOut(BaseModel):
    """What the page of a share shows."""

    name: str
    shot: SharedShot
    variants: list[SharedVariant]


class SharedPicture(BaseModel):
    """An image of a shared variant as displayed: a region at so many pixels; `exact`: in full quality, lossless."""

    variant: Id
    frame: Count | None = None
    region: Region
    width: int = Field(gt=0, le=8192)
    height: int = Field(gt=0, le=8192)
    exact: bool = False
