"""Tests of fetching lists, from the stand-in publisher and its bad manners."""

import gzip
import ssl
import threading
import time
import unittest
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from gruff_ledger.demo.publisher import BEHAVIOURS, Publisher
from gruff_ledger.lists.web.fetch import Fetching, FetchTerms
from gruff_ledger.problems import UnreadableSource
from tests.lists.answers import Answering, answer
from tests.support import FolderTest

CERTIFICATE = Path(__file__).with_name("self-signed.pem")
LIST = "north-quay.csv"


class FetchTest(FolderTest):
    def setUp(self) -> None:
        super().setUp()
        self.publisher = Publisher()
        self.publisher.__enter__()
        self.addCleanup(self.publisher.__exit__)
        self.url = f"{self.publisher.address}/{LIST}"

    def fetch(self, url: str = "", **terms: object) -> tuple[bytes, str]:
        """Return what is fetched, and what is said of it."""
        settled = {"kept": "kept", "tries": 1, **terms}
        fetching = Fetching(FetchTerms(**settled), folder=self.folder)
        try:
            opened = fetching.fetch(
                url or self.url, name="list", address=url or self.url
            )
            with opened.start() as stream:
                data = stream.read()
        finally:
            fetching.close()
        return data, " ".join(note.what for note in opened.notes)

    def refused(self, url: str = "", **terms: object) -> str:
        """Return why nothing is fetched, having checked that nothing is kept."""
        before = sorted(self.folder.rglob("*"))
        with self.assertRaises(UnreadableSource) as caught:
            self.fetch(url, **terms)
        after = [each for each in self.folder.rglob("*") if each.is_file()]
        self.assertEqual(sorted(after), [each for each in before if each.is_file()])
        return caught.exception.paragraph()

    def test_a_kept_copy_is_asked_after(self) -> None:
        data, told = self.fetch()
        self.assertEqual((data, told), (self.publisher.content(LIST)[0], ""))
        again, told = self.fetch()
        self.assertEqual(again, data)
        self.assertIn("not changed since", told)
        statuses = [status for _, status in self.publisher.requests]
        self.assertEqual(statuses, [200, 304])
        self.publisher.tell(LIST, "change")
        changed, told = self.fetch()
        self.assertIn(b"Late Arrival", changed)
        self.assertEqual(told, "")
        kept = sorted(each.name for each in (self.folder / "kept").iterdir())
        self.assertEqual(len(kept), 2)
        self.assertTrue(kept[0].endswith(f"-{LIST}"))

    def test_a_copy_that_is_damaged_is_not_used(self) -> None:
        data, _ = self.fetch()
        (copy,) = (self.folder / "kept").glob("*.csv")
        copy.write_bytes(data[:100])
        self.assertEqual(self.fetch()[0], data)
        self.assertIn("no kept copy", self.refused("http://a.invalid/", offline=True))

    def test_nothing_is_kept_unless_asked(self) -> None:
        data, _ = self.fetch(kept=None)
        self.assertTrue(data)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_offline_uses_the_kept_copy_and_says_its_age(self) -> None:
        self.assertIn("no kept copy", self.refused(offline=True))
        data, _ = self.fetch()
        self.publisher.tell(LIST, "fail")
        asked = len(self.publisher.requests)
        again, told = self.fetch(offline=True)
        self.assertEqual(again, data)
        self.assertIn("less than a minute ago", told)
        self.assertEqual(len(self.publisher.requests), asked)

    def test_every_bad_manner_is_told_and_never_half_a_list(self) -> None:
        told = {
            "slow": "did not arrive within 1 seconds",
            "fail": "answered 500",
            "away": "to another host: http://elsewhere.invalid",
            "loop": "more than 5 times",
            "cut-off": "could not be fetched whole",
            "gone": "nothing at this address",
        }
        fine = {"well", "change", "redirect", "fail-once"}
        self.assertEqual(set(told) | fine, set(BEHAVIOURS))
        for behaviour, words in told.items():
            with self.subTest(behaviour=behaviour):
                self.publisher.tell(LIST, behaviour)
                limit = 1 if behaviour == "slow" else 20
                self.assertIn(words, self.refused(time_limit=limit))

    def test_a_kept_copy_is_offered_when_fetching_fails(self) -> None:
        data, _ = self.fetch()
        for behaviour in ("cut-off", "fail"):
            self.publisher.tell(LIST, behaviour)
            self.publisher._edition[LIST] += 1  # So that it is sent anew.
            told = self.refused()
            self.assertIn("A kept copy, fetched", told)
            self.assertIn("--offline", told)
        self.assertEqual(self.fetch(offline=True)[0], data)

    def test_what_may_pass_is_tried_again(self) -> None:
        self.publisher.tell(LIST, "fail-once")
        data, _ = self.fetch(tries=2)
        self.assertEqual(data, self.publisher.content(LIST)[0])
        self.publisher.tell(LIST, "gone")
        self.publisher.requests.clear()
        self.refused(tries=3)
        self.assertEqual(len(self.publisher.requests), 1)
        self.publisher.tell(LIST, "cut-off")
        self.publisher.requests.clear()
        self.refused(tries=2)
        self.assertEqual(len(self.publisher.requests), 2)

    def test_redirects_within_a_host_are_followed_and_said(self) -> None:
        self.publisher.tell(LIST, "redirect")
        data, told = self.fetch()
        self.assertEqual(data, self.publisher.content(LIST)[0])
        self.assertIn(f"/archive/{LIST}", told)

    def test_commands_and_dockets_fetch(self) -> None:
        self.gruff("merge", f"{self.url}#row=1-3", "--to", "a.csv")
        self.assertEqual(len(self.records("a.csv")), 2)
        self.write(
            "d.toml",
            f'docket = 1\n[lists.north]\nfrom = "{self.url}"\n'
            '[[entry]]\ndo = "merge"\n[[out]]\nto = "b.csv"\n',
        )
        self.gruff("run", "d.toml")
        self.assertEqual(len(list((self.folder / "kept").iterdir())), 2)
        done = self.gruff("run", "d.toml", "--replace", "--offline")
        self.assertIn("the kept copy was used", done.stdout.decode())
        account = self.text("ledger/account.json")
        self.assertIn('"sha256"', account)
        self.assertIn(self.url, account)

    def test_a_list_too_large_is_refused(self) -> None:
        self.addCleanup(setattr, self.publisher, "content", self.publisher.content)
        self.publisher.content = lambda name: (b"a\n" * 600_000, '"x"', "")
        self.assertIn("larger than 1 MB", self.refused(size_limit=1))

    def test_bad_answers_are_problems(self) -> None:
        """However an answer is packed, slow or odd, it ends within its limits."""
        body = b"Berth,Boat\nN-1,Tern\n"
        bomb = gzip.compress(gzip.compress(b"\0" * (40 << 20)))
        slow = [bytes([each]) for each in b"HTTP/1.1 200 OK\r\n" + b"X: y\r\n" * 99]
        for told, *parts in (
            ("did not arrive within 1 seconds", *slow),
            ("larger than 1 MB", answer(bomb, "Content-Encoding: gzip, gzip")),
            ("and is not", answer(body, "Content-Encoding: gzip")),
            ("in the coding 'br'", answer(body, "Content-Encoding: br")),
            ("could not be fetched whole", b"nonsense\r\n\r\n"),
            ("could not be fetched whole", answer(body, "Bad header\r\n: x")),
        ):
            with self.subTest(told=told), Answering(*parts) as server:
                begun = time.monotonic()
                said = self.refused(server.url, time_limit=1, size_limit=1)
                self.assertIn(told, said)
                self.assertLess(time.monotonic() - begun, 4)

    def test_odd_tags_and_dates_are_not_sent_back(self) -> None:
        """The list is fetched anew, then."""
        body = b"Berth,Boat\nN-1,Tern\n"
        odd = answer(body, 'ETag: "\xe9 \x01"', "Last-Modified: f\xe9vrier")
        with Answering(odd) as server:
            for _ in range(2):
                self.assertEqual(self.fetch(server.url)[0], body)
            self.assertNotIn(b"if-", server.requests[1].lower())

    def test_a_redirect_to_another_port_is_refused(self) -> None:
        """Somebody else's program may listen there."""
        away = answer(b"", f"Location: {self.url}", status="302 Found")
        with Answering(away) as server:
            self.assertIn("to another port", self.refused(server.url))

    def test_secrets_of_an_address_stay_out_of_the_account(self) -> None:
        secret = self.url.replace("http://", "http://ann:secret@")
        done = self.gruff("merge", secret, "--to", "a.csv", "--ledger", "l")
        self.assertNotIn("secret", done.stderr.decode())
        self.assertNotIn("secret", self.text("l/account.json"))


