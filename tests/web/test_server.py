"""The real server, in a process of its own: many pages, slow clients, kills, full disks, and what it costs at rest."""

import json
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from tests.browser.running import RunningServer
from tests.engine.fixture_shot import grid_passes
from tests.fixtures import EXR_FILE, PNG_FILE, FolderTest, light, write_layers
from tests.small_disk import fill, mount_small_disk


class ServerTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.media = self.folder / "media"
        self.media.mkdir()
        self.server = RunningServer(self.folder / "home", None)
        self.addCleanup(self.server.kill)

    def start(self, *options: str) -> None:
        self.server.start("serve", "--media", str(self.media), *options)

    def make_request(
        self, address: str, body: Any = None, put: bytes | None = None, server: str | None = None
    ) -> tuple[int, Any]:
        """Status and JSON of an answer; `body` is posted as JSON, `put` as it is."""
        data = put if body is None else json.dumps(body).encode()
        request = urllib.request.Request(f"{server or self.server.address}{address}", data)
        if body is not None:
            request.add_header("Content-Type", "application/json")
        if put is not None:
            request.method = "PUT"
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                return answer.status, self.read(answer.read())
        except urllib.error.HTTPError as error:
            with error:
                return error.code, self.read(error.read())

    def read(self, text: bytes) -> Any:
        return json.loads(text) if text[:1] in (b"{", b"[") else text

    def finished(self, job: dict[str, Any]) -> dict[str, Any]:
        end = time.monotonic() + 60
        while job["state"] == "running" and time.monotonic() < end:
            _, job = self.make_request(f"/api/jobs/{job['id']}")
        return job

    def open_grid(self) -> int:
        write_layers(self.media / "grid.exr", grid_passes())
        job = self.finished(self.make_request("/api/shots", {"sources": ["grid.exr"]})[1])
        self.assertEqual(job["state"], "done", job)
        return int(self.make_request(f"/api/shots/{job['result']['shot_id']}")[1]["variants"][0]["id"])

    def edit(self, variant: int, base: int, stops: float) -> tuple[int, Any]:
        patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": stops}}]
        return self.make_request(f"/api/variants/{variant}/edits", {"base": base, "patch": patch, "label": "key"})


class ManyClientsTest(ServerTest):
    def test_pages_and_half_sent_requests_hold_nobody_up(self) -> None:
        self.start()
        variant = self.open_grid()
        alone = self.slowest(variant)
        sockets = [self.half_sent(n) for n in range(500)]
        stop = threading.Event()
        with ThreadPoolExecutor(20) as pool:
            pages = [pool.submit(self.polling, stop) for _ in range(20)]
            crowded = self.slowest(variant)
            stop.set()
            asked = sum(page.result() for page in pages)
        for each in sockets:
            each.close()
        self.assertGreater(asked, 100)
        self.assertLess(crowded, max(1.5, 20 * alone), "others are answered as before")

    def half_sent(self, number: int) -> socket.socket:
        """A request that never ends: in its first line, its headers, or its body."""
        connection = socket.create_connection(("127.0.0.1", self.server.port))
        kinds = (b"GET /api/sho", b"GET /api/shots HTTP/1.1\r\nHost: localhost\r\n", self.half_body())
        connection.sendall(kinds[number % 3])
        return connection

    def half_body(self) -> bytes:
        return b"PUT /api/uploads/x.exr HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100000\r\n\r\n" + bytes(100)

    def polling(self, stop: threading.Event) -> int:
        """Ten pages that ask for events in turn; how often they asked."""
        marks, asked = [""] * 10, 0
        while not stop.is_set():
            for page in range(10):
                marks[page] = self.make_request(f"/api/events?after={marks[page]}&shot=1")[1]["mark"]
                asked += 1
        return asked

    def slowest(self, variant: int) -> float:
        """The longest of some answers, in seconds."""
        took = []
        for _ in range(5):
            for address, body in (("", None), ("/probe", {"x": 1, "y": 2})):
                began = time.monotonic()
                self.assertEqual(self.make_request(f"/api/variants/{variant}{address}", body)[0], 200)
                took.append(time.monotonic() - began)
        return max(took)

    def test_a_change_is_noticed_while_somebody_looks(self) -> None:
        self.start()
        for frame in range(1, 301):
            (self.media / f"roll.{frame:04d}.exr").hardlink_to(self.small())
        job = self.finished(self.make_request("/api/shots", {"sources": ["roll.####.exr"]})[1])
        shot = job["result"]["shot_id"]
        self.make_request("/api/shots")
        mark = self.make_request("/api/events?after=")[1]["mark"]
        write_layers(self.folder / "newer.exr", {"": light(3), "key": light(3)}).replace(self.media / "roll.0001.exr")
        began, heard = time.monotonic(), []
        while not heard and time.monotonic() - began < 60:
            mark, heard = (lambda a: (a["mark"], a["events"]))(
                self.make_request(f"/api/events?after={mark}&shot={shot}")[1]
            )
            heard = [event for event in heard if event["kind"] == "render"]
        self.assertTrue(heard)

    def small(self) -> Path:
        file = self.folder / "small.exr"
        return file if file.exists() else write_layers(file, {"": light(1), "key": light(1)})


