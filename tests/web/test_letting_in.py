"""Who may: the secret, the cookie, and what is looked at before a body is read."""

from __future__ import annotations

import http.client
import json
import os
import re
import socket
import stat
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from pathlib import Path
from typing import ClassVar
from unittest import mock

from stonestack.services.workspace import Workspace
from stonestack.store.place import DataFolder
from stonestack.store.secret import secret_of
from stonestack.web import channel
from stonestack.web.app import create_app
from stonestack.web.channel import made_server
from tests.web.test_api import ApiCase


class Secret(ApiCase):
    """Over the application alone."""

    def stranger(self) -> object:
        return self.client.application.test_client()

    def test_a_page_that_is_open_goes_on_after_a_new_start(self) -> None:
        again = create_app(self.ws)
        mine = self.client.application.extensions["guard"]
        self.assertEqual(again.extensions["guard"].token, mine.token)

    def test_without_the_secret_there_is_nothing_but_a_page_that_says_how_to_get_it(self) -> None:
        client = self.stranger()
        for path in ("/", "/p/x/bench", "/assets/index.js", "/?key=", "/?key=wröng"):
            answer = client.get(path, base_url=self.base)
            self.assertEqual(answer.status_code, 401, path)
            self.assertIn("address.txt", answer.text)
            self.assertNotIn("stone-token", answer.text)
            self.assertNotIn("Set-Cookie", answer.headers)
        for path in ("/api/projects", "/api/knowledge", "/api/nothing"):
            answer = client.get(path, base_url=self.base)
            self.assertEqual((answer.status_code, answer.json["code"]), (401, "not-let-in"))

    def test_the_secret_becomes_a_cookie_that_scripts_and_other_sites_cannot_use(self) -> None:
        client = self.stranger()
        answer = client.get(f"/p/x/bench?key={self.guard.secret}&fresh=1", base_url=self.base)
        said = answer.headers["Set-Cookie"]
        for part in ("HttpOnly", "SameSite=Strict", "Path=/"):
            self.assertIn(part, said)
        self.assertNotIn(self.guard.secret, said)
        # Onward without the secret, by a page of our own.
        self.assertIn('content="0;url=/p/x/bench?fresh=1"', answer.text)
        self.assertNotIn(self.guard.secret, answer.text)
        self.assertEqual(client.get("/api/projects", base_url=self.base).status_code, 200)
        # The cookie is not enough to change anything.
        self.assertEqual(client.post("/api/projects", base_url=self.base, json={}).status_code, 403)

    def test_another_host_is_not_given_the_cookie_even_with_the_secret(self) -> None:
        answer = self.stranger().get(f"/?key={self.guard.secret}", base_url="http://evil.example")
        self.assertEqual(answer.status_code, 403)
        self.assertNotIn("Set-Cookie", answer.headers)

    def test_it_is_kept_and_only_its_owner_may_read_it(self) -> None:
        self.assertEqual(secret_of(self.ws.data), self.guard.secret)
        self.assertGreaterEqual(len(self.guard.secret), 40)
        self.client.get("/api/projects", base_url=self.base)
        root = self.ws.data.root
        self.assertEqual(stat.S_IMODE(root.stat().st_mode), 0o700)
        self.ws.files.keep(b"a file")
        for path in [p for p in root.rglob("*") if p.is_file()]:
            self.assertEqual(stat.S_IMODE(path.stat().st_mode) & 0o077, 0, path)

    def test_words_that_no_page_sends_are_answered_in_words(self) -> None:
        deep = "[" * 20_000 + "]" * 20_000
        heads = {**self.token, "Content-Type": "application/json"}
        for body in (
            deep,
            '{"title": "\\ud800"}',
            '{"title": "x", "game_folder": "~no-one/x"}',
            json.dumps({"title": "x", "game_folder": "/x" * 400}),
            json.dumps({"title": "x", "game_folder": "/" + "x" * 900}),
        ):
            answer = self.client.post("/api/projects", base_url=self.base, data=body, headers=heads)
            self.assertIn(answer.status_code, range(400, 500), body[:60])
            self.assertTrue(answer.json["fix"])
        odd = self.client.post(
            "/api/projects", base_url=self.base, json={}, headers={"X-Stone-Token": "tökén"}
        )
        self.assertEqual(odd.status_code, 403)


