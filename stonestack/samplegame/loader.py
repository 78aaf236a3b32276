"""The game's loader: strict, and it says in a log what it read, refused and fell back to.

A game folder holds::

    room.json           which material each object of the room wears; a profile may shift colours
                        on import: {"import": {"gain": [red, green, blue]}}
    base/               the game's own materials/ and textures/
    base/*.hold         containers (ZIP) with more of the same; a loose file wins over them,
                        and of one name twice in a container the last
    deliveries.json     which deliveries are loaded, in order; the last one wins
    deliveries/NAME-…/  each with materials/ and textures/ of its own

A delivery may replace what the game has; it cannot add names. A file whose name the game
does not know is ignored, as games do.
"""

from __future__ import annotations

import json
import re
import zipfile
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path, PurePosixPath
from typing import Any

from stonestack.core.files.codecs import dds
from stonestack.core.files.codecs.sniff import FileKind, kind_by_content
from stonestack.core.files.codecs.texture import Texture
from stonestack.core.picture.mips import level_count
from stonestack.core.runtime.errors import ZIP_DAMAGE, BadFile, StoneError

SLOTS = ("colour", "normal", "shine", "opening")
_MOST_FILE = 64 << 20


class Word(StrEnum):
    """What the loader did with a file."""

    READ = "read"
    REFUSED = "refused"
    IGNORED = "ignored"
    MISSING = "missing"
    NOTE = "note"


@dataclass(frozen=True)
class LogLine:
    """One line of the loader's log."""

    word: Word
    path: str
    text: str


@dataclass(frozen=True)
class Loaded:
    """A texture in the game's memory: the very bytes of its file, and what they are."""

    path: str
    texture: Texture


@dataclass(frozen=True)
class Wear:
    """What an object wears: a material with the textures of its slots.

    A slot whose texture could not be found at all holds None: the placeholder shows.
    """

    name: str
    gloss: float
    cutout: bool
    metres: float
    slots: dict[str, Loaded | None]
    path: str


@dataclass
class Room:
    """All that the game has loaded."""

    wears: dict[str, Wear | None]
    gain: tuple[float, float, float] = (1.0, 1.0, 1.0)
    """What linear colour is multiplied by on import."""
    log: list[LogLine] = field(default_factory=list)


class NoGame(StoneError):
    """The folder is not a game folder."""


def load(folder: Path, deliveries: bool = True) -> Room:
    """Read a game folder.

    Parameters
    ----------
    folder : Path
    deliveries : bool
        False shows the game as it came.

    Raises
    ------
    NoGame
        If there is no readable ``room.json``.
    """
    return _Loading(folder, deliveries).room()


