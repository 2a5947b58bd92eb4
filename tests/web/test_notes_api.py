"""Notes and shares over HTTP: what they keep, and that a share's token opens its variants and nothing else."""

import json
import re
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from unittest import mock

from sqlalchemy import Engine, event, insert

from escala.database.tables import NoteRow
from escala.model.note_formats import as_csv, as_text, harmless
from escala.web.app_context import APP_CONTEXT
from tests.test_cli import CommandTest
from tests.web.test_api import ApiTest

WHOLE = {"x": 0, "y": 0, "width": 64, "height": 48}


class NotesTest(ApiTest):
    def setUp(self) -> None:
        super().setUp()
        self.variant = self.open_grid()
        self.shot = self.client.get(f"/api/variants/{self.variant}").json["shot_id"]

    def post(self, address: str, body: Any, status: int = 201) -> Any:
        answer = self.client.post(address, json=body)
        self.assertEqual(answer.status_code, status, answer.data[:500])
        return answer.get_json()

    def note(self, **facts: Any) -> dict[str, Any]:
        body = {"variant": self.variant, "text": "Calmer here", "author": "Client", **facts}
        return dict(self.post("/api/notes", body))

    def copied(self, name: str) -> int:
        """Another variant of the shot."""
        body = {"name": name, "copy_of": self.variant}
        return int(self.post(f"/api/shots/{self.shot}/variants", body)["id"])

    def listed(self, query: str = "") -> dict[str, Any]:
        return dict(self.client.get(f"/api/notes?shot={self.shot}{query}").json)


