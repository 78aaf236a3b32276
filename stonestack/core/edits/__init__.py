"""Edits of a surface: typed operations, each with words that say what it changed."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from stonestack.core.edits.origins import (
    DropReturned,
    ReturnFile,
    SetColours,
    SetFollows,
    SetFrame,
    SetOrigin,
    TakeFromGame,
)
from stonestack.core.edits.output import Rename, SetFormat, SetOutput, SetSize
from stonestack.core.edits.steps import AddStep, MoveStep, RemoveStep, RepairSpots, SetStep

Edit = Annotated[
    SetOrigin
    | AddStep
    | SetStep
    | RemoveStep
    | MoveStep
    | SetSize
    | SetFormat
    | SetOutput
    | SetFrame
    | SetFollows
    | SetColours
    | RepairSpots
    | TakeFromGame
    | ReturnFile
    | DropReturned
    | Rename,
    Field(discriminator="kind"),
]

__all__ = [
    "AddStep",
    "DropReturned",
    "Edit",
    "MoveStep",
    "RemoveStep",
    "Rename",
    "RepairSpots",
    "ReturnFile",
    "SetColours",
    "SetFollows",
    "SetFormat",
    "SetFrame",
    "SetOrigin",
    "SetOutput",
    "SetSize",
    "SetStep",
    "TakeFromGame",
]
