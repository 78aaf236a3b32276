#!/usr/bin/env python3
"""Set up, start and test Stone Stack. Needs nothing but Python, Node and git.

python3 run.py demo     start with the demo project
python3 run.py serve    start with your own data
python3 run.py setup    set up only
python3 run.py test     run every check, and the tests of every run
python3 run.py sweep    the slow ones beside: journeys, seeds, busy (docs/architecture.md)
"""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).resolve().parent
VENV = ROOT / ".venv"
FRONTEND = ROOT / "frontend"
MARKS = ROOT / ".setup"
BIN = VENV / ("Scripts" if os.name == "nt" else "bin")
EXE = ".exe" if os.name == "nt" else ""
PYTHON = BIN / f"python{EXE}"
LEAST_PYTHON, LEAST_NODE = (3, 11), 20
COMMANDS = ("setup", "demo", "serve", "test", "sweep")
BROWSERS = ("chromium-headless-shell", "chromium")
"""Debian's packages; the first draws no window, and so leaves more of the machine to tests."""


class Missing(Exception):
    """Something that has to be there first, in one clear line."""


def main() -> int:
    command = sys.argv[1] if len(sys.argv) > 1 else ""
    if command not in COMMANDS:
        print(__doc__)
        return 2
    # Modules are compiled when they are first used, and kept: else each start takes far longer.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    try:
        if command == "test":
            return test()
        setup()
        if command == "setup":
            print("Set up. Start with: python3 run.py demo")
            return 0
        if command == "sweep":
            environment = {**os.environ, "STONE_STACK_BROWSER": browser()}
            return subprocess.call(
                [PYTHON, "-m", "tests.sweep", *sys.argv[2:]], cwd=ROOT, env=environment
            )
        return subprocess.call([BIN / f"stone-stack{EXE}", command, *sys.argv[2:]])
    except Missing as missing:
        print(missing, file=sys.stderr)
        return 1
    except subprocess.CalledProcessError as error:
        words = " ".join(str(part) for part in error.cmd)
        print(f"This failed: {words}\nRun it again; what was done is kept.", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        return 130


# ---- Set-up: each part is skipped while what it depends on is unchanged -----------------


def setup() -> None:
    begin()
    side_by_side(setup_python, setup_node)


def begin() -> None:
    """See that this Python will do."""
    if sys.version_info < LEAST_PYTHON:
        wanted = ".".join(map(str, LEAST_PYTHON))
        raise Missing(
            f"Stone Stack needs Python {wanted} or newer; this is {sys.version.split()[0]}."
        )
    MARKS.mkdir(exist_ok=True)


def setup_python() -> None:
    setup_packages()
    setup_kernels()


def setup_packages() -> None:
    part("python", [ROOT / "pyproject.toml", ROOT / "requirements.lock"], install_python, PYTHON)


def setup_kernels() -> None:
    kernels = sorted((ROOT / "stonestack" / "core").rglob("*.py"))
    part("kernels", [*kernels, ROOT / "requirements.lock"], compile_kernels, MARKS)


def setup_node() -> None:
    modules = FRONTEND / "node_modules"
    part("node", [FRONTEND / "package-lock.json"], install_node, modules)
    sources = [
        p
        for pattern in ("src/**/*", "room/**/*", "*.ts", "*.html", "package.json")
        for p in FRONTEND.glob(pattern)
        if p.is_file()
    ]
    part("pages", sources, build_pages, ROOT / "stonestack" / "web" / "static" / "index.html")


def side_by_side(*works) -> list:
    """Do independent work at once; what goes wrong in any of it is raised when all have ended."""
    with ThreadPoolExecutor(len(works)) as pool:
        return [each.result() for each in [pool.submit(work) for work in works]]


def part(name: str, inputs: list[Path], work, made: Path) -> None:
    """Do a part unless its mark says that it was finished with these very inputs."""
    digest = hashlib.sha256(sys.version.encode())
    for path in sorted(inputs):
        digest.update(path.relative_to(ROOT).as_posix().encode() + path.read_bytes())
    mark = MARKS / name
    if made.exists() and mark.is_file() and mark.read_text() == digest.hexdigest():
        return
    mark.unlink(missing_ok=True)  # An interrupted part has no mark, so it is done again.
    started = time.monotonic()
    work()
    mark.write_text(digest.hexdigest())
    print(f"  {name}: done in {time.monotonic() - started:.0f} s", flush=True)


def install_python() -> None:
    print("Installing the Python packages …", flush=True)
    if not PYTHON.exists() or subprocess.call(
        [PYTHON, "-m", "pip", "--version"], stdout=subprocess.DEVNULL
    ):
        shutil.rmtree(VENV, ignore_errors=True)
        subprocess.check_call([sys.executable, "-m", "venv", VENV])
    pip = [PYTHON, "-m", "pip", "install", "--quiet", "--disable-pip-version-check", "--no-compile"]
    # Modules are compiled when they are first used; most never are.
    wanted = ["--constraint", ROOT / "requirements.lock", "--editable", f"{ROOT}[dev]"]
    # It installs the same releases in a third of the time; a new pip in half of it.
    uv = BIN / f"uv{EXE}"
    newer = [*pip, "--upgrade", "pip", "uv"]
    if subprocess.run(newer, capture_output=True).returncode == 0 and uv.exists():
        words = [uv, "pip", "install", "--quiet", "--python", PYTHON, *wanted]
        if subprocess.run(words, capture_output=True).returncode == 0:
            return
    print("uv is not to be had or finds no packages; pip takes longer.", flush=True)
    subprocess.check_call([*pip, *wanted])


def npm() -> str:
    node, found = shutil.which("node"), shutil.which("npm")
    if node is None or found is None:
        raise Missing(f"Stone Stack needs Node {LEAST_NODE} or newer with npm; none is found.")
    version = subprocess.check_output([node, "--version"], text=True).strip()
    match = re.match(r"v(\d+)", version)
    if match is None or int(match[1]) < LEAST_NODE:
        raise Missing(f"Stone Stack needs Node {LEAST_NODE} or newer; this is {version}.")
    return found


def install_node() -> None:
    command = npm()
    print("Installing the front end's packages …", flush=True)
    subprocess.check_call(
        [command, "ci", "--no-audit", "--no-fund", "--loglevel=error"], cwd=FRONTEND
    )


def build_pages() -> None:
    command = npm()
    print("Building the pages …", flush=True)
    subprocess.check_call([command, "run", "--silent", "build"], cwd=FRONTEND)


def compile_kernels() -> None:
    print("Compiling the kernels …", flush=True)
    subprocess.check_call([PYTHON, "-m", "stonestack.core.tools.compiling"], cwd=ROOT)


# ---- Tests -------------------------------------------------------------------------------


def browser() -> str:
    """Return Chromium's place; Debian's package is installed where no browser is found."""
    named = os.environ.get("STONE_STACK_BROWSER")
    for name in [named] if named else [*BROWSERS, "chromium-browser", "google-chrome", "chrome"]:
        found = shutil.which(name)
        if found:
            return found
    if named is None and shutil.which("apt-get"):
        print("Installing Chromium …", flush=True)
        sudo = [] if os.geteuid() == 0 else ["sudo"]
        told = {
            "env": {**os.environ, "DEBIAN_FRONTEND": "noninteractive"},
            "stdout": subprocess.DEVNULL,
        }
        subprocess.check_call([*sudo, "apt-get", "update", "-qq"], **told)
        for package in BROWSERS:
            subprocess.call([*sudo, "apt-get", "install", "-y", "-qq", package], **told)
            found = shutil.which(package)
            if found:
                return found
    raise Missing("The browser tests need Chromium; name one in STONE_STACK_BROWSER.")


def test() -> int:
    """Set up, check and test; what needs only a part of the set-up begins when that is done."""
    begin()
    command = npm()
    node = [command, "run", "--silent"]
    python = [
        ("types of the API are current", [PYTHON, "-m", "tests.api_types"], ROOT),
        ("layers", [BIN / f"lint-imports{EXE}"], ROOT),
        ("lint, Python", [BIN / f"ruff{EXE}", "check", "."], ROOT),
        ("format, Python", [BIN / f"ruff{EXE}", "format", "--check", "--quiet", "."], ROOT),
        ("types, Python", [BIN / f"mypy{EXE}", "stonestack"], ROOT),
    ]
    typescript = [
        ("types, TypeScript", [*node, "typecheck"], FRONTEND),
        ("lint, TypeScript", [*node, "lint"], FRONTEND),
    ]
    # They take what the kernels, and then the tests, leave of the processor.
    patient = ["nice", "-n", "4"] if shutil.which("nice") else []
    outcomes: list[bool] = []

    def check(title: str, words: list, folder: Path) -> None:
        started = time.monotonic()
        said = subprocess.run(
            [*patient, *words], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        )
        outcomes.append(said.returncode == 0)
        state = "ok" if outcomes[-1] else "FAILED"
        told = said.stdout.decode(errors="replace") if state == "FAILED" else ""
        print(f"{told}{state:7} {title} ({time.monotonic() - started:.0f} s)", flush=True)

    packages, pages = Future(), Future()

    def announced(part_done: Future, work: Callable[[], None]) -> None:
        """Do a part of the set-up, and tell what waits for it."""
        try:
            work()
        except BaseException as error:
            part_done.set_exception(error)
            raise
        part_done.set_result(None)

    def python_side() -> None:
        announced(packages, setup_packages)
        setup_kernels()

    def checks(ready: Future, listed: list) -> None:
        ready.result()
        for each in listed:
            check(*each)

    result = MARKS / "tests.txt"
    result.unlink(missing_ok=True)
    with ThreadPoolExecutor(2) as beside:
        checking = [
            beside.submit(checks, packages, python),
            beside.submit(checks, pages, typescript),
        ]
        *_, chromium = side_by_side(python_side, lambda: announced(pages, setup_node), browser)
        environment = {**os.environ, "STONE_STACK_BROWSER": chromium}
        words = [PYTHON, "-m", "tests.all", result, *sys.argv[2:]]
        subprocess.call(words, cwd=ROOT, env=environment)
        for each in checking:
            each.result()
    passed, failed, skipped = sum(outcomes), outcomes.count(False), 0
    if result.is_file():
        counts = [int(word) for word in result.read_text().split()]
        passed, failed, skipped = passed + counts[0], failed + counts[1], skipped + counts[2]
    else:
        failed += 1
    print(f"{passed} passed, {failed} failed, {skipped} skipped")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
