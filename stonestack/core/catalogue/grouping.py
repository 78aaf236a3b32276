"""Put together what is one thing: by name, by suffix and by picture, with the reason in words.

A thing is a surface with its maps, its smaller copies, its variants, its icons, and copies that
lie elsewhere.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from stonestack.core.catalogue.filenames import NameParts
from stonestack.core.catalogue.looks import HASH_BYTES, distances
from stonestack.core.tables.roles import ROLES, Role

ALIKE = 28
"""Bits, of 256, by which hashes of one picture in two sizes or formats differ at most."""
SAME_TONES = 10.0
"""Mean difference of tones, of 255, within which two pictures have the same colours."""
_MOST_BUCKET = 64
"""Neighbours that are compared among files that share a part of their hash."""


class Relation(StrEnum):
    """What a file is within its thing."""

    MAP = "map"
    SMALLER = "smaller"
    TWIN = "twin"
    VARIANT = "variant"
    ICON = "icon"
    BACKUP = "backup"
    COMPANION = "companion"


@dataclass(frozen=True)
class Item:
    """What grouping needs to know of a file."""

    id: int
    path: str
    name: NameParts
    sha256: str
    role: Role | None
    use: str
    width: int
    height: int
    format: str
    hash: bytes
    tones: bytes
    flat: bool

    @property
    def area(self) -> int:
        """Texels."""
        return self.width * self.height


@dataclass(frozen=True)
class Place:
    """Where a file stands: in which thing, as what, and why."""

    thing: str
    relation: Relation
    reason: str
    of: int | None = None
    """The file that it is a copy, a smaller copy or a variant of."""


def grouped(items: list[Item]) -> dict[int, Place]:
    """Return where each file stands."""
    pictures = [i for i in items if i.width and i.role is not None]
    surfaces = [i for i in pictures if i.role is Role.COLOUR and not i.flat]
    stems = Counter(i.name.stem for i in pictures if not i.name.backup)
    # A file that shows what another shows belongs to that one's thing, whatever it is called.
    best: dict[int, Item] = {}
    for one, other in _same_pictures(surfaces):
        a, b = sorted((one, other), key=lambda i: _rank(i, stems))
        if b.id not in best or _rank(a, stems) < _rank(best[b.id], stems):
            best[b.id] = a
    things: dict[str, list[Item]] = defaultdict(list)
    for item in items:
        head = item
        while head.id in best:
            head = best[head.id]
        things[head.name.stem].append(item)
    out: dict[int, Place] = {}
    for thing, members in things.items():
        out |= _placed(thing, members, stems)
    return out


def alike(a: Item, b: Item) -> tuple[bool, bool]:
    """Return whether two pictures have the same drawing, and whether also the same colours."""
    if a.flat or b.flat or not a.hash or not b.hash:
        return False, False
    ratio = (a.width * b.height) / max(1, b.width * a.height)
    apart = distances(a.hash, np.frombuffer(b.hash, np.uint8).reshape(1, HASH_BYTES))[0]
    drawing = bool(apart <= ALIKE) and 0.9 < ratio < 1.1
    tones = np.frombuffer(a.tones, np.uint8).astype(float) - np.frombuffer(b.tones, np.uint8)
    return drawing, drawing and float(np.abs(tones).mean()) <= SAME_TONES


def _rank(item: Item, stems: Counter[str]) -> tuple[int, ...]:
    """Order copies: the one that a thing is named after comes first."""
    return (
        int(item.name.backup),
        int(item.use == "icon" or item.name.icon),
        int(bool(item.name.tier) and item.name.tier != "full"),
        int(item.name.role is None),
        -item.area,
        int(bool(item.name.variant)),
        -stems[item.name.stem],
        item.id,
    )


def _placed(thing: str, members: list[Item], stems: Counter[str]) -> dict[int, Place]:
    """Say what each member of a thing is."""
    out: dict[int, Place] = {}
    first_of: dict[str, Item] = {}
    mains: dict[tuple[Role, str], list[Item]] = defaultdict(list)
    for item in sorted(members, key=lambda i: _rank(i, stems)):
        if item.role is None or not item.width:
            out[item.id] = Place(thing, Relation.COMPANION, f"named like the rest of {thing}")
            continue
        twin = first_of.get(item.sha256)
        if twin is not None:
            relation = Relation.BACKUP if item.name.backup else Relation.TWIN
            why = f"the same bytes as {twin.path}"
            if item.name.backup:
                why += "; its name says that it is kept as a copy"
            out[item.id] = Place(thing, relation, why, twin.id)
            continue
        first_of[item.sha256] = item
        out[item.id] = _one(thing, item, mains)
        if out[item.id].relation in (Relation.MAP, Relation.VARIANT, Relation.ICON):
            mains[item.role, ""].append(item)
    return out


def _one(thing: str, item: Item, mains: dict[tuple[Role, str], list[Item]]) -> Place:
    assert item.role is not None
    others = mains[item.role, ""]
    title = ROLES[item.role].title.lower()
    for other in others:
        drawing, colours = alike(other, item)
        share = item.area / max(1, other.area)
        tiered = share < 0.9 and _named_smaller(other, item)
        if (drawing and colours) or tiered:
            if item.name.backup:
                why = f"the picture of {other.path}; its name says that it is kept as a copy"
                return Place(thing, Relation.BACKUP, why, other.id)
            if share < 0.9:
                side = round(share**-0.5)
                word = {2: "half", 4: "a quarter of", 8: "an eighth of"}.get(side, "smaller than")
                why = f"the picture of {other.path} at {word} the size"
                return Place(thing, Relation.SMALLER, why, other.id)
            why = f"the picture of {other.path}, as {item.format.upper() or 'another file'}"
            return Place(thing, Relation.TWIN, why, other.id)
    if item.name.backup:
        return Place(thing, Relation.BACKUP, "its name says that it is kept as a copy")
    if item.use == "icon":
        return Place(thing, Relation.ICON, "looks like an icon, not like a wrapped surface")
    for other in others:
        if other.use == "icon":
            continue
        drawing, _ = alike(other, item)
        if drawing:
            return Place(
                thing, Relation.VARIANT, f"drawn like {other.path}, in other colours", other.id
            )
        if item.name.variant != other.name.variant:
            words = item.name.variant or "plain"
            return Place(thing, Relation.VARIANT, f"its name says “{words}”", other.id)
    return Place(thing, Relation.MAP, f"the {title} of {thing}")


def _named_smaller(whole: Item, item: Item) -> bool:
    """Tell whether a name says that an item is a smaller copy, and its colours do not object.

    In small copies fine drawing is lost, so that their hashes need not be near.
    """
    if not item.name.tier or (item.name.stem, item.name.variant) != (
        whole.name.stem,
        whole.name.variant,
    ):
        return False
    tones = np.frombuffer(item.tones, np.uint8).astype(float) - np.frombuffer(whole.tones, np.uint8)
    return float(np.abs(tones).mean()) <= SAME_TONES


def _same_pictures(items: list[Item]) -> Iterable[tuple[Item, Item]]:
    """Yield pairs of one picture in several files.

    Hashes that differ in few bits agree wholly in some of their sixteen-bit parts, since few
    differences cannot hit all parts (pigeonhole); so only files that share a part are compared.
    """
    by_bytes: dict[str, Item] = {}
    unique: list[Item] = []
    for item in items:
        known = by_bytes.get(item.sha256)
        if known is not None:
            yield known, item
        else:
            by_bytes[item.sha256] = item
            unique.append(item)
    if len(unique) < 2:
        return
    hashes: NDArray[np.uint8] = np.frombuffer(b"".join(i.hash for i in unique), np.uint8).reshape(
        -1, HASH_BYTES
    )
    parts, wide = hashes.view(np.uint16), hashes.view(np.uint64)
    seen: set[tuple[int, int]] = set()
    for column in range(parts.shape[1]):
        order = np.argsort(parts[:, column], kind="stable")
        keys = parts[order, column]
        # Files that share a part stand side by side now; each is compared with those behind it.
        for shift in range(1, min(_MOST_BUCKET, len(order))):
            same = keys[shift:] == keys[:-shift]
            if not same.any():
                break
            first, second = order[:-shift][same], order[shift:][same]
            apart = np.bitwise_count(wide[first] ^ wide[second]).sum(axis=1)
            near = apart <= ALIKE
            for a, b in zip(first[near].tolist(), second[near].tolist(), strict=True):
                pair = (min(a, b), max(a, b))
                if pair not in seen:
                    seen.add(pair)
                    one, other = unique[pair[0]], unique[pair[1]]
                    if alike(one, other)[1]:
                        yield one, other
