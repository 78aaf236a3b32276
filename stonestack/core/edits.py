"""Edits of a surface: typed operations, each with words that say what it changed."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from stonestack.core.blocks.formats import FORMATS, BlockFormat
from stonestack.core.errors import BadRequest
from stonestack.core.frame import Frame
from stonestack.core.naming import check_code_name
from stonestack.core.resize import nearest_power_of_two
from stonestack.core.roles import ROLES, Role
from stonestack.core.sizing import Fit, Size
from stonestack.core.steps import STEPS, Step
from stonestack.core.surface import (
    Document,
    GamePlace,
    Green,
    Map,
    MapOrigin,
    Origin,
    Returned,
    SourceOrigin,
    Surface,
    fitting_format,
    rebuilt,
)
from stonestack.core.tile.boundary import MakeTile
from stonestack.core.tile.patches import PatchSpots, Spot


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


class AddStep(Document):
    """Put a step at the end, or at a place."""

    kind: Literal["add_step"] = "add_step"
    role: Role
    step: Step
    place: int | None = None

    def apply(self, surface: Surface) -> Surface:
        """Insert the step."""
        m = surface.map(self.role)
        place = len(m.steps) if self.place is None else max(0, min(self.place, len(m.steps)))
        steps = (*m.steps[:place], self.step, *m.steps[place:])
        return surface.with_map(rebuilt(m, steps=steps))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: {STEPS[self.step.kind].title} added"


class SetStep(Document):
    """Change a step's parameters, or switch it off and on."""

    kind: Literal["set_step"] = "set_step"
    role: Role
    place: int = Field(ge=0)
    step: Step

    def apply(self, surface: Surface) -> Surface:
        """Replace the step at a place by one of its kind, or another way to the same end."""
        m = surface.map(self.role)
        before = _step_at(m, self.place)
        if before.kind != self.step.kind and not _same_end(before, self.step):
            raise BadRequest(
                "other-step",
                "Another step stands at this place.",
                "Reload the surface and change it again.",
            )
        steps = (*m.steps[: self.place], self.step, *m.steps[self.place + 1 :])
        return surface.with_map(rebuilt(m, steps=steps))

    def words(self, before: Surface) -> str:
        """Say which parameter changed, and to what."""
        old = _step_at(before.map(self.role), self.place)
        head = f"{ROLES[self.role].title}: {STEPS[self.step.kind].title}"
        if old.kind != self.step.kind:
            return f"{head} instead of {STEPS[old.kind].title}"
        for name, field in type(self.step).model_fields.items():
            value = getattr(self.step, name)
            if getattr(old, name) != value:
                if name == "enabled":
                    return f"{head} {'on' if value else 'off'}"
                return f"{head}, {field.title or name} {value}"
        return head


class RemoveStep(Document):
    """Take a step out."""

    kind: Literal["remove_step"] = "remove_step"
    role: Role
    place: int = Field(ge=0)

    def apply(self, surface: Surface) -> Surface:
        """Drop the step at a place."""
        m = surface.map(self.role)
        _step_at(m, self.place)
        return surface.with_map(
            rebuilt(m, steps=(*m.steps[: self.place], *m.steps[self.place + 1 :]))
        )

    def words(self, before: Surface) -> str:
        """Say what changed."""
        step = _step_at(before.map(self.role), self.place)
        return f"{ROLES[self.role].title}: {STEPS[step.kind].title} removed"


