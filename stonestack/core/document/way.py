"""How a map comes to be, as its document says; whatever makes or judges a map reads it here."""

from __future__ import annotations

from dataclasses import dataclass

from stonestack.core.document.looks import follows
from stonestack.core.document.outward import Frozen, Returned, SourceOrigin, Stage
from stonestack.core.document.surface import Map, Step, Surface, moving_steps
from stonestack.core.picture.image import Space
from stonestack.core.raw.frame import Frame


@dataclass(frozen=True)
class MapWay:
    """How a map comes to be.

    Parameters
    ----------
    space : Space
        What its numbers mean.
    frame : Frame
        What is cut out of its file: its own, or that of the map that it moves with.
    wraps : bool
        Whether it is a tile when its first step gets it.
    whole : bool
        Whether its texels are kept whole.
    led : Map or None
        The map that it moves with.
    moved : tuple of Step
        The steps of that one up to the last that moves texels.
    frozen : Frozen or None
        What stands for its result after its steps.
    returned : tuple of Returned
        What came back from an outside editor, in its order.
    """

    space: Space
    frame: Frame
    wraps: bool
    whole: bool
    led: Map | None
    moved: tuple[Step, ...]
    frozen: Frozen | None
    returned: tuple[Returned, ...]

    def returned_at(self, stage: Stage) -> tuple[Returned, ...]:
        """Return what came back at a stage."""
        return tuple(back for back in self.returned if back.stage is stage)


def way_of(surface: Surface, m: Map) -> MapWay:
    """Return how a map of a surface comes to be."""
    led = follows(surface, m)
    own = led.origin if led is not None else m.origin
    frame = own.frame if isinstance(own, SourceOrigin) else Frame()
    return MapWay(
        space=m.space,
        frame=frame,
        # A part that is cut out of a tile is no tile any more.
        wraps=isinstance(m.origin, SourceOrigin) and m.origin.wraps and frame.plain,
        whole=surface.whole_texels,
        led=led,
        moved=() if led is None else moving_steps(led),
        frozen=m.frozen,
        returned=m.returned,
    )