class _Loading:
    """One pass over a game folder."""

    def __init__(self, folder: Path, deliveries: bool) -> None:
        self.folder = folder
        self.log: list[LogLine] = []
        self.looked_up: set[str] = set()
        try:
            self.plan = json.loads((folder / "room.json").read_text())
            self.objects: dict[str, str] = dict(self.plan["objects"])
            self.largest = int(self.plan["largest"])
        except (OSError, ValueError, KeyError, TypeError) as error:
            raise NoGame(
                "no-game",
                f"{folder} is not a Saltglass game folder.",
                "Name a folder that holds a readable room.json.",
            ) from error
        base = folder / "base"
        self.held = self._holds(base)
        self.known = {p.relative_to(base).as_posix() for p in base.rglob("*") if p.is_file()}
        self.known |= set(self.held)
        self.layers = [*self._deliveries(), "base"] if deliveries else ["base"]
        self.textures: dict[str, Loaded | None] = {}

    def say(self, word: Word, path: str, text: str) -> None:
        self.log.append(LogLine(word, path, text))

    def _holds(self, base: Path) -> dict[str, tuple[Path, zipfile.ZipInfo]]:
        """Return what the game's containers hold, by the path that it is looked up by."""
        held: dict[str, tuple[Path, zipfile.ZipInfo]] = {}
        for place in sorted(base.glob("*.hold")):
            try:
                with zipfile.ZipFile(place) as file:
                    held |= {info.filename: (place, info) for info in file.infolist()}
            except ZIP_DAMAGE as error:
                self.say(Word.REFUSED, f"base/{place.name}", f"is no container: {error}")
        return held

    def _deliveries(self) -> list[str]:
        """Return the folders of the deliveries, the one that wins first."""
        try:
            listed = json.loads((self.folder / "deliveries.json").read_text())["order"]
            names = [str(entry["folder"]) for entry in listed]
        except FileNotFoundError:
            return []
        except (OSError, ValueError, KeyError, TypeError):
            self.say(Word.REFUSED, "deliveries.json", "cannot be read; no delivery is loaded")
            return []
        found = []
        for name in reversed(names):
            plain = re.fullmatch(r"[a-z0-9_-]+", name)
            if plain and (self.folder / "deliveries" / name).is_dir():
                found.append(f"deliveries/{name}")
            else:
                self.say(Word.MISSING, f"deliveries/{name}", "is listed but not there")
        return found

    def room(self) -> Room:
        wears = {thing: self._wear(name) for thing, name in self.objects.items()}
        for layer in self.layers:
            if layer != "base":
                self._mention_ignored(layer)
        return Room(wears, self._gain(), self.log)

    def _gain(self) -> tuple[float, float, float]:
        """Return the colour shift that the game's profile asks for on import."""
        try:
            red, green, blue = map(float, self.plan.get("import", {}).get("gain", (1, 1, 1)))
        except (TypeError, ValueError, AttributeError):
            self.say(Word.REFUSED, "room.json", "its import profile makes no sense")
            return 1.0, 1.0, 1.0
        gain = tuple(min(4.0, max(0.0, part)) for part in (red, green, blue))
        if gain != (1.0, 1.0, 1.0):
            words = ", ".join(f"{part:g}" for part in gain)
            self.say(Word.NOTE, "room.json", f"colours are shifted on import, by {words}")
        return gain[0], gain[1], gain[2]

    def _wear(self, name: str) -> Wear | None:
        path = f"materials/{name}.json"
        for layer in self.layers:
            data = self._bytes(layer, path)
            if data is None:
                continue
            try:
                wear = self._material(name, layer, json.loads(data))
            except (ValueError, TypeError, KeyError, AttributeError) as error:
                self.say(Word.REFUSED, f"{layer}/{path}", f"is not a material: {error}")
                continue
            self.say(Word.READ, f"{layer}/{path}", "material")
            return wear
        self.say(Word.MISSING, path, "no such material; the placeholder shows")
        return None

    def _material(self, name: str, layer: str, data: dict[str, Any]) -> Wear:
        slots: dict[str, str] = {}
        for slot, link in dict(data["textures"]).items():
            if slot not in SLOTS:
                self.say(Word.IGNORED, f"{layer}/materials/{name}.json", f"unknown slot {slot}")
                continue
            slots[slot] = self._resolved(str(link))
        metres, gloss = float(data["metres"]), float(data["gloss"])
        if not (0.01 < metres < 1000 and 0 <= gloss <= 1):
            raise ValueError("metres or gloss is out of range")
        textures = {slot: self._texture(path) for slot, path in slots.items()}
        return Wear(
            name,
            gloss,
            bool(data.get("cutout")),
            metres,
            textures,
            f"{layer}/materials/{name}.json",
        )

    def _resolved(self, link: str) -> str:
        """Return the path below a layer that a material's link means.

        Raises
        ------
        ValueError
            If it is absolute, climbs out, or names what the game does not have.
        """
        if "\\" in link or ":" in link or link.startswith("/"):
            raise ValueError(f"“{link}” is not a relative path")
        parts: list[str] = ["materials"]
        for part in PurePosixPath(link).parts:
            if part == "..":
                if not parts:
                    raise ValueError(f"“{link}” climbs out of its delivery")
                parts.pop()
            else:
                parts.append(part)
        path = "/".join(parts)
        if path not in self.known:
            raise ValueError(f"the game has no {path}")
        return path

    def _texture(self, path: str) -> Loaded | None:
        if path not in self.textures:
            self.textures[path] = self._find_texture(path)
        return self.textures[path]

    def _find_texture(self, path: str) -> Loaded | None:
        for layer in self.layers:
            data = self._bytes(layer, path)
            if data is None:
                continue
            try:
                texture = self._checked(data)
            except BadFile as error:
                self.say(Word.REFUSED, f"{layer}/{path}", error.message)
                continue
            size = f"{texture.width} × {texture.height}"
            self.say(Word.READ, f"{layer}/{path}", f"{texture.format.upper()} {size}")
            return Loaded(f"{layer}/{path}", texture)
        self.say(Word.MISSING, path, "no such texture; the placeholder shows")
        return None

    def _checked(self, data: bytes) -> Texture:
        if kind_by_content(data) is not FileKind.DDS:
            kind = kind_by_content(data)
            raise BadFile("not-dds", f"is {kind} inside, though it is called .dds", "")
        texture = dds.read(data)
        width, height = texture.width, texture.height
        if width & (width - 1) or height & (height - 1) or max(width, height) > self.largest:
            raise BadFile("size", f"{width} × {height} is not a size that Saltglass takes", "")
        if texture.elements != 1:
            raise BadFile("elements", "it is a cube map or an array, not one picture", "")
        if len(texture.levels) != level_count(width, height):
            raise BadFile("levels", "its smaller levels are missing", "")
        return texture

    def _bytes(self, layer: str, path: str) -> bytes | None:
        self.looked_up.add(f"{layer}/{path}")
        file = self.folder / layer / path
        try:
            if file.stat().st_size > _MOST_FILE:
                self.say(Word.REFUSED, f"{layer}/{path}", "is too large")
                return None
            return file.read_bytes()
        except FileNotFoundError:
            return self._from_hold(path) if layer == "base" else None
        except OSError as error:
            self.say(Word.REFUSED, f"{layer}/{path}", f"cannot be read: {error.strerror}")
            return None

    def _from_hold(self, path: str) -> bytes | None:
        if path not in self.held:
            return None
        place, info = self.held[path]
        try:
            with zipfile.ZipFile(place) as file:
                data = file.read(info)
        except ZIP_DAMAGE as error:
            self.say(Word.REFUSED, f"base/{place.name}/{path}", f"cannot be read: {error}")
            return None
        self.say(Word.NOTE, f"base/{place.name}/{path}", "out of its container")
        return data

    def _mention_ignored(self, layer: str) -> None:
        root = self.folder / layer
        for file in sorted(p for p in root.rglob("*") if p.is_file()):
            path = file.relative_to(root).as_posix()
            if path == "delivery.json" or f"{layer}/{path}" in self.looked_up:
                continue
            why = (
                "nothing in the room uses it" if path in self.known else _nearest(path, self.known)
            )
            self.say(Word.IGNORED, f"{layer}/{path}", why)


def _nearest(path: str, known: set[str]) -> str:
    """Say that a name is unknown, and which known name is one slip away."""
    import difflib

    close = difflib.get_close_matches(path, sorted(known), n=1, cutoff=0.9)
    hint = f"; there is {close[0]}" if close else ""
    return f"the game looks up no such name{hint}"
