"""Tests of `gruff demo --publish`: the stand-in for a publisher on the web."""

import os
import re
import signal
import subprocess
import unittest

import httpx

from gruff_ledger.demo.publisher import BEHAVIOURS, LISTS, Publisher
from gruff_ledger.problems import UnwritableOutput
from tests.support import PROGRAM, FolderTest


class PublishTest(FolderTest):
    def test_it_serves_until_interrupted(self) -> None:
        # Tests that run in the background are begun with Ctrl-C ignored, and what they
        # begin would be too, unless they have a handler of their own.
        before = signal.signal(signal.SIGINT, signal.default_int_handler)
        self.addCleanup(signal.signal, signal.SIGINT, before)
        # So that Ctrl-C goes to it alone, also where the tests have no terminal.
        running = subprocess.Popen(
            [str(PROGRAM), "demo", "--publish"],
            cwd=self.folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            start_new_session=os.name != "nt",
        )
        self.addCleanup(running.wait)
        self.addCleanup(running.kill)
        assert running.stdout is not None and running.stderr is not None
        self.addCleanup(running.stdout.close)
        self.addCleanup(running.stderr.close)
        said = ""
        while "End with Ctrl-C" not in said:
            line = running.stdout.readline().decode()
            self.assertTrue(line, said)
            said += line
        addresses = re.findall(r"http://\S+/\S+(?:csv|txt)", said)
        self.assertEqual(len(addresses), len(LISTS))
        for name in BEHAVIOURS:
            self.assertIn(f"  {name} ", said)
        self.gruff("merge", *addresses, "--to", "all.csv")
        self.assertGreater(len(self.records("all.csv")), 150)
        if os.name != "nt":
            running.send_signal(signal.SIGINT)
            self.assertEqual(running.wait(20), 0)
            told = running.stderr.read().decode()
            self.assertIn("200  GET /north-quay.csv", told)
            self.assertIn("No longer published", told)

    def test_mistakes_are_told(self) -> None:
        with Publisher() as publisher:
            port = publisher.address.rpartition(":")[2]
            told = self.problem("demo", "--publish", "--port", port)
            self.assertIn(f"nothing can be published at port {port}", told)
        self.assertIn("--port", self.problem("demo", "--port", "8080"))
        self.assertIn("not a folder", self.problem("demo", "here", "--publish"))
        with self.assertRaises(UnwritableOutput):
            Publisher(70000)


class TellTest(unittest.TestCase):
    def test_what_it_is_told_and_what_it_answers(self) -> None:
        with Publisher() as publisher, httpx.Client(base_url=publisher.address) as web:
            self.assertIn("/tell/LIST/BEHAVIOUR", web.get("/").text)
            self.assertEqual(web.get("/nothing.csv").status_code, 404)
            told = web.get("/tell/north-quay.cvs/fail")
            self.assertEqual(told.status_code, 404)
            self.assertIn("Did you mean 'north-quay.csv'?", told.text)
            told = web.get("/tell/north-quay.csv/fial")
            self.assertIn("Did you mean 'fail'?", told.text)
            before = web.get("/east-quay.txt")
            self.assertIn(b"Late Arrival", self.changed(web, "east-quay.txt"))
            again = web.get(
                "/east-quay.txt", headers={"If-None-Match": before.headers["etag"]}
            )
            self.assertEqual(again.status_code, 200)
            now = {"If-None-Match": again.headers["etag"]}
            self.assertEqual(web.get("/east-quay.txt", headers=now).status_code, 304)

    def changed(self, web: httpx.Client, name: str) -> bytes:
        self.assertIn("one record more", web.post(f"/tell/{name}/change").text)
        return web.get(f"/{name}").content

    def test_a_changed_list_has_one_record_more(self) -> None:
        for name in LISTS:
            with self.subTest(name=name), Publisher() as publisher:
                before, tag, _ = publisher.content(name)
                publisher.tell(name, "change")
                after, other, _ = publisher.content(name)
                whole = [line for line in before.splitlines() if line.strip(b";,\t ")]
                self.assertEqual(len(after.splitlines()), len(whole) + 1)
                self.assertNotEqual(tag, other)


if __name__ == "__main__":
    unittest.main()
