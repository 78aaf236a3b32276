"""What a file is for, weighed from its name and its pixels, with the reason in words."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache

from stonestack.core.catalogue.filenames import NameParts
from stonestack.core.catalogue.laid import Laid
from stonestack.core.catalogue.looks import GREYS, KIN, Appearance, Look
from stonestack.core.tables.roles import ROLES, Role

_RIM = 0.6
"""An icon's look comes from its rim, from here on; below it, from edges that do not meet."""
_CLEAR_RIM = 0.85
_SPRITE = 512
_SMALL = 64
_CARD = 200
"""Longest side from which on a shape that is cut out is no icon."""
_LONG = 6.0
_PROOF = 0.002
"""How often a picture looks like another kind than its role's: normals, colours or greys."""
_CLEAR_WORD, _LETTER = 0.9, 0.75
"""How often a last word of a name, or a single letter, says what the file is."""
_LONG_WORD = 3
_PLAIN = 0.3
"""Weight of the looks of a picture that has nothing to see, as an exponent."""
CALLED = 0.5
"""How likely a role is at least that is named alone."""
_NAMED = 5


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
        ``surface``, ``icon``, ``sheet`` (several pictures on one), ``card`` (shapes that are cut
        out, as leaves) or ``unknown``.
    use_reason : str
    """

    role: Role
    sure: float
    reason: str
    use: str
    use_reason: str


def guess(name: NameParts, look: Look, width: int, height: int) -> Guess:
    """Weigh a name against the pixels of a game's own file.

    Each role has looks that its pictures usually have and words that usually name it; the two
    are weighed as independent evidence. So pixels decide between normals, colour, packed greys
    and grey; among greys, which pixels hardly tell apart, the name decides.
    """
    return Guess(*_role(name, look), *_use(name, look, width, height))


def guess_raw(name: NameParts, look: Look, width: int, height: int) -> Guess:
    """Weigh a name against the pixels of raw material.

    A photograph's edges do not meet and its sides are no powers of two: that makes it no icon,
    as it would in a game. A clear or plain rim does, and a name that says so.
    """
    return Guess(*_role(name, look), *_raw_use(name, look, width, height))


def _role(name: NameParts, look: Look) -> tuple[Role, float, str]:
    """Weigh both by Bayes' rule, and say what spoke for the outcome."""
    odds = weighed(name.role, name.suffix, look)
    ranked = sorted(odds, key=lambda role: -odds[role])
    best = ranked[0]
    sure = round(odds[best], 2)
    suffix = f"suffix _{name.suffix}"
    if name.role is None:
        if sure >= CALLED or look.appearance not in GREYS:
            return best, sure, look.seen
        several = ", ".join(ROLES[role].title.lower() for role in ranked[:_NAMED])
        seen = "" if look.appearance is Appearance.GREY else f", {look.seen.removeprefix('grey, ')}"
        return best, sure, f"grey: one of {several}, or another{seen}"
    if best is name.role:
        seen = "too plain to tell by pixels" if _plain(look) else look.seen
        return best, sure, f"{suffix}; {seen}"
    title = ROLES[name.role].title.lower()
    return best, sure, f"{look.seen}, though the {suffix} says {title}"


def weighed(word: Role | None, suffix: str, look: Look) -> dict[Role, float]:
    """Return how likely each role is, given what a name says and what a picture looks like.

    Parameters
    ----------
    word : Role or None
        What the last word of the name means.
    suffix : str
        That word.
    look : Look

    Returns
    -------
    dict
        Probabilities; together 1.
    """
    weight = _PLAIN if _plain(look) else 1.0
    said = _CLEAR_WORD if len(suffix) >= _LONG_WORD else _LETTER
    return dict(_odds(word, said, look.appearance, look.sure, weight))


@lru_cache(maxsize=4096)
def _odds(
    word: Role | None, said: float, appearance: Appearance, sure: float, weight: float
) -> tuple[tuple[Role, float], ...]:
    kin = KIN[appearance]
    doubt = (1 - sure) / len(kin)
    odds: dict[Role, float] = {}
    for role, info in ROLES.items():
        seen = sure * _look_of(role, appearance) + doubt * sum(
            _look_of(role, other) for other in kin
        )
        named = 1.0 if word is None else said if role is word else (1 - said) / (len(ROLES) - 1)
        odds[role] = info.common * named * seen**weight
    total = sum(odds.values())
    return tuple((role, value / total) for role, value in odds.items())


def _plain(look: Look) -> bool:
    return look.flat and look.appearance is not Appearance.NORMAL


@cache
def _look_of(role: Role, appearance: Appearance) -> float:
    """Return how often a picture of a role has an appearance.

    What it does not list is rare among greys, and a mistake across kinds: normals are unit
    vectors and nothing else is, and what holds plain numbers has no colours.
    """
    listed = ROLES[role].looks
    if appearance in listed:
        return listed[appearance] / 100
    if appearance in GREYS and any(other in GREYS for other in listed):
        return (1 - sum(listed.values()) / 100) / len(GREYS)
    return _PROOF


def _laid_use(name: NameParts, look: Look, width: int, height: int) -> tuple[str, str] | None:
    if look.laid is Laid.SHEET:
        return "sheet", look.laid_seen
    if look.laid is Laid.CARD and not name.icon and max(width, height) >= _CARD:
        return "card", look.laid_seen
    return None


def _raw_use(name: NameParts, look: Look, width: int, height: int) -> tuple[str, str]:
    if laid := _laid_use(name, look, width, height):
        return laid
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
    if look.appearance is Appearance.NORMAL:
        return "surface", "normals belong to a surface"
    if laid := _laid_use(name, look, width, height):
        return laid
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
    if look.appearance in GREYS and not name.icon:
        score -= 0.4
    if score >= 0.35:
        return "icon", ", ".join(words)
    if score <= -0.15:
        return "surface", look.icon_seen
    return "unknown", "neither its edges nor its name tell"