class NoteTest(NotesTest):
    def test_a_note_names_variant_revision_frame_and_place(self) -> None:
        plain = self.note()
        self.assertEqual((plain["revision"], plain["frame"], plain["place"], plain["state"]), (0, 1, None, "open"))
        self.edit(self.variant, 0, -1)
        placed = self.note(place=[12.5, 40], text="<b>=1+1</b>\n‮ end", author="Клиент")
        self.assertEqual((placed["revision"], placed["place"]), (1, [12.5, 40]))
        self.assertEqual((placed["text"], placed["author"]), ("<b>=1+1</b>\n‮ end", "Клиент"))
        self.assertEqual(self.note(revision=0)["revision"], 0)
        self.assertEqual((placed["shot"], placed["variant"], placed["variant_name"]), (self.shot, 1, "Variant 1"))
        self.assertRegex(placed["created"], r"^\d{4}-\d\d-\d\dT[\d:.]+\+00:00$")
        self.assertEqual(self.client.get(f"/api/variants/{self.variant}").json["head"], 1)

    def test_what_is_not_there_is_refused(self) -> None:
        for facts, status in (
            ({"text": ""}, 422), ({"text": "a" * 4001}, 422), ({"author": ""}, 422), ({"author": "a" * 81}, 422),
            ({"variant": 99}, 404), ({"revision": 7}, 422), ({"frame": 9}, 422), ({"place": [65, 1]}, 422),
            ({"place": [-1, 1]}, 422), ({"place": [1]}, 422), ({"text": "\ud800"}, 422), ({"frame": 10**12}, 422),
        ):  # fmt: skip
            body = {"variant": self.variant, "text": "a", "author": "b", **facts}
            with self.subTest(facts=str(facts)[:60]):
                self.assertEqual(self.client.post("/api/notes", json=body).status_code, status)
        self.assertEqual(self.listed()["notes"], [])
        note = self.note(text="a" * 4000, author="b" * 80)["id"]
        for body in ({}, {"state": "open", "text": "x"}, {"state": "gone"}, {"text": ""}):
            self.assertEqual(self.client.patch(f"/api/notes/{note}", json=body).status_code, 422)
        for method, address in (("patch", "/api/notes/77"), ("delete", "/api/notes/77"), ("get", "/api/notes/77")):
            answer = getattr(self.client, method)(address, **({"json": {"state": "done"}} if method == "patch" else {}))
            self.assertEqual(answer.status_code, 404)
        self.assertEqual(self.client.get("/api/notes?shot=77").status_code, 404)
        self.assertEqual(self.client.get("/api/notes").status_code, 422)

    def test_notes_are_answered_done_changed_and_deleted(self) -> None:
        note = self.note()["id"]
        other = self.copied("Calm")
        answered = self.post(f"/api/notes/{note}/answers", {"text": "So?", "author": "Artist", "variant": other})
        self.assertEqual([(a["text"], a["variant"]) for a in answered["answers"]], [("So?", other)])
        self.post(f"/api/notes/{note}/answers", {"text": "x", "author": "y", "variant": 99}, 404)
        self.post("/api/notes/99/answers", {"text": "x", "author": "y"}, 404)
        done = self.client.patch(f"/api/notes/{note}", json={"state": "done"}).json
        self.assertEqual((done["state"], len(done["answers"])), ("done", 1))
        self.assertGreater(done["changed"], done["created"])
        self.assertEqual(self.client.patch(f"/api/notes/{note}", json={"text": "New"}).json["text"], "New")
        self.assertEqual(self.client.delete(f"/api/notes/{note}").status_code, 204)
        self.assertEqual(self.listed()["notes"], [])
        self.assertGreater(self.note()["id"], note)

    def test_notes_are_listed_in_pages_and_filtered(self) -> None:
        ids = [self.note(text=f"note {n}")["id"] for n in range(7)]
        self.client.patch(f"/api/notes/{ids[2]}", json={"state": "done"})
        first = self.listed("&limit=3")
        self.assertEqual(([n["id"] for n in first["notes"]], first["open"], first["more"]), (ids[:3:-1], 6, True))
        rest = self.listed(f"&limit=500&after={first['notes'][-1]['id']}")
        self.assertEqual(([n["id"] for n in rest["notes"]], rest["more"]), (ids[3::-1], False))
        done = self.listed("&state=done")
        self.assertEqual(([n["id"] for n in done["notes"]], done["open"]), ([ids[2]], 6))
        self.assertEqual(self.listed("&variant=99")["notes"], [])
        for query in ("&limit=501", "&limit=0", "&state=all"):
            self.assertEqual(self.client.get(f"/api/notes?shot={self.shot}{query}").status_code, 422)

    def test_all_notes_are_saved_as_a_file(self) -> None:
        self.note(text="=1+1")
        for ending, kind, words in (
            ("csv", "text/csv", "'=1+1"), ("txt", "text/plain", "\n=1+1\n"), ("json", "application/json", '"=1+1"'),
        ):  # fmt: skip
            answer = self.client.get(f"/api/notes/file?shot={self.shot}&format={ending}")
            self.assertEqual((answer.status_code, answer.mimetype), (200, kind))
            self.assertIn(words, answer.text)
            self.assertIn(f"_notes.{ending}", answer.headers["Content-Disposition"])
        for query, status in ((f"shot={self.shot}&format=pdf", 422), ("shot=77&format=csv", 404)):
            self.assertEqual(self.client.get(f"/api/notes/file?{query}").status_code, status)

    def test_ten_thousand_notes_are_listed_in_pages(self) -> None:
        database = self.client.application.extensions[APP_CONTEXT].database
        facts = {"shot_id": self.shot, "variant_id": self.variant, "variant_name": "Variant 1", "revision": 0}
        rows = [{**facts, "frame": 1, "place": [], "text": f"note {n}", "author": "Client"} for n in range(10_000)]
        with database.writing() as session:
            session.execute(insert(NoteRow), rows)
        found: list[int] = []
        page = self.listed("&limit=500")
        while True:
            self.assertEqual(page["open"], 10_000)
            found += [note["id"] for note in page["notes"]]
            if not page["more"]:
                break
            with self.counted() as statements:
                page = self.listed(f"&limit=500&after={found[-1]}")
            self.assertLess(len(statements), 12, "of a page, however many notes there are")
        self.assertEqual(found, sorted(set(found), reverse=True))
        self.assertEqual(len(found), 10_000)

    @contextmanager
    def counted(self) -> Iterator[list[str]]:
        """The statements that are sent to the database within the block."""
        statements: list[str] = []

        def note_statement(_: Any, __: Any, statement: str, *___: Any) -> None:
            statements.append(statement)

        event.listen(Engine, "before_cursor_execute", note_statement)
        try:
            yield statements
        finally:
            event.remove(Engine, "before_cursor_execute", note_statement)

    def test_notes_stay_when_their_variant_goes_for_good(self) -> None:
        other = self.copied("Calm")
        self.note(variant=other)
        self.assertEqual(self.client.delete(f"/api/variants/{other}").status_code, 204)
        self.client = self.application().test_client()  # what was deleted is cleared at the next start
        (kept,) = self.listed()["notes"]
        self.assertEqual((kept["variant"], kept["variant_name"]), (other, "Calm"))
        self.assertEqual(self.client.get(f"/api/variants/{other}").status_code, 404)

    def test_notes_of_eight_people_at_once_lose_nothing(self) -> None:
        def work(person: int) -> None:
            client = self.app.test_client()
            for number in range(6):
                body = {"variant": self.variant, "text": f"{person} {number}", "author": str(person)}
                self.assertEqual(client.post("/api/notes", json=body).status_code, 201)

        people = [threading.Thread(target=work, args=(n,)) for n in range(8)]
        for person in people:
            person.start()
        for person in people:
            person.join()
        page = self.listed("&limit=500")
        self.assertEqual((len({n["text"] for n in page["notes"]}), page["open"]), (48, 48))

    def test_pages_that_are_open_hear_of_notes(self) -> None:
        mark = self.client.get("/api/events").json["mark"]
        self.note()
        self.assertIn('"notes"', self.client.get(f"/api/events?after={mark}").get_data(as_text=True))


