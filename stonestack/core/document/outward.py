"""What ties a map to what lies outside: where it comes from, its place in a game, how it leaves."""

from __future__ import annotations

from enum import StrEnum
from typing import Annotated, Literal

from pydantic import Field, field_validator

from stonestack.core.document.base import Document, Hash, Id, checked_file_name
from stonestack.core.files.blocks.formats import BlockFormat
from stonestack.core.files.blocks.quality import Quality
from stonestack.core.kinds.references import SourceRef
from stonestack.core.picture.image import Space
from stonestack.core.picture.mips import MipFilter
from stonestack.core.picture.normals import Green
from stonestack.core.raw.frame import Frame


class Stage(StrEnum):
    """Where on its way a map is looked at, in the order of the work."""

    RAW = "raw"
    SOURCE = "source"
    STEPS = "steps"
    SIZE = "size"
    FINISH = "finish"
    COMPRESS = "compress"


class SourceOrigin(Document):
    """A map that starts from an imported file, straightened and cropped by its frame."""

    kind: Literal["source"] = "source"
    sha256: Hash
    name: str = Field(max_length=255)
    width: int = 0
    height: int = 0
    alpha: bool = False
    green: Green = Field(
        Green.UP, title="Green points", description="How the file stores normals; else unused"
    )
    wraps: bool = Field(
        False,
        title="Its edges meet",
        description="It is a tile already: what looks at neighbours goes on over its edges",
    )
    few: bool = Field(
        False,
        title="Art of few texels",
        description="Small and in few colours, so that each texel counts",
    )
    debanded: bool = Field(
        False,
        title="Even out its steps",
        description="Of plain numbers in eight bits, each within half a step of what it was",
    )
    frame: Frame = Frame()


class MapOrigin(Document):
    """A map that starts from another map of the same surface, after that map's steps."""

    kind: Literal["map"] = "map"
    map: Id


Origin = Annotated[SourceOrigin | MapOrigin, Field(discriminator="kind")]


class GamePlace(Document):
    """Where in a registered game folder a map came from, and must go back to.

    Its exact form (levels, header, row order, palette) is the original itself, kept under
    ``sha256``; ``line`` says it in words.
    """

    game: str
    path: str
    file: str
    chain: str = ""
    sha256: str
    width: int
    height: int
    format: BlockFormat | None = None
    line: str = ""


class Returned(Document):
    """A working file that came back from an outside editor.

    Only what differs from ``sent``, as it was put out, replaces the picture: so changes made
    earlier on the map's way still come through everywhere else.
    """

    stage: Stage
    sha256: Hash
    sent: Hash
    name: str = Field(max_length=255)


class Frozen(Document):
    """A map's result, kept as it was.

    Parameters
    ----------
    sha256 : str
        Of the kept picture.
    of : str
        Content key of what it is the result of; where that is another now, it is out of date.
    wraps : bool
        Whether the result is a tile.
    space : Space or None
        What its numbers mean; None where that was not kept, so it is what the map's mean.
    """

    sha256: Hash
    of: str
    wraps: bool = False
    space: Space | None = None


class Output(Document):
    """How one map leaves for one target; what it does not say, the target does."""

    format: BlockFormat | None = None
    green: Green | None = None
    name: str | None = None
    delivered: bool | None = None
    quality: Quality | None = None
    filter: MipFilter | None = None

    @field_validator("name")
    @classmethod
    def _plain_name(cls, name: str | None) -> str | None:
        return None if name is None else checked_file_name(name)


class OwnLevel(Document):
    """A picture of its own for one of a map's smaller levels.

    It is read as the map is, with green up, and brought to the level's size.
    """

    level: int = Field(ge=1, le=14)
    picture: SourceRef
