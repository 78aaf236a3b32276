"""Edits of where a map comes from, and how that is read."""

from __future__ import annotations

from typing import Literal

from stonestack.core.document import (
    DERIVATIONS,
    Document,
    GamePlace,
    Id,
    Map,
    MapOrigin,
    Origin,
    Returned,
    SourceOrigin,
    Stage,
    Step,
    Surface,
    new_map,
    rebuilt,
)
from stonestack.core.document.edits.matter import suited
from stonestack.core.picture.resize import nearest_powers_of_two
from stonestack.core.raw.frame import Frame
from stonestack.core.runtime.errors import BadRequest
from stonestack.core.steps import STEPS
from stonestack.core.tables.roles import ROLES, Role
from stonestack.core.tables.sizing import Size
from stonestack.core.tile.ways import FAMILY

_KEPT = 0.85
"""Share of a side that usually remains after the cut that makes it tile."""


class SetOrigin(Document):
    """Give a map another beginning."""

    kind: Literal["set_origin"] = "set_origin"
    map: Id
    origin: Origin | None

    def apply(self, surface: Surface) -> Surface:
        """Change where the map comes from.

        With a file of its own it loses the steps that derive it from another map; from another
        map it gets the step that makes it of that, where it has none. A colour that comes in first
        settles what follows from it.
        """
        m = surface.map(self.map)
        steps = m.steps
        if isinstance(self.origin, SourceOrigin):
            steps = tuple(s for s in m.steps if s.params.kind not in DERIVATIONS)
        elif isinstance(self.origin, MapOrigin):
            steps = _derived(surface, m, self.origin)
        same = _file(self.origin) is not None and _file(self.origin) == _file(m.origin)
        begun = (
            rebuilt(m, origin=self.origin, steps=steps, frozen=None)
            if same
            else m.begun_anew(self.origin, steps)
        )
        changed = surface.with_map(begun)
        first = m.role is Role.COLOUR and m.origin is None
        if not first or not isinstance(self.origin, SourceOrigin):
            return changed
        return _settled(changed, changed.map(m.id), self.origin)

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = before.map(self.map).title
        if self.origin is None:
            return f"{title}: no origin"
        if isinstance(self.origin, MapOrigin):
            return f"{title} from {before.map(self.origin.map).title}"
        return f"{title} from {self.origin.name}"


def _file(origin: Origin | None) -> str | None:
    return origin.sha256 if isinstance(origin, SourceOrigin) else None


def _derived(surface: Surface, m: Map, origin: MapOrigin) -> tuple[Step, ...]:
    """Return a map's steps with what makes it of another map, first, where that is missing."""
    source = surface.map(origin.map)
    own = tuple(s for s in m.steps if s.params.kind not in DERIVATIONS)
    meaning = ROLES[m.role].space
    makers = [
        name
        for name, step in STEPS.items()
        # What is made of a mask or a further map besides is asked for by that.
        if m.role in step.makes and source.space in step.spaces and not step.reads
    ]
    present = next((s for s in m.steps if s.params.kind in makers), None)
    if present is not None:
        return (rebuilt(present, enabled=True), *own)
    exact = f"{m.role.value}_from_{source.role.value}"
    if exact not in makers and source.space is meaning:
        return own
    if not makers:
        raise BadRequest(
            "not-derivable",
            f"{m.title} cannot be made of {source.title.lower()} yet.",
            "Give it a file of its own, or another map.",
        )
    makers.sort(key=lambda name: (name != exact, not name.startswith(f"{m.role.value}_from_")))
    first = Step.model_validate({"params": {"kind": makers[0]}})
    return (*suited(surface, rebuilt(m, origin=None, steps=(first,))).steps, *own)


class SetSource(Document):
    """Say how a map's own file is read: green, meeting edges, steps evened out."""

    kind: Literal["set_source"] = "set_source"
    map: Id
    origin: SourceOrigin

    def apply(self, surface: Surface) -> Surface:
        """Set it; the file stays."""
        m = surface.map(self.map)
        if not isinstance(m.origin, SourceOrigin) or m.origin.sha256 != self.origin.sha256:
            raise _no_file(m)
        return surface.with_map(rebuilt(m, origin=self.origin))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        m = before.map(self.map)
        if isinstance(m.origin, SourceOrigin) and m.origin.wraps is not self.origin.wraps:
            return f"{m.title}: its edges {'meet' if self.origin.wraps else 'do not meet'}"
        if isinstance(m.origin, SourceOrigin) and m.origin.debanded is not self.origin.debanded:
            return f"{m.title}: its steps {'evened out' if self.origin.debanded else 'as stored'}"
        return f"{m.title}: green {self.origin.green} in its file"