class SharingTest(NotesTest):
    """A shot with a variant that is shared and one that is not."""

    def setUp(self) -> None:
        super().setUp()
        self.other = self.copied("Secret")

    def share(self, follow: bool = True) -> str:
        made = self.post("/api/shares", {"variants": [self.variant], "name": "For the client", "follow": follow})
        self.assertEqual(made["path"], f"/share/{made['token']}")
        self.assertGreaterEqual(len(made["token"]), 32)
        self.made = made
        return f"/api/share/{made['token']}"


class ShareTest(SharingTest):
    def test_a_share_tells_its_variants_and_no_more(self) -> None:
        address = self.share()
        told = self.client.get(address).json
        self.assertEqual((told["name"], told["shot"]["name"]), ("For the client", "grid"))
        self.assertEqual((told["shot"]["width"], told["shot"]["height"], told["shot"]["frames"]), (64, 48, [1]))
        self.assertEqual(
            [(v["id"], v["name"], v["revision"]) for v in told["variants"]], [(self.variant, "Variant 1", 0)]
        )
        text = json.dumps(told)
        for secret in ("Secret", str(self.media), ".exr", self.made["token"]):
            self.assertNotIn(secret, text)
        listed = self.client.get("/api/shares").json["shares"][0]
        self.assertEqual((listed["variants"], listed["withdrawn"]), ([self.variant], None))
        self.assertIsNotNone(listed["last_used"])
        self.assertNotIn(self.made["token"], json.dumps(listed))
        context = self.app.extensions[APP_CONTEXT]
        self.assertNotIn(self.made["token"].encode(), context.settings.database.read_bytes())

    def picture(self, address: str, status: int = 200, **facts: Any) -> bytes:
        body = {"variant": self.variant, "region": WHOLE, "width": 64, "height": 48, **facts}
        answer = self.client.post(f"{address}/picture", json=body)
        self.assertEqual(answer.status_code, status, answer.data[:300])
        return bytes(answer.data)

    def test_images_follow_or_stay_as_they_were(self) -> None:
        follow, fixed = self.share(), self.share(follow=False)
        before = self.picture(follow, exact=True)
        self.assertEqual(before[:4], b"\x89PNG")
        self.assertEqual(self.picture(fixed, exact=True), before)
        self.assertEqual(self.picture(follow)[:2], b"\xff\xd8")
        self.edit(self.variant, 0, -4)
        self.assertNotEqual(self.picture(follow, exact=True), before)
        self.assertEqual(self.picture(fixed, exact=True), before)
        self.assertEqual(self.client.get(fixed).json["variants"][0]["revision"], 0)
        self.assertEqual(self.client.get(follow).json["variants"][0]["revision"], 1)
        note = self.post(f"{fixed}/notes", {"variant": self.variant, "text": "a", "author": "b"})
        self.assertEqual(note["revision"], 0)
        self.post(f"{fixed}/notes", {"variant": self.variant, "text": "a", "author": "b", "revision": 1}, 422)
        self.assertEqual(
            self.post(f"{follow}/notes", {"variant": self.variant, "text": "a", "author": "b"})["revision"], 1
        )

    def test_other_variants_frames_and_stations_are_not_shown(self) -> None:
        address = self.share()
        self.picture(address, 404, variant=self.other)
        self.picture(address, 422, frame=5)
        self.picture(address, 422, region={**WHOLE, "width": 0})
        for extra in ({"station": "source"}, {"patch": []}, {"pass_name": "key"}):
            self.assertEqual(self.picture(address, exact=True), self.picture(address, exact=True, **extra))
        self.edit(self.variant, 0, 1)
        lut = [{"op": "add", "path": "/finish/corrections/-", "value": {"kind": "lut", "path": "/etc/gone.cube"}}]
        body = {"base": 1, "patch": lut, "label": "lut"}
        if self.client.post(f"/api/variants/{self.variant}/edits", json=body).status_code == 200:
            answer = self.client.post(
                f"{address}/picture", json={"variant": self.variant, "region": WHOLE, "width": 8, "height": 8}
            )
            self.assertNotIn("/etc", answer.get_data(as_text=True))

    def test_notes_of_a_share_are_those_of_its_variants(self) -> None:
        address = self.share()
        self.note(variant=self.other, text="internal")
        mine = self.note(text="ours")["id"]
        self.post(f"/api/notes/{mine}/answers", {"text": "see", "author": "A", "variant": self.other})
        added = self.post(
            f"{address}/notes", {"variant": self.variant, "text": "calmer", "author": "Client", "place": [3, 4]}
        )
        self.assertEqual(added["place"], [3, 4])
        page = self.client.get(f"{address}/notes").json
        self.assertEqual(([n["text"] for n in page["notes"]], page["open"]), (["calmer", "ours"], 2))
        self.assertIsNone(page["notes"][1]["answers"][0]["variant"])
        self.assertEqual(self.client.get(f"{address}/notes?variant={self.other}").json["notes"], [])
        self.post(f"{address}/notes", {"variant": self.other, "text": "x", "author": "y"}, 404)
        for method in ("patch", "delete", "put"):
            for place in (f"{address}/notes/{mine}", f"{address}/notes", f"{address}/notes/{mine}/answers"):
                answer = getattr(self.client, method)(place, json={"state": "done"})
                self.assertIn(answer.status_code, (404, 405))
        self.assertEqual(self.listed()["open"], 3)

    def test_a_withdrawn_share_and_one_that_never_was_answer_alike(self) -> None:
        address = self.share()
        self.assertEqual(self.client.delete(f"/api/shares/{self.made['id']}").status_code, 204)
        self.assertIsNotNone(self.client.get("/api/shares").json["shares"][0]["withdrawn"])
        body = {"variant": self.variant, "text": "a", "author": "b"}
        seen = {"variant": self.variant, "region": WHOLE, "width": 8, "height": 8}
        for known, unknown in ((address, f"/api/share/{'x' * 43}"),):
            for method, end, more in (
                ("get", "", None),
                ("get", "/notes", None),
                ("post", "/notes", body),
                ("post", "/picture", seen),
            ):
                answers = [
                    getattr(self.client, method)(f"{a}{end}", **({"json": more} if more else {}))
                    for a in (known, unknown)
                ]
                self.assertEqual([a.status_code for a in answers], [404, 404])
                self.assertEqual(answers[0].get_data(), answers[1].get_data())
        self.assertEqual(self.client.get(self.made["path"]).status_code, 404)
        self.assertEqual(self.client.delete("/api/shares/99").status_code, 404)

    def test_thirty_remarks_a_minute_and_refused_ones_do_not_count(self) -> None:
        address, other = self.share(), self.share()
        body = {"variant": self.variant, "text": "a", "author": "b"}
        for _ in range(20):
            self.post(f"{address}/notes", {**body, "frame": 9}, 422)
        for _ in range(30):
            self.post(f"{address}/notes", body)
        answer = self.client.post(f"{address}/notes", json=body)
        self.assertEqual(answer.status_code, 429)
        self.assertTrue(1 <= int(answer.headers["Retry-After"]) <= 61)
        self.post(f"{other}/notes", body)
        with mock.patch("escala.web.shares.remark_limit.time.monotonic", return_value=10**9):
            self.post(f"{address}/notes", body)

    def test_variants_of_two_shots_are_not_shared_together(self) -> None:
        self.post("/api/shares", {"variants": [self.variant, 99], "name": "x"}, 404)
        self.post("/api/shares", {"variants": [], "name": "x"}, 422)
        second = self.open_grid()
        self.post("/api/shares", {"variants": [self.variant, second], "name": "x"}, 422)


