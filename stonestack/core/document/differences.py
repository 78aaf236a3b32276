"""What is different between two states of a surface, in words: one line a thing."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from enum import Enum

from pydantic import BaseModel

from stonestack.core.document import Map, MapOrigin, Mask, SourceOrigin, Step, Surface
from stonestack.core.kinds.references import MapRef, MaskRef, SourceRef, StrokesRef
from stonestack.core.tables.sizing import Size

_MOST_VALUES = 4


def between(before: Surface, after: Surface) -> list[str]:
    """Return what one state has that another has not, the surface first, then its maps and masks.

    Things are the same by their ids, wherever they stand and whatever they are called.
    """
    return [
        *_of_surface(before, after),
        *(line for m in after.maps for line in _of_map(before, after, m)),
        *(f"{m.title} removed" for m in before.maps if after.find(m.id) is None),
        *_of_masks(before, after),
    ]


def said(value: object, surface: Surface) -> str:
    """Return a value of a step as a person reads it; what it refers to by its name."""
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, Enum):
        return str(value.value).replace("_", " ")
    if isinstance(value, MapRef):
        other = surface.find(value.map)
        return other.title.lower() if other else "a map that is gone"
    if isinstance(value, MaskRef):
        return next((m.title for m in surface.masks if m.id == value.mask), "a mask that is gone")
    if isinstance(value, SourceRef):
        return value.name
    if isinstance(value, StrokesRef):
        return str(value.count)
    if isinstance(value, float):
        return f"{value:.4g}"
    if isinstance(value, tuple):
        simple = all(isinstance(one, str) for one in value) and len(value) <= _MOST_VALUES
        return " ".join(value) if value and simple else f"{len(value)} of them"
    return str(value)


def changed_values(before: BaseModel, after: BaseModel, surface: Surface) -> list[str]:
    """Return the values that differ between parameters of one kind, with their titles."""
    lines = []
    for name, field in type(after).model_fields.items():
        old, new = getattr(before, name), getattr(after, name)
        if old != new:
            lines.append(f"{(field.title or name).lower()} {said(new, surface)}")
    return lines


def _of_surface(before: Surface, after: Surface) -> Iterator[str]:
    if before.title != after.title:
        yield f"Renamed from {before.title} to {after.title}"
    if before.whole_texels is not after.whole_texels:
        yield "Texels are kept whole" if after.whole_texels else "Texels are no longer kept whole"


def _of_map(before: Surface, after: Surface, now: Map) -> Iterator[str]:
    was = before.find(now.id)
    if was is None:
        yield f"{now.title} added"
        return
    if was.origin != now.origin:
        yield f"{now.title}: {_origin_words(was, now, after)}"
    if (was.frozen is None) is not (now.frozen is None):
        yield f"{now.title}: {'frozen' if now.frozen else 'follows its recipe again'}"
    elif was.frozen != now.frozen:
        yield f"{now.title}: frozen anew"
    if was.colours is not now.colours:
        yield f"{now.title}: read as {'colours' if now.colours else 'plain numbers'}"
    if was.moves_with != now.moves_with:
        led = after.find(now.moves_with)
        yield f"{now.title}: cut {f'as {led.title.lower()} is' if led else 'on its own'}"
    yield from (f"{now.title}: {line}" for line in _of_steps(before, after, was, now))
    if was.returned != now.returned:
        more = len(now.returned) >= len(was.returned)
        yield f"{now.title}: {'a file came back' if more else 'without what came back'}"
    if was.size != now.size:
        yield f"{now.title}: {_size_words(was.size)} to {_size_words(now.size)}"
    was_own, own = ({o.level: o.picture for o in m.levels} for m in (was, now))
    for level in sorted({*was_own, *own}):
        if was_own.get(level) != own.get(level):
            name = own[level].name if level in own else "made as usual"
            yield f"{now.title}: level {level} {name}"
    if was.outputs != now.outputs:
        yield f"{now.title}: leaves otherwise"


def _origin_words(was: Map, now: Map, after: Surface) -> str:
    old, new = was.origin, now.origin
    if isinstance(new, MapOrigin):
        return f"made from {after.map(new.map).title.lower()}"
    if not isinstance(new, SourceOrigin):
        return "no origin"
    if not isinstance(old, SourceOrigin) or old.sha256 != new.sha256:
        return f"begins with {new.name}"
    return "straightened and cropped otherwise" if old.frame != new.frame else "read otherwise"


def _size_words(size: Size) -> str:
    return f"{size.width} × {size.height}"


def _of_steps(before: Surface, after: Surface, was: Map, now: Map) -> Iterator[str]:
    old = {step.id: step for step in was.steps}
    new = {step.id: step for step in now.steps}
    for step in now.steps:
        if step.id not in old:
            yield f"{step.kind.title} added"
        elif step != old[step.id]:
            yield from _of_step(before, after, old[step.id], step)
    yield from (f"{s.kind.title} removed" for s in was.steps if s.id not in new)
    if _order(was.steps, new) != _order(now.steps, old):
        yield "steps in another order"


def _order(steps: Sequence[Step], there: dict[str, Step]) -> list[str]:
    return [step.id for step in steps if step.id in there]


def _of_step(before: Surface, after: Surface, was: Step, now: Step) -> Iterator[str]:
    title = now.kind.title
    if was.kind is not now.kind:
        yield f"{title} instead of {was.kind.title}"
        return
    changes = []
    if was.enabled is not now.enabled:
        changes.append("on" if now.enabled else "off")
    if was.mask != now.mask:
        changes.append(f"on {after.mask(now.mask).title}" if now.mask else "on all of the map")
    if was.amount != now.amount:
        changes.append(f"amount {said(now.amount, after)}")
    if was.blend is not now.blend:
        changes.append(said(now.blend, after))
    changes += changed_values(was.params, now.params, after)
    if changes:
        yield f"{title}, {', '.join(changes)}"


def _of_masks(before: Surface, after: Surface) -> Iterator[str]:
    old = {mask.id: mask for mask in before.masks}
    for mask in after.masks:
        was = old.pop(mask.id, None)
        if was is None:
            yield f"Mask {mask.title} added"
        elif was != mask:
            yield _mask_words(was, mask)
    yield from (f"Mask {mask.title} removed" for mask in old.values())


def _mask_words(was: Mask, now: Mask) -> str:
    if was.title != now.title:
        return f"Mask {was.title} is called {now.title}"
    return f"Mask {now.title} changed"