class SetFrame(Document):
    """Straighten and crop a map's own file."""

    kind: Literal["set_frame"] = "set_frame"
    map: Id
    frame: Frame

    def apply(self, surface: Surface) -> Surface:
        """Set the frame."""
        m = surface.map(self.map)
        if not isinstance(m.origin, SourceOrigin):
            raise _no_file(m)
        return surface.with_map(rebuilt(m, origin=rebuilt(m.origin, frame=self.frame)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        m = before.map(self.map)
        if self.frame.plain:
            return f"{m.title}: the whole picture"
        if isinstance(m.origin, SourceOrigin) and m.origin.frame.corners == self.frame.corners:
            return f"{m.title}: lens fall-off {self.frame.vignette}"
        return f"{m.title}: straightened and cropped"


class SetMovesWith(Document):
    """Let a map with a file of its own be framed and cut as another is, or on its own."""

    kind: Literal["set_moves_with"] = "set_moves_with"
    map: Id
    moves_with: Id | None

    def apply(self, surface: Surface) -> Surface:
        """Set it."""
        return surface.with_map(rebuilt(surface.map(self.map), moves_with=self.moves_with))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        title = before.map(self.map).title
        if self.moves_with is None:
            return f"{title} is cut on its own"
        return f"{title} is cut as {before.map(self.moves_with).title.lower()} is"


class SetColours(Document):
    """Say whether a map's own file holds colours, or plain numbers."""

    kind: Literal["set_colours"] = "set_colours"
    map: Id
    colours: bool

    def apply(self, surface: Surface) -> Surface:
        """Set it."""
        return surface.with_map(rebuilt(surface.map(self.map), colours=self.colours))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        way = "colours" if self.colours else "plain numbers"
        return f"{before.map(self.map).title}: read as {way}"


class TakeFromGame(Document):
    """Begin a map with a file of the game, in exactly that file's form."""

    kind: Literal["take_from_game"] = "take_from_game"
    role: Role
    origin: SourceOrigin
    place: GamePlace
    size: Size

    def apply(self, surface: Surface) -> Surface:
        """Set origin and size as the game has them; nothing is done to it yet."""
        own = surface.of_role(self.role) or new_map(surface, self.role)
        begun = own.begun_anew(self.origin, ())
        taken = rebuilt(begun, place=self.place, size=self.size, moves_with=None)
        order = list(Role)
        maps = [rebuilt(m, size=self.size) if m.place is None else m for m in surface.maps]
        maps = [m for m in maps if m.id != own.id] + [taken]
        return rebuilt(surface, maps=tuple(sorted(maps, key=lambda m: order.index(m.role))))

    def words(self, _before: Surface) -> str:
        """Say what changed."""
        return f"{ROLES[self.role].title}: taken from {self.place.path}"


class ReturnFile(Document):
    """Take a working file back in that an outside editor has saved."""

    kind: Literal["return_file"] = "return_file"
    map: Id
    returned: Returned

    def apply(self, surface: Surface) -> Surface:
        """Lay the file over its stage.

        A later return of the same working file stands in the earlier one's place.
        """
        m = surface.map(self.map)
        others = tuple(
            r for r in m.returned if (r.stage, r.sent) != (self.returned.stage, self.returned.sent)
        )
        return surface.with_map(rebuilt(m, returned=(*others, self.returned)))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"{before.map(self.map).title}: {self.returned.name} came back"


class DropReturned(Document):
    """Take what came back from an outside editor out again."""

    kind: Literal["drop_returned"] = "drop_returned"
    map: Id
    stage: Stage
    sent: str

    def apply(self, surface: Surface) -> Surface:
        """Drop what came back of one working file."""
        m = surface.map(self.map)
        kept = tuple(r for r in m.returned if (r.stage, r.sent) != (self.stage, self.sent))
        return surface.with_map(rebuilt(m, returned=kept))

    def words(self, before: Surface) -> str:
        """Say what changed."""
        return f"{before.map(self.map).title}: without what came back"


def _no_file(m: Map) -> BadRequest:
    return BadRequest(
        "no-file-of-its-own",
        f"{m.title} has no picture of its own.",
        "Change the map that it comes from.",
    )


def usual_size(colour: Map, origin: SourceOrigin) -> Size:
    """Return the size that suits a colour with a file of its own and its way of tiling."""
    square = any(
        getattr(step.params, "shape", "found") == "square" and step.enabled for step in colour.steps
    )
    kept = 1.0 if origin.wraps or origin.few else _KEPT
    shorter = min(origin.width, origin.height)
    width, height = (shorter, shorter) if square else (origin.width, origin.height)
    sides = nearest_powers_of_two(max(1, width * kept), max(1, height * kept), 2048)
    return Size(width=sides[0], height=sides[1])


def _settled(surface: Surface, colour: Map, origin: SourceOrigin) -> Surface:
    """Fit a new surface to the colour that has come in: sizes near its own, and its alpha.

    A colour that tiles already is not cut; art of few texels begins as it is, and is kept whole.
    """
    if origin.wraps or origin.few:
        kept = () if origin.few else colour.steps
        steps = tuple(s for s in kept if s.kind.family != FAMILY)
        surface = surface.with_map(rebuilt(colour, steps=steps))
        colour = surface.map(colour.id)
    size = usual_size(colour, origin)
    sized = tuple(rebuilt(m, size=size) for m in surface.maps)
    surface = rebuilt(surface, maps=sized, whole_texels=surface.whole_texels or origin.few)
    if origin.alpha and surface.of_role(Role.ALPHA) is None:
        order = list(Role)
        maps = (*surface.maps, new_map(surface, Role.ALPHA))
        surface = rebuilt(surface, maps=tuple(sorted(maps, key=lambda m: order.index(m.role))))
    return surface
