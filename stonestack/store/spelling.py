"""Places in a game folder, in the spelling that the game itself uses."""

from __future__ import annotations

from pathlib import Path, PurePosixPath

from stonestack.core.runtime.errors import BadRequest


class Spelling:
    """The names in folders, as the game spells them; each folder is listed once.

    Many games take no notice of capitals, so a file or folder that differs in them alone is the
    same one.
    """

    def __init__(self) -> None:
        self._listed: dict[Path, dict[str, str]] = {}

    def of(self, folder: Path, name: str) -> str:
        """Return the name that a folder has for what is asked for, or that itself."""
        if folder not in self._listed:
            names = sorted(e.name for e in folder.iterdir()) if folder.is_dir() else []
            self._listed[folder] = {n.lower(): n for n in reversed(names)} | {n: n for n in names}
        known = self._listed[folder]
        return known.get(name) or known.get(name.lower()) or name


def place_below(root: Path, path: str, spelling: Spelling) -> str:
    """Return the path of a file below a game folder, in the spelling that the game uses.

    Raises
    ------
    BadRequest
        If the path leads outside of the game, or through a file.
    """
    at = root
    for part in PurePosixPath(path).parts:
        if at.is_file():
            raise BadRequest(
                "not-a-folder",
                f"{at.relative_to(root).as_posix()} is a file, not a folder.",
                "Choose another folder inside the game.",
            )
        at = at / spelling.of(at, part)
    if root.resolve() not in at.resolve().parents:
        raise BadRequest(
            "outside-game",
            f"{path} leads outside of the game folder.",
            "Choose a folder inside the game.",
        )
    if at.is_dir():
        raise BadRequest(
            "not-a-file",
            f"{at.relative_to(root).as_posix()} is a folder of the game.",
            "Give the map another file name.",
        )
    return at.relative_to(root).as_posix()
