"""Edits of where a map comes from, and how that is read."""

from __future__ import annotations

from typing import Literal

from stonestack.core.blocks.formats import FORMATS, BlockFormat
from stonestack.core.errors import BadRequest
from stonestack.core.frame import Frame
from stonestack.core.resize import nearest_power_of_two
from stonestack.core.roles import ROLES, Role
from stonestack.core.sizing import Size
from stonestack.core.surface import (
    Document,
    GamePlace,
    MapOrigin,
    Origin,
    Returned,
    SourceOrigin,
    Stage,
    Surface,
    fitting_format,
    rebuilt,
)
from stonestack.core.tile.boundary import MakeTile

DERIVATIONS = {
    "height_from_colour",
    "normal_from_height",
    "specular_from_colour",
    "alpha_from_picture",
}
"""Steps that make one role from another; a map with a file of its own has none."""

_KEPT = 0.85
"""Share of a side that usually remains after the cut that makes it tile."""


class SetOrigin(Document):
    """Give a map another beginning."""

    kind: Literal["set_origin"] = "set_origin"
    role: Role
    origin: Origin | None

    def apply(self, surface: Surface) -> Surface:
        """Change where the map comes from; steps that derive it from another map go.

        A colour that comes in first settles what follows from it: sizes near its own,
        and whether alpha is stored and delivered.
        """
        m = surface.map(self.role)
        steps = m.steps
        if isinstance(self.origin, SourceOrigin):
            steps = tuple(s for s in steps if s.kind not in DERIVATIONS)
        changed = surface.with_map(rebuilt(m, origin=self.origin, steps=steps))
        first = self.role is Role.COLOUR and m.origin is None
        if not first or not isinstance(self.origin, SourceOrigin):
            return changed
        return _settled(changed, self.origin)

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        title = ROLES[self.role].title
        if self.origin is None:
            return f"{title}: no origin"
        if isinstance(self.origin, MapOrigin):
            return f"{title} from {ROLES[self.origin.role].title}"
        return f"{title} from {self.origin.name}"


class SetFrame(Document):
    """Straighten and crop a map's own file."""

    kind: Literal["set_frame"] = "set_frame"
    role: Role
    frame: Frame

    def apply(self, surface: Surface) -> Surface:
        """Set the frame."""
        m = surface.map(self.role)
        if not isinstance(m.origin, SourceOrigin):
            raise BadRequest(
                "no-file-of-its-own",
                f"{ROLES[self.role].title} has no picture of its own.",
                "Frame the map that it comes from.",
            )
        return surface.with_map(rebuilt(m, origin=rebuilt(m.origin, frame=self.frame)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = ROLES[self.role].title
        if self.frame.plain:
            return f"{title}: the whole picture"
        origin = before.map(self.role).origin
        if isinstance(origin, SourceOrigin) and origin.frame.corners == self.frame.corners:
            return f"{title}: lens fall-off {self.frame.vignette}"
        return f"{title}: straightened and cropped"


class SetFollows(Document):
    """Let a map with a file of its own follow the colour's cut, or not."""

    kind: Literal["set_follows"] = "set_follows"
    role: Role
    follows: bool

    def apply(self, surface: Surface) -> Surface:
        """Set it."""
        return surface.with_map(rebuilt(surface.map(self.role), follows=self.follows))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        way = "follows the colour's cut" if self.follows else "is cut on its own"
        return f"{ROLES[self.role].title} {way}"


class SetColours(Document):
    """Say whether a map's own file holds colours, or plain numbers."""

    kind: Literal["set_colours"] = "set_colours"
    role: Role
    colours: bool

    def apply(self, surface: Surface) -> Surface:
        """Set it; a format that would keep only one channel of colours is changed."""
        m = surface.map(self.role)
        kept = not self.colours or FORMATS[m.format].channels >= 3
        format_ = m.format if kept else fitting_format(self.role, self.colours)
        return surface.with_map(rebuilt(m, colours=self.colours, format=format_))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: read as {'colours' if self.colours else 'plain numbers'}"


class TakeFromGame(Document):
    """Begin a map with a file of the game, in exactly that file's form."""

    kind: Literal["take_from_game"] = "take_from_game"
    role: Role
    origin: SourceOrigin
    place: GamePlace
    size: Size
    format: BlockFormat

    def apply(self, surface: Surface) -> Surface:
        """Set origin, size and format as the game has them; nothing is done to it yet.

        Maps that do not come from the game are not delivered: it has no file for them.
        """
        maps = []
        for m in surface.maps:
            if m.role is self.role:
                changes: dict[str, object] = {
                    "origin": self.origin,
                    "place": self.place,
                    "steps": (),
                    "size": self.size,
                    "format": self.format,
                    "delivered": True,
                }
                maps.append(rebuilt(m, **changes))
            else:
                maps.append(
                    rebuilt(m, delivered=m.place is not None, size=self.size)
                    if m.place is None
                    else m
                )
        return rebuilt(surface, maps=tuple(maps))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: taken from {self.place.path}"


class ReturnFile(Document):
    """Take a working file back in that an outside editor has saved."""

    kind: Literal["return_file"] = "return_file"
    role: Role
    returned: Returned

    def apply(self, surface: Surface) -> Surface:
        """Lay the file over its stage.

        A later return of the same working file stands in the earlier one's place.
        """
        m = surface.map(self.role)
        others = tuple(
            r for r in m.returned if (r.stage, r.sent) != (self.returned.stage, self.returned.sent)
        )
        return surface.with_map(rebuilt(m, returned=(*others, self.returned)))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: {self.returned.name} came back"


class DropReturned(Document):
    """Take what came back from an outside editor out again."""

    kind: Literal["drop_returned"] = "drop_returned"
    role: Role
    stage: Stage
    sent: str

    def apply(self, surface: Surface) -> Surface:
        """Drop what came back of one working file."""
        m = surface.map(self.role)
        kept = tuple(r for r in m.returned if (r.stage, r.sent) != (self.stage, self.sent))
        return surface.with_map(rebuilt(m, returned=kept))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: without what came back"


def _settled(surface: Surface, origin: SourceOrigin) -> Surface:
    """Fit a new surface to the colour that has come in."""
    square = any(
        isinstance(step, MakeTile) and step.enabled and step.shape == "square"
        for step in surface.map(Role.COLOUR).steps
    )
    shorter = min(origin.width, origin.height)
    width, height = (shorter, shorter) if square else (origin.width, origin.height)
    size = Size(
        width=nearest_power_of_two(round(width * _KEPT), 2048),
        height=nearest_power_of_two(round(height * _KEPT), 2048),
    )
    maps = []
    for m in surface.maps:
        changes: dict[str, object] = {"size": size}
        if m.role is Role.COLOUR and origin.alpha and m.format is BlockFormat.BC1:
            changes["format"] = BlockFormat.BC3
        if m.role is Role.ALPHA:
            changes["delivered"] = origin.alpha
        maps.append(rebuilt(m, **changes))
    return rebuilt(surface, maps=tuple(maps))
