"""What a check says: how bad it is, what it is, and what to do."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel


class Finding(BaseModel):
    """Something to look at: where it is, in words, and what to do."""

    level: Literal["good", "look", "fault"]
    words: str
    fix: str = ""