class UploadLimitTest(ServerTest):
    def answered(self, length: int) -> bytes:
        """What the server says of a body of so many bytes before any of them came; nothing while it waits."""
        with socket.create_connection(("127.0.0.1", self.server.port)) as connection:
            head = f"PUT /api/uploads/x.exr HTTP/1.1\r\nHost: localhost\r\nContent-Length: {length}\r\n\r\n"
            connection.sendall(head.encode())
            connection.settimeout(0.5)
            try:
                return connection.recv(100)
            except TimeoutError:
                return b""

    def test_uploads_are_refused_from_the_limit_that_is_reported_and_no_sooner(self) -> None:
        self.start()
        self.assertEqual(self.answered(3 << 30), b"")
        self.assertIn(b" 413 ", self.answered(5 << 30))
        status, told = self.make_request(f"/api/uploads/capacity?bytes={5 << 30}")
        self.assertEqual((status, "4096 MiB" in told["detail"]), (413, True))


class KillTest(ServerTest):
    def test_what_was_acknowledged_is_there_after_any_kill(self) -> None:
        self.start()
        variant, head = self.open_grid(), 0
        shot = self.make_request(f"/api/variants/{variant}")[1]["shot_id"]
        notes: list[int] = []
        for life in range(3):
            for _ in range(4):
                status, state = self.edit(variant, head, 1 + head / 10)
                self.assertEqual(status, 200, state)
                head = state["head"]
            for words in ("So?", "Done"):
                note = {"variant": variant, "text": f"life {life}", "author": "Client"}
                notes.append(self.make_request("/api/notes", note)[1]["id"])
                self.make_request(f"/api/notes/{notes[-1]}/answers", {"text": words, "author": "Artist"})
            job = self.make_request(f"/api/variants/{variant}/deliveries", EXR_FILE)[1]
            self.assertEqual(job["state"], "running")
            self.server.kill()
            self.start()
            status, state = self.make_request(f"/api/variants/{variant}")
            self.assertEqual((status, state["head"]), (200, head), life)
            kept = self.make_request(f"/api/notes?shot={shot}")[1]["notes"]
            self.assertEqual([note["id"] for note in kept], notes[::-1])
            self.assertTrue(all(len(note["answers"]) == 1 for note in kept))
        states = {d["state"] for d in self.make_request(f"/api/variants/{variant}/deliveries")[1]["deliveries"]}
        self.assertLessEqual(states, {"done", "interrupted"})
        left = list((self.folder / "home" / "deliveries").rglob(".*"))
        self.assertEqual(left, [])

    def test_a_first_start_may_be_killed_at_any_moment(self) -> None:
        file = self.folder / "home" / "escala.db"
        start = (
            "import sys, pathlib; from escala.database.connection import Database; Database(pathlib.Path(sys.argv[1]))"
        )
        command = [sys.executable, "-c", start, str(file)]
        for pause in (0.4, 0.6, 0.7, 0.8, 1.0):
            process = subprocess.Popen(command)
            threading.Event().wait(pause)
            process.kill()
            process.wait()
        self.start()
        self.open_grid()

    def test_two_servers_on_one_home_take_each_edit_once(self) -> None:
        self.start()
        variant = self.open_grid()
        other = RunningServer(self.folder / "home", None)
        self.addCleanup(other.kill)
        other.start("serve", "--media", str(self.media))
        addresses = (self.server.address, other.address)
        for base in range(8):
            with ThreadPoolExecutor(2) as pool:
                found = sorted(pool.map(self.edit_at, addresses, (variant,) * 2, (base,) * 2, (base + 0.1, base + 0.2)))
            self.assertEqual(found, [200, 409])

    def edit_at(self, address: str, variant: int, base: int, stops: float) -> int:
        patch = [{"op": "add", "path": "/balance/lights/key", "value": {"stops": stops}}]
        edit = {"base": base, "patch": patch, "label": "key"}
        return self.make_request(f"/api/variants/{variant}/edits", edit, server=address)[0]


