"""Where the data folder is, and what lies where in it."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path

VARIABLE = "STONE_STACK_DATA"


@dataclass(frozen=True)
class DataFolder:
    """The user's data: everything that Stone Stack keeps lies below ``root``."""

    root: Path

    @property
    def database(self) -> Path:
        """Names, links and history."""
        return self.root / "stonestack.sqlite3"

    @property
    def copies(self) -> Path:
        """Copies of the database, the last five."""
        return self.root / "copies"

    @property
    def files(self) -> Path:
        """Imported files, by content hash; never changed."""
        return self.root / "files"

    @property
    def cache(self) -> Path:
        """Rendered stages; may be emptied at any time."""
        return self.root / "cache"

    @property
    def builds(self) -> Path:
        """Built deliveries."""
        return self.root / "builds"

    @property
    def safe(self) -> Path:
        """Originals of games, by content hash; never changed."""
        return self.root / "safe"

    @property
    def journal(self) -> Path:
        """Changes of game folders that are under way."""
        return self.root / "journal"

    @property
    def coming(self) -> Path:
        """Notes of files that are being brought in."""
        return self.journal / "coming"

    @property
    def doors(self) -> Path:
        """Who holds which game folder's door."""
        return self.journal / "doors"

    @property
    def working(self) -> Path:
        """Working files for outside image editors, a folder a project; watched."""
        return self.root / "working"

    def made(self) -> DataFolder:
        """Make the folders where they are missing, and return self."""
        for folder in (self.root, self.files, self.cache, self.builds, self.safe, self.working):
            folder.mkdir(parents=True, exist_ok=True)
        # Whoever cannot enter the data folder reaches nothing that lies in it.
        self.root.chmod(0o700)
        return self


def default_data_folder(name: str = "stone-stack") -> DataFolder:
    """Return the folder that STONE_STACK_DATA names, or the platform's usual place."""
    import platformdirs

    named = os.environ.get(VARIABLE)
    root = Path(named) if named else Path(platformdirs.user_data_dir(name, appauthor=False))
    return DataFolder(root.expanduser().resolve())
