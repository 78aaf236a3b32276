"""A map without some of what is done to it: as masks read it, and as others knew it."""

from __future__ import annotations

from stonestack.core.document.outward import SourceOrigin, Stage
from stonestack.core.document.surface import Map, Step, Surface, laid_steps


def laid(m: Map) -> Map:
    """Return a map without what is done to its look.

    Masks read maps so, and all that these are made of: laid out as a tile, before their look is
    worked on. So a step can be limited by what its own map shows, or one that is made of it.
    """
    earlier = tuple(back for back in m.returned if back.stage is not Stage.STEPS)
    return m.model_copy(update={"steps": laid_steps(m), "returned": earlier})


def first_look(m: Map) -> Map:
    """Return a map without what was changed in parts of it once it was laid out.

    So it looked when other maps, that do not follow it by themselves, belonged to it.
    """
    kept = tuple(s for s in m.before_size[len(laid_steps(m)) :] if not _in_parts(s))
    earlier = tuple(back for back in m.returned if back.stage is not Stage.STEPS)
    return m.model_copy(
        update={"steps": (*laid_steps(m), *kept, *m.after_size), "returned": earlier}
    )


def _in_parts(step: Step) -> bool:
    return step.mask is not None or step.kind.over or step.kind.blobs > 0


def thawed(m: Map) -> Map:
    """Return a map as its recipe has it, whether it is frozen or not."""
    return m if m.frozen is None else m.model_copy(update={"frozen": None})


def follows(surface: Surface, m: Map) -> Map | None:
    """Return the map whose cut another follows, where both have files of their own."""
    if m.moves_with is None or not isinstance(m.origin, SourceOrigin):
        return None
    led = surface.find(m.moves_with)
    return led if led is not None and isinstance(led.origin, SourceOrigin) else None
