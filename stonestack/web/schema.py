"""Print the API's OpenAPI description; the front end's types are generated from it."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path
from typing import Any

from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from stonestack.web.app import Described, create_app


def description() -> dict[str, Any]:
    """Return the OpenAPI description of the API."""
    with tempfile.TemporaryDirectory() as folder:
        ws = Workspace(DataFolder(Path(folder)))
        try:
            whole: dict[str, Any] = create_app(ws, Described).api_doc
        finally:
            ws.close()
    return whole


if __name__ == "__main__":
    print(json.dumps(description(), indent=1, sort_keys=True, default=str))
