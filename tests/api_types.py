"""Check that the front end's types are generated from the API as it is now.

``python -m tests.api_types`` checks; with ``--write`` it generates them anew.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from stonestack.web.schema import description

FRONTEND = Path(__file__).resolve().parent.parent / "frontend"
TYPES = FRONTEND / "src" / "api" / "schema.ts"


def generated() -> str:
    """Return what the types would be."""
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder) / "openapi.json", Path(folder) / "schema.ts"
        source.write_text(json.dumps(description(), indent=1, sort_keys=True, default=str))
        npm = shutil.which("npm") or "npm"
        subprocess.run(
            [npm, "exec", "--silent", "--", "openapi-typescript", source, "-o", target],
            cwd=FRONTEND,
            check=True,
            capture_output=True,
        )
        return target.read_text()


def main() -> int:
    """Check or write the types."""
    wanted = generated()
    if "--write" in sys.argv:
        TYPES.write_text(wanted)
        return 0
    if TYPES.read_text() != wanted:
        print("frontend/src/api/schema.ts is out of date.")
        print("Run: .venv/bin/python -m tests.api_types --write")
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