class MoveStep(Document):
    """Change the order of steps."""

    kind: Literal["move_step"] = "move_step"
    role: Role
    place: int = Field(ge=0)
    to: int = Field(ge=0)

    def apply(self, surface: Surface) -> Surface:
        """Take the step out at ``place`` and put it in again at ``to``."""
        m = surface.map(self.role)
        step = _step_at(m, self.place)
        rest = [*m.steps[: self.place], *m.steps[self.place + 1 :]]
        rest.insert(min(self.to, len(rest)), step)
        return surface.with_map(rebuilt(m, steps=tuple(rest)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        step = _step_at(before.map(self.role), self.place)
        way = "earlier" if self.to < self.place else "later"
        return f"{ROLES[self.role].title}: {STEPS[step.kind].title} {way}"


class SetSize(Document):
    """Change the finished size of a map, or of all maps."""

    kind: Literal["set_size"] = "set_size"
    role: Role
    size: Size
    all_maps: bool = False

    def apply(self, surface: Surface) -> Surface:
        """Set the size."""
        maps = tuple(
            rebuilt(m, size=self.size) if self.all_maps or m.role is self.role else m
            for m in surface.maps
        )
        return rebuilt(surface, maps=maps)

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        who = "All maps" if self.all_maps else ROLES[self.role].title
        ways = {Fit.STRETCH: "", Fit.REPEAT: ", repeated", Fit.PAD: ", on a larger canvas"}
        return f"{who}: {self.size.width} × {self.size.height}{ways[self.size.fit]}"


class SetFormat(Document):
    """Change how a map is stored."""

    kind: Literal["set_format"] = "set_format"
    role: Role
    format: BlockFormat
    green: Green = Green.UP

    def apply(self, surface: Surface) -> Surface:
        """Set the block format, and which way green points."""
        m = surface.map(self.role)
        return surface.with_map(rebuilt(m, format=self.format, green=self.green))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = ROLES[self.role].title
        if before.map(self.role).green is not self.green:
            return f"{title}: green {self.green}"
        return f"{title}: {FORMATS[self.format].title}"


class SetOutput(Document):
    """Change a map's file name, or whether it is delivered."""

    kind: Literal["set_output"] = "set_output"
    role: Role
    file_name: str
    delivered: bool = True

    def apply(self, surface: Surface) -> Surface:
        """Set the name and whether the map goes out."""
        m = surface.map(self.role)
        name = check_code_name(self.file_name)
        return surface.with_map(rebuilt(m, file_name=name, delivered=self.delivered))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = ROLES[self.role].title
        if before.map(self.role).delivered is not self.delivered:
            return f"{title}: {'delivered' if self.delivered else 'not delivered'}"
        return f"{title}: named {self.file_name}"


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


class RepairSpots(Document):
    """Cover spots that stand out, by a step at the end."""

    kind: Literal["repair_spots"] = "repair_spots"
    role: Role
    spots: tuple[Spot, ...] = Field(min_length=1, max_length=32)

    def apply(self, surface: Surface) -> Surface:
        """Add a step at the end; spots that were found after other repairs get one of their own."""
        m = surface.map(self.role)
        return surface.with_map(rebuilt(m, steps=(*m.steps, PatchSpots(spots=self.spots))))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        count = len(self.spots)
        return f"{ROLES[self.role].title}: {count} spot{'' if count == 1 else 's'} repaired"


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
    origin: SourceOrigin | None = None

    def apply(self, surface: Surface) -> Surface:
        """Lay the file over its stage; at the source it becomes the source.

        A later return of the same working file stands in the earlier one's place.
        """
        m = surface.map(self.role)
        if self.origin is not None:
            return surface.with_map(rebuilt(m, origin=self.origin))
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
    place: int = Field(ge=0)

    def apply(self, surface: Surface) -> Surface:
        """Drop one returned file."""
        m = surface.map(self.role)
        kept = tuple(r for i, r in enumerate(m.returned) if i != self.place)
        return surface.with_map(rebuilt(m, returned=kept))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: without what came back"


class Rename(Document):
    """Change a surface's title; names of files stay."""

    kind: Literal["rename"] = "rename"
    title: str = Field(min_length=1, max_length=80)

    def apply(self, surface: Surface) -> Surface:
        """Set the title."""
        return rebuilt(surface, title=self.title)

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"Renamed to {self.title}"


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
"""Any edit, told apart by its ``kind``."""

DERIVATIONS = {
    "height_from_colour",
    "normal_from_height",
    "specular_from_colour",
    "alpha_from_picture",
}
"""Steps that make one role from another; a map with a file of its own has none."""

_KEPT = 0.85
"""Share of a side that usually remains after the cut that makes it tile."""


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


def _same_end(one: Step, other: Step) -> bool:
    """Tell whether two steps are different ways to the same end."""
    family = STEPS[one.kind].family
    return bool(family) and family == STEPS[other.kind].family


def _step_at(m: Map, place: int) -> Step:
    if not 0 <= place < len(m.steps):
        raise BadRequest(
            "no-such-step",
            f"{ROLES[m.role].title} has no step at place {place + 1}.",
            "Reload the surface and try again.",
        )
    return m.steps[place]