class Served(unittest.TestCase):
    """Over the real server's connections."""

    data: ClassVar[DataFolder]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.ws = Workspace(DataFolder(Path(holder.name) / "data"))
        cls.addClassCleanup(cls.ws.close)
        app = create_app(cls.ws)
        cls.guard = app.extensions["guard"]
        patched = mock.patch.object(channel, "HEAD_SECONDS", 1.5)
        patched.start()
        cls.addClassCleanup(patched.stop)
        cls.server = made_server(app, cls.guard, 0)
        cls.port = cls.server.effective_port
        thread = threading.Thread(target=cls.server.run, daemon=True)
        thread.start()
        cls.addClassCleanup(cls.server.close)

    def heads(self) -> dict[str, str]:
        return {
            "Cookie": f"{self.guard.cookie}={self.guard.value}",
            "X-Stone-Token": self.guard.token,
        }

    def answered(self) -> float:
        """Ask for a page as a browser does; return the seconds that the answer took."""
        began = time.monotonic()
        wire = http.client.HTTPConnection("127.0.0.1", self.port, timeout=20)
        wire.request("GET", "/api/projects", headers=self.heads())
        self.assertEqual(wire.getresponse().status, 200)
        wire.close()
        return time.monotonic() - began

    def raw(self, text: bytes) -> tuple[bytes, bool]:
        """Send bytes; return what comes, and whether the other end has closed."""
        with socket.create_connection(("127.0.0.1", self.port), 20) as wire:
            wire.sendall(text)
            found = b""
            while piece := wire.recv(65536):
                found += piece
            return found, True

    def test_a_body_is_not_read_before_cookie_and_token_are_seen(self) -> None:
        huge = b"Host: 127.0.0.1\r\nContent-Length: 900000000\r\n"
        for extra, code in (
            (b"", b"401"),
            (f"Cookie: {self.guard.cookie}={self.guard.value}\r\n".encode(), b"403"),
            (f"X-Stone-Token: {self.guard.token}\r\n".encode(), b"401"),
        ):
            for line in (b"POST /api/projects HTTP/1.1\r\n", b"GET / HTTP/1.1\r\n"):
                if line.startswith(b"GET") and code == b"403":
                    continue
                with self.subTest(line=line, extra=extra):
                    found, _ = self.raw(line + huge + extra + b"\r\nonly a little")
                    self.assertTrue(found.startswith(b"HTTP/1.1 " + code), found[:200])
                    self.assertIn(b'"fix":', found)

    def test_words_have_a_smaller_limit_than_files(self) -> None:
        heads = "".join(f"{name}: {value}\r\n" for name, value in self.heads().items()).encode()
        found, _ = self.raw(
            b"POST /api/projects HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
            b"Content-Length: 50000000\r\n" + heads + b"\r\n{"
        )
        self.assertTrue(found.startswith(b"HTTP/1.1 413"), found[:200])

    def test_half_open_and_trickling_connections_keep_nobody_waiting(self) -> None:
        held = [socket.create_connection(("127.0.0.1", self.port), 20) for _ in range(300)]
        self.addCleanup(lambda: [wire.close() for wire in held])
        heads = "".join(f"{name}: {value}\r\n" for name, value in self.heads().items()).encode()
        for number, wire in enumerate(held):
            if number % 3 == 1:
                wire.sendall(b"GET /api/pro")
            if number % 3 == 2:
                wire.sendall(
                    b"POST /api/projects HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 900\r\n"
                    + heads
                    + b"\r\n{"
                )
        self.assertLess(self.answered(), 10)
        end = time.monotonic() + 20
        for wire in held:
            # Each is let go, also one that drips.
            wire.settimeout(max(0.1, end - time.monotonic()))
            try:
                while wire.recv(4096):
                    pass
            except ConnectionResetError:
                continue
        self.assertLess(time.monotonic(), end)


class Starting(unittest.TestCase):
    """Run as a person runs it."""

    def test_a_second_start_says_the_first_ones_address_and_ends(self) -> None:
        with tempfile.TemporaryDirectory() as holder:
            data = Path(holder) / "data"
            words = [sys.executable, "-m", "stonestack.cli.main", "serve", "--port", "0"]
            environment = {**os.environ, "STONE_STACK_DATA": str(data)}
            first = subprocess.Popen(words, env=environment, stdout=subprocess.PIPE, text=True)
            try:
                line = first.stdout.readline() if first.stdout else ""
                address = line[line.index("http://") :].strip()
                second = subprocess.run(
                    words, env=environment, capture_output=True, text=True, timeout=60
                )
                self.assertEqual(second.returncode, 0)
                self.assertIn(f"runs already on this data folder: {address}", second.stdout)
            finally:
                first.terminate()
                first.wait(10)
                if first.stdout:
                    first.stdout.close()
            # A kept bookmark works after a restart: secret and cookie stay.
            again = subprocess.Popen(words, env=environment, stdout=subprocess.PIPE, text=True)
            try:
                line = again.stdout.readline() if again.stdout else ""
                self.assertEqual(re.findall("key=(.*)", line), re.findall("key=(.*)", address))
            finally:
                again.terminate()
                again.wait(10)
                if again.stdout:
                    again.stdout.close()


if __name__ == "__main__":
    unittest.main()
