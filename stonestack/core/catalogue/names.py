"""What a file's name says: which thing, which map, which size, which variant, or a backup.

Names are evidence, not proof; :mod:`.guess` weighs them against the pixels.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache

from stonestack.core.roles import Role


def _words(text: str) -> frozenset[str]:
    return frozenset(text.split())


SUFFIXES: dict[str, Role] = {word: role for role in Role for word in role.info.words.split()}
"""Last words of names that say what a map is for."""

TIERS: dict[str, str] = {
    "full": "full",
    "hi": "full",
    "half": "half",
    "med": "half",
    "quarter": "quarter",
    "lo": "quarter",
    "low": "quarter",
}
"""Words for copies of one thing in several sizes."""

VARIANTS = _words(
    """
    spring summer autumn winter dry wet flooded day night dark light red blue green yellow
    white black grey old new clean dirty worn east west north south open closed lit unlit
    """
)
"""Words for one thing in another colour, season or state."""

ICONS = _words(
    """
    ico icon icons ui gui hud btn button menu spr sprite sprites thumb
    """
)
"""Words for pictures of things on a screen of the game."""

_BACKUP_WORDS = _words(
    """
    bak backup backups orig original originals copy save saved
    """
)
_BACKUP_TAIL = re.compile(
    r"(\.(bak|old|orig|save|backup)$)|(~$)|(\s*[-–]\s*copy( \d+)?$)|(^copy( \d+)? of )|(\(\d+\)$)"
)
_PARTS = re.compile(r"[\s_.\-]+|(?<=[a-z])(?=[A-Z])")


@dataclass(frozen=True)
class NameParts:
    """A name taken apart.

    Parameters
    ----------
    stem : str
        What is left when all else is taken off: the thing's own name, small letters.
    role : Role or None
        What the suffix says.
    tier, variant : str
        Size tier and variant words, or empty.
    icon, backup : bool
        Whether words say that it is an icon, or a copy that somebody keeps.
    """

    stem: str
    role: Role | None
    suffix: str
    tier: str
    variant: str
    icon: bool
    backup: bool


def folded(text: str) -> str:
    """Return text as it is compared: one Unicode form, small letters."""
    return unicodedata.normalize("NFC", text).casefold()


@lru_cache(maxsize=1 << 13)
def _folder_words(place: str) -> frozenset[str]:
    return frozenset(w for part in place.split("/") for w in _PARTS.split(folded(part)) if w)


@lru_cache(maxsize=1 << 16)
def parts(path: str) -> NameParts:
    """Take a path below a game folder apart.

    Parameters
    ----------
    path : str
        With forward slashes; containers stand in it as if they were folders.
    """
    place, _, name = path.rpartition("/")
    folder = _folder_words(place)
    bare = folded(name)
    backup = bool(_BACKUP_WORDS & folder)
    while (cut := _BACKUP_TAIL.search(bare)) is not None and cut.group():
        backup = True
        bare = (bare[: cut.start()] + bare[cut.end() :]).strip()
    base, dot, extension = bare.rpartition(".")
    if not dot or len(extension) > 5:
        base = bare
    while (cut := _BACKUP_TAIL.search(base)) is not None and cut.group():
        backup = True
        base = (base[: cut.start()] + base[cut.end() :]).strip()
    words = [w for w in _PARTS.split(base) if w]
    kept: list[str] = []
    role, suffix, tier, variant = None, "", "", ""
    icon = bool(ICONS & folder)
    for i, word in enumerate(words):
        last = i > 0 and all(
            w in SUFFIXES or w in TIERS or w in VARIANTS or w in _BACKUP_WORDS or _is_size(w)
            for w in words[i:]
        )
        if word in ICONS:
            icon = True
        elif word in _BACKUP_WORDS and (i > 0 or len(words) > 1):
            backup = True
        elif i > 0 and word in TIERS:
            tier = TIERS[word]
        elif last and _is_size(word):
            tier = word
        elif last and word in SUFFIXES:
            role, suffix = SUFFIXES[word], word
        elif i > 0 and word in VARIANTS:
            variant = f"{variant} {word}".strip()
        else:
            kept.append(word)
    for word in folder:
        if not tier and word in TIERS:
            tier = TIERS[word]
    return NameParts("_".join(kept) or base, role, suffix, tier, variant, icon, backup)


def _is_size(word: str) -> bool:
    return word.isdigit() and len(word) >= 2 and int(word) in (64, 128, 256, 512, 1024, 2048, 4096)