class GuardedShareTest(SharingTest):
    """Beyond loopback: a share needs no other token, and its token opens no other route."""

    token = "the-token-of-the-server"

    def setUp(self) -> None:
        original = self.application

        def application() -> Any:
            app = original()
            app.test_client().get("/")
            return app

        self.application = application  # type: ignore[method-assign]
        super(NotesTest, self).setUp()
        self.client.get(f"/?token={self.token}")
        self.variant = self.open_grid()
        self.shot = self.client.get(f"/api/variants/{self.variant}").json["shot_id"]
        self.other = self.copied("Secret")

    def test_every_route_with_the_token_of_a_share(self) -> None:
        address = self.share()
        token, stranger = self.made["token"], self.app.test_client()
        self.assertEqual(stranger.get(address).status_code, 200)
        stranger.set_cookie("escala_token", token)
        rules = [rule for rule in self.app.url_map.iter_rules() if not rule.rule.startswith(("/api/share/", "/share/"))]
        self.assertGreater(len(rules), 60)
        for rule in rules:
            place = re.sub(r"<(?:\w+:)?(\w+)>", "1", rule.rule)
            for method in sorted((rule.methods or set()) - {"HEAD", "OPTIONS"}):
                for given in ({"query_string": {"token": token}}, {"headers": {"Authorization": f"Bearer {token}"}}):
                    with self.subTest(method=method, place=place):
                        answer = stranger.open(place, method=method, **given)  # type: ignore[arg-type]
                        self.assertEqual(answer.status_code, 401, answer.get_data(as_text=True)[:200])