class FullDiskTest(ServerTest):
    def test_every_door_reports_of_a_full_disk_and_all_goes_on_once_there_is_room(self) -> None:
        disk = mount_small_disk(self, self.folder / "home", 120_000)
        self.start()
        variant = self.open_grid()
        filler = fill(disk)
        shot = self.make_request(f"/api/variants/{variant}")[1]["shot_id"]
        told = [
            self.make_request("/api/uploads/a.exr", put=bytes(300_000)),
            self.make_request("/api/uploads/b.exr", put=bytes(5_000_000)),
            self.make_request("/api/uploads/capacity?bytes=1000000"),
            self.make_request("/api/pictures/a.png", put=bytes(300_000)),
            self.make_request("/api/configs/quay/files?path=a.cube", put=bytes(300_000)),
        ]
        for kind in ("exr", "png", "tiff", "jpeg", "mkv"):
            status, job = self.make_request(
                f"/api/variants/{variant}/deliveries", {"files": [{"what": "result", "format": kind}]}
            )
            outcome = (507, {"detail": self.finished(job)["error"]}) if status == 202 else (status, job)
            told.append(outcome)
        head = 0
        while head < 400:
            status, state = self.edit(variant, head, 1 + head / 100)
            if status != 200:
                told.append((status, state))
                break
            head = state["head"]
        told.append(self.make_request(f"/api/shots/{shot}/variants", {"name": "Calm", "copy_of": variant}))
        note = {"variant": variant, "text": "Calmer here " * 300, "author": "Client"}
        kept = []
        while len(kept) < 400:
            status, answer = self.make_request("/api/notes", note)
            if status != 201:
                told.append((status, answer))
                break
            kept.append(answer["id"])
        for status, answer in told:
            self.assertEqual(status, 507, answer)
            words = answer["detail"] if isinstance(answer, dict) else answer.decode()
            self.assertIn("disk full", words.lower())
        self.assertEqual(self.make_request(f"/api/variants/{variant}")[1]["head"], head)
        filler.unlink()
        kept.append(self.make_request("/api/notes", note)[1]["id"])
        listed = self.make_request(f"/api/notes?shot={shot}&limit=500")[1]["notes"]
        self.assertEqual([one["id"] for one in listed], kept[::-1])
        status, state = self.edit(variant, head, -3)
        self.assertEqual((status, state["head"]), (200, head + 1))
        job = self.finished(self.make_request(f"/api/variants/{variant}/deliveries", PNG_FILE)[1])
        self.assertEqual(job["state"], "done", job)
        self.assertEqual(self.make_request("/api/uploads/a.exr", put=bytes(300_000))[0], 200)

    def test_a_new_home_without_room_is_reported_in_one_line(self) -> None:
        disk = mount_small_disk(self, self.folder / "home", 16)
        fill(disk)
        command = [sys.executable, "-m", "escala.cli", "serve", "--home", str(disk / "new"), "--port", "0"]
        done = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
        self.assertIn("disk full", done.stderr)
