"""Edits of a surface: typed operations, each with words that say what it changed."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from stonestack.core.document.edits.maps import AddMap, Freeze, KeepWhole, RemoveMap, Rename, Thaw
from stonestack.core.document.edits.masks import AddLimited, AddMask, MapOfMask, RemoveMask, SetMask
from stonestack.core.document.edits.matter import SetMatter
from stonestack.core.document.edits.origins import (
    DropReturned,
    ReturnFile,
    SetColours,
    SetFrame,
    SetMovesWith,
    SetOrigin,
    SetSource,
    TakeFromGame,
)
from stonestack.core.document.edits.output import SetLevel, SetOutput, SetSize
from stonestack.core.document.edits.recipe import PutRecipe
from stonestack.core.document.edits.steps import (
    AddStep,
    MoveStep,
    RemoveStep,
    RepairSpots,
    SetStep,
    TakeWay,
)

Edit = Annotated[
    SetOrigin
    | SetSource
    | AddStep
    | SetStep
    | TakeWay
    | RemoveStep
    | MoveStep
    | SetSize
    | SetOutput
    | SetLevel
    | SetFrame
    | SetMovesWith
    | SetColours
    | RepairSpots
    | TakeFromGame
    | ReturnFile
    | DropReturned
    | AddMap
    | RemoveMap
    | Freeze
    | KeepWhole
    | Thaw
    | AddMask
    | AddLimited
    | SetMask
    | RemoveMask
    | MapOfMask
    | PutRecipe
    | Rename
    | SetMatter,
    Field(discriminator="kind"),
]

__all__ = [
    "AddLimited",
    "AddMap",
    "AddMask",
    "AddStep",
    "DropReturned",
    "Edit",
    "Freeze",
    "KeepWhole",
    "MapOfMask",
    "MoveStep",
    "PutRecipe",
    "RemoveMap",
    "RemoveMask",
    "RemoveStep",
    "Rename",
    "RepairSpots",
    "ReturnFile",
    "SetColours",
    "SetFrame",
    "SetLevel",
    "SetMask",
    "SetMatter",
    "SetMovesWith",
    "SetOrigin",
    "SetOutput",
    "SetSize",
    "SetSource",
    "SetStep",
    "TakeFromGame",
    "TakeWay",
    "Thaw",
]