class CertificateTest(FolderTest):
    def test_a_certificate_nobody_vouches_for_is_refused(self) -> None:
        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                self.send_response(200)
                self.end_headers()
                self.wfile.write(b"boat\nAmber\n")

            def log_message(self, format: str, *args: object) -> None:
                pass

        server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        context.load_cert_chain(CERTIFICATE)
        server.socket = context.wrap_socket(server.socket, server_side=True)
        server.handle_error = lambda *of: None
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        url = f"https://127.0.0.1:{server.server_address[1]}/a.csv"
        told = self.problem("merge", url)
        self.assertIn("certificate of the server could not be verified", told)


class NobodyThereTest(FolderTest):
    def test_no_server_and_no_address(self) -> None:
        for url, told in (
            ("http://127.0.0.1:1/a.csv", "cannot be reached"),
            ("http://127.0.0.1:99999/a.csv", "not an address on the web"),
            ("http://", "not an address on the web"),
            ("http://a..b/list.csv", "not an address on the web"),
            ("http://[::1/list.csv", "not an address on the web"),
            ("http://[12]/list.csv", "not an address on the web"),
            ("http://xn--/list.csv", "not an address on the web"),
            ("http://a b/list.csv", "not an address on the web"),
            ("http://\u2603\u200b.invalid/list.csv", "not an address on the web"),
            (f"http://{'a' * 300}.invalid/list.csv", "not an address on the web"),
            ("http://%00/list.csv", "not an address on the web"),
        ):
            with self.subTest(url=url):
                self.assertIn(told, self.problem("merge", url, "--tries", "1"))


if __name__ == "__main__":
    unittest.main()
