"""What a file is for, weighed from its name and its pixels, with the reason in words."""

from __future__ import annotations

from dataclasses import dataclass

from stonestack.core.catalogue.looks import Look
from stonestack.core.catalogue.names import NameParts
from stonestack.core.roles import ROLES, Role, of_look

_RIM = 0.6
"""An icon's look comes from its rim, from here on; below it, from edges that do not meet."""
_CLEAR_RIM = 0.85
_SPRITE = 512
_SMALL = 64
_LONG = 6.0
_BY_NAME = 0.85
_ONE_OF_MANY = 0.45


@dataclass(frozen=True)
class Guess:
    """What a picture is for.

    Parameters
    ----------
    role : Role
    sure : float
        0..1.
    reason : str
        In words.
    use : str
        ``surface``, ``icon`` or ``unknown``.
    use_reason : str
    """

    role: Role
    sure: float
    reason: str
    use: str
    use_reason: str


def guess(name: NameParts, look: Look, width: int, height: int) -> Guess:
    """Weigh a name against the pixels of a game's own file.

    Pixels decide between normals, colour and grey; among greys, which pixels cannot tell
    apart, the name decides.
    """
    return Guess(*_role(name, look), *_use(name, look, width, height))


def guess_raw(name: NameParts, look: Look, width: int, height: int) -> Guess:
    """Weigh a name against the pixels of raw material.

    A photograph's edges do not meet and its sides are no powers of two: that makes it no icon,
    as it would in a game. A clear or plain rim does, and a name that says so.
    """
    return Guess(*_role(name, look), *_raw_use(name, look, width, height))


def _role(name: NameParts, look: Look) -> tuple[Role, float, str]:
    """Weigh both: a clear suffix is beaten only by proof, and without one pixels decide."""
    by_pixels = of_look(look.family)
    if name.role is None:
        if look.family == "grey":
            several = ", ".join(ROLES[role].title.lower() for role in by_pixels[:4])
            return by_pixels[0], _ONE_OF_MANY, f"grey: one of {several} or another"
        sure = 0.4 if look.flat and look.family == "colour" else look.sure
        return by_pixels[0], sure, look.seen
    suffix = f"suffix _{name.suffix}"
    if name.role in by_pixels:
        return name.role, min(0.98, round(look.sure + 0.15, 2)), f"{suffix}; {look.seen}"
    if look.flat:
        return name.role, 0.6, f"{suffix}; too plain to tell by pixels"
    if not _disproved(name.role, look):
        return name.role, _BY_NAME, f"{suffix}; {look.seen}"
    title = ROLES[name.role].title.lower()
    sure = _ONE_OF_MANY if look.family == "grey" else round(look.sure - 0.15, 2)
    return by_pixels[0], sure, f"{look.seen}, though the {suffix} says {title}"


def _disproved(role: Role, look: Look) -> bool:
    """Tell whether pixels prove that a picture is not of a role.

    Normals are unit vectors and nothing else is; what holds plain numbers has no colours; but
    colour may be grey all over.
    """
    return "normal" in (look.family, *ROLES[role].looks) or look.family == "colour"


def _raw_use(name: NameParts, look: Look, width: int, height: int) -> tuple[str, str]:
    if name.icon:
        return "icon", "its name or folder says so"
    # A photograph may lie on plain ground, but not on clear.
    if look.icon >= (_RIM if max(width, height) <= _SPRITE else _CLEAR_RIM):
        return "icon", look.icon_seen
    if max(width, height) <= _SMALL:
        return "unknown", "too small to tell"
    long = max(width, height) / max(1, min(width, height))
    if long > _LONG:
        return "unknown", f"{long:.0f} times as long as wide"
    return "surface", look.icon_seen if look.icon < 0 else "a picture that fills its frame"


def _use(name: NameParts, look: Look, width: int, height: int) -> tuple[str, str]:
    if look.family == "normal":
        return "surface", "normals belong to a surface"
    score, words = look.icon, [look.icon_seen]
    powers = all(side & (side - 1) == 0 for side in (width, height))
    if not powers:
        score += 0.3
        words.append("its sides are no powers of two")
    if max(width, height) <= 128 and score > -0.5:
        score += 0.15
        words.append("it is small")
    if name.icon:
        score += 0.35
        words.append("its name or folder says so")
    elif name.role is not None:
        score -= 0.25
    if look.family in ("grey", "mask") and not name.icon:
        score -= 0.4
    if score >= 0.35:
        return "icon", ", ".join(words)
    if score <= -0.15:
        return "surface", look.icon_seen
    return "unknown", "neither its edges nor its name tell"