class NoteFilesTest(CommandTest, ApiTest):
    def test_notes_are_written_as_json_csv_and_text(self) -> None:
        variant = self.open_grid()
        for text in ("=HYPERLINK(1)", 'two "quoted"\nlines', "-3 stops"):
            self.client.post(
                "/api/notes", json={"variant": variant, "text": text, "author": "@client", "place": [3, 4.5]}
            )
        self.client.post("/api/notes/1/answers", json={"text": "done", "author": "Artist"})
        home = self.settings.home
        for name in ("n.json", "n.csv", "n.txt"):
            self.run_command("notes", "grid", "--out", self.folder / name, "--home", home)
        found = json.loads((self.folder / "n.json").read_text())["notes"]
        self.assertEqual(found, self.client.get("/api/notes?shot=1").json["notes"])
        rows = list(csv_rows((self.folder / "n.csv").read_text(encoding="utf-8")))
        self.assertEqual([row["text"] for row in rows], ["'-3 stops", 'two "quoted"\nlines', "'=HYPERLINK(1)"])
        self.assertEqual(
            (rows[2]["author"], rows[2]["x"], rows[2]["y"], rows[2]["answers"]),
            ("'@client", "3.0", "4.5", "Artist: done"),
        )
        self.assertIn("    Artist: done", (self.folder / "n.txt").read_text())
        self.assertIn(
            "no shot is named 'other'", self.refused("notes", "other", "--out", self.folder / "x.csv", "--home", home)
        )
        self.assertIn("file extension", self.refused("notes", "grid", "--out", self.folder / "x.pdf", "--home", home))
        self.assertIn(
            "no such file", self.refused("notes", "grid", "--out", self.folder / "x.csv", "--home", self.folder)
        )

    def test_an_empty_list_is_a_file_all_the_same(self) -> None:
        self.assertEqual(as_text([]), "No notes.\n")
        self.assertEqual(as_csv([]).strip(), "id,variant,revision,frame,x,y,author,text,state,created,answers")
        self.assertEqual([harmless(cell) for cell in ("+1", -1, "a=b")], ["'+1", -1, "a=b"])


def csv_rows(text: str) -> Any:
    import csv
    import io

    return csv.DictReader(io.StringIO(text, newline=""))
