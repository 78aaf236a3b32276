"""The game's own little server: the room's page, and the textures it has in memory.

It reads the game folder and nothing else, and keeps what it loaded until told to reload.
"""

from __future__ import annotations

import hashlib
import hmac
import threading
from pathlib import Path
from typing import Any

from flask import Flask, Response, jsonify, request, send_from_directory

from stonestack.samplegame import updating
from stonestack.samplegame.loader import Loaded, Room, load
from stonestack.samplegame.updating import UPDATE, BadUpdate

STATIC = Path(__file__).with_name("static")
LOG_FILE = "saltglass.log"


class Game:
    """What is in the game's memory now."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._lock = threading.Lock()
        updating.finish(folder)
        self.reload()

    def reload(self) -> None:
        """Read the folder anew."""
        with self._lock:
            self.ours = load(self.folder)
            self.original = load(self.folder, deliveries=False)
            self.turn = getattr(self, "turn", 0) + 1
            lines = [f"{line.word:8} {line.path}  {line.text}" for line in self.ours.log]
            updating.write_plainly(self.folder / LOG_FILE, "\n".join(lines) + "\n")

    def update(self) -> int:
        """Bring the game's own files to the version that waits beside it, as games do.

        Only files that differ are written. Returns how many were.
        """
        with self._lock:
            written = updating.update(self.folder)
        self.reload()
        return written

    def texture(self, which: str, thing: str, slot: str) -> Loaded | None:
        """Return the texture of an object's slot."""
        room = self.original if which == "original" else self.ours
        wear = room.wears.get(thing)
        return wear.slots.get(slot) if wear else None


def create_app(folder: Path, key: str) -> Flask:
    """Make the game's web application.

    Parameters
    ----------
    folder : Path
        The game folder.
    key : str
        Opened once with ``?key=`` and this, the browser has a cookie; others are not answered.
    """
    app = Flask(__name__, static_folder=None)
    game = Game(folder)
    value = hmac.new(key.encode(), b"cookie", hashlib.sha256).hexdigest()
    cookie = f"saltglass-{value[:8]}"

    @app.before_request
    def _only_loopback() -> Response | None:
        host = request.host.rsplit(":", 1)[0]
        origin = request.headers.get("Origin")
        own = origin is None or origin == f"http://{request.host}"
        if host not in ("127.0.0.1", "localhost") or (request.method != "GET" and not own):
            return Response("Only from this machine's own pages.", 403)
        if not (_same(request.cookies.get(cookie, ""), value) or has_key()):
            return Response("Open the room with the address that the game printed.", 401)
        return None

    def has_key() -> bool:
        return _same(request.args.get("key", ""), key)

    @app.after_request
    def _policy(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = (
            "default-src 'self'; img-src 'self' data: blob:; object-src 'none'; base-uri 'none';"
            " frame-ancestors 'self' http://127.0.0.1:* http://localhost:*"
        )
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Cache-Control"] = "no-store"
        response.headers["Referrer-Policy"] = "no-referrer"
        if response.status_code == 200 and has_key():
            response.set_cookie(cookie, value, httponly=True, samesite="Strict", path="/")
        return response

    @app.get("/")
    def page() -> Response:
        return send_from_directory(STATIC, "room.html")

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        return send_from_directory(STATIC / "assets", name)

    @app.get("/scene.json")
    def scene() -> Response:
        return jsonify(
            turn=game.turn,
            folder=str(game.folder),
            gain=game.ours.gain,
            ours=_scene(game.ours),
            original=_scene(game.original),
            log=[{"word": x.word, "path": x.path, "text": x.text} for x in game.ours.log],
        )

    @app.get("/texture/<which>/<thing>/<slot>")
    def texture(which: str, thing: str, slot: str) -> Response:
        loaded = game.texture(which, thing, slot)
        if loaded is None:
            return Response("There is no such texture.", 404)
        if "decoded" in request.args:
            texels = [loaded.texture.texels(n) for n in range(len(loaded.texture.levels))]
            return Response(b"".join(t.tobytes() for t in texels), mimetype="application/x-texels")
        return Response(b"".join(loaded.texture.levels), mimetype="application/x-blocks")

    @app.post("/reload")
    def reload() -> Response:
        game.reload()
        return jsonify(turn=game.turn)

    @app.post("/update")
    def update() -> Response:
        if not (folder / UPDATE).is_file():
            return Response("No update waits here.", 404)
        try:
            return jsonify(written=game.update(), turn=game.turn)
        except BadUpdate as error:
            return Response(str(error), 422)

    return app


def _same(one: str, other: str) -> bool:
    return hmac.compare_digest(one.encode("utf-8", "replace"), other.encode("utf-8", "replace"))


def _scene(room: Room) -> dict[str, Any]:
    return {thing: _wear(wear) for thing, wear in room.wears.items()}


def _wear(wear: Any) -> dict[str, Any] | None:
    if wear is None:
        return None
    return {
        "name": wear.name,
        "gloss": wear.gloss,
        "cutout": wear.cutout,
        "metres": wear.metres,
        "from": wear.path,
        "slots": {slot: _texture(loaded) for slot, loaded in wear.slots.items()},
    }


def _texture(loaded: Loaded | None) -> dict[str, Any] | None:
    if loaded is None:
        return None
    texture = loaded.texture
    return {
        "path": loaded.path,
        "format": texture.format,
        "srgb": texture.srgb,
        "width": texture.width,
        "height": texture.height,
        "levels": [len(level) for level in texture.levels],
    }
