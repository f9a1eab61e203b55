"""What a shell can make of the streams, names and limits of a program."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import threading
import time
import unittest
from collections.abc import Callable
from pathlib import Path

from tests.support import PROGRAM, FolderTest

LIST = "Berth,Boat\n" + "".join(f"N-{n},Boat {n % 97}\n" for n in range(20_000))
STOPS = ["flag", "big.csv", "--allowed", "Boat=Tern", "--severity", "stop"]

# Puts outputs in their places so slowly that somebody can interrupt it.
SLOW = """
import sys, time
from gruff_ledger.lists.outputs import places
put = places._put
def slow(staged, *, replace):
    put(staged, replace=replace)
    print("put", flush=True)
    time.sleep(0.3)
places._put = slow
from gruff_ledger.cli.main import main
main(sys.argv[1:])
"""


@unittest.skipUnless(os.name == "posix", "shells of POSIX close and limit so")
class StreamsTest(FolderTest):
    starts_anew = True

    def setUp(self) -> None:
        super().setUp()
        self.write("x.csv", "Berth,Boat\nN-1,Tern\nN-2,Seal\n")
        self.write("big.csv", LIST)

    def run_with(
        self, arguments: list[str], prepare: Callable[[], object], **streams: object
    ) -> tuple[int, str]:
        """Run the program after something was done in its process."""
        done = subprocess.run(
            [PROGRAM, *arguments],
            cwd=self.folder,
            preexec_fn=prepare,
            stderr=streams.pop("stderr", subprocess.PIPE),
            **streams,  # type: ignore[call-overload]
        )
        told = (done.stderr or b"").decode()
        self.assertNotIn("Traceback", told)
        self.assertNotIn("fault in the program", told)
        return done.returncode, told

    def test_closed_streams_are_a_problem_only_where_they_are_needed(self) -> None:
        """A file that is opened later never takes their places."""
        count = ["count", "x.csv", "--by", "Boat"]
        status, told = self.run_with(count, lambda: os.close(1))
        self.assertEqual(status, 2)
        self.assertIn("it is closed. No output was written", told)
        sort = ["sort", "x.csv", "--by", "Boat", "--to"]
        for number, closed in enumerate(([1], [2], [0, 1, 2])):
            with self.subTest(closed=closed):

                def close(closed: list[int] = closed) -> None:
                    for each in closed:
                        os.close(each)

                name = f"{number}.csv"
                status, _ = self.run_with([*sort, name], close)
                self.assertEqual(status, 0)
                self.assertEqual(self.text(name), "Berth,Boat\nN-2,Seal\nN-1,Tern\n")
        status, told = self.run_with(["count", "-", "--by", "x"], lambda: os.close(0))
        self.assertEqual(status, 2)
        self.assertIn("it is empty", told)

    @unittest.skipUnless(Path("/dev/full").exists(), "needs a device that is full")
    def test_a_full_disk_behind_a_stream_is_a_problem(self) -> None:
        """What was written to files is told all the same."""
        with Path("/dev/full").open("wb") as full:
            for arguments in (["--help"], ["count", "x.csv", "--by", "Boat"]):
                status, told = self.run_with(arguments, lambda: None, stdout=full)
                self.assertEqual(status, 2, told)
                self.assertIn("no space left on device. No output was written", told)
            arguments = ["run", "job.toml"]
            self.write(
                "job.toml",
                'docket = 1\n[lists.x]\nfrom = "x.csv"\n[[out]]\nto = "y.csv"\n',
            )
            status, told = self.run_with(arguments, lambda: None, stdout=full)
            self.assertEqual(status, 2)
            self.assertIn("this was written whole: y.csv", told)

    def test_a_reader_that_leaves_changes_no_status(self) -> None:
        """Of the work, and of help."""
        for arguments, expected in (
            (STOPS, 1),
            (["sort", "big.csv", "--by", "Boat"], 0),
            (["--help"], 0),
            (["count", "--help"], 0),
        ):
            with self.subTest(arguments=arguments):
                read, write = os.pipe()
                os.close(read)
                status, told = self.run_with(arguments, lambda: None, stdout=write)
                os.close(write)
                self.assertEqual(status, expected, told)
                self.assertNotIn("roken pipe", told)
        read, write = os.pipe()
        os.close(read)
        status, _ = self.run_with(STOPS, lambda: None, stdout=write, stderr=write)
        os.close(write)
        self.assertEqual(status, 1)

    def test_a_docket_can_come_through_a_pipe(self) -> None:
        """Its paths start from where the person is."""
        docket = 'docket = 1\n[lists.x]\nfrom = "x.csv"\n[[out]]\nto = "out/y.csv"\n'
        read, write = os.pipe()
        os.write(write, docket.encode())
        os.close(write)
        done = subprocess.run(
            [PROGRAM, "run", f"/dev/fd/{read}"],
            cwd=self.folder,
            pass_fds=[read],
            capture_output=True,
            timeout=60,
        )
        os.close(read)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(self.text("out/y.csv"), self.text("x.csv"))

    def test_too_few_addresses_are_a_problem(self) -> None:
        """And none where there is only something to be told."""
        import resource

        count = ["count", "x.csv", "--by", "Boat"]
        for megabytes, arguments, expected in (
            (150, count, 2),
            (300, count, 2),
            (900, [*count, "--to", "y.csv", "--ledger", "l"], 2),
            (300, ["--version"], 0),
        ):
            with self.subTest(megabytes=megabytes, arguments=arguments):
                limit = (megabytes << 20, megabytes << 20)
                status, told = self.run_with(
                    arguments,
                    lambda limit=limit: resource.setrlimit(resource.RLIMIT_AS, limit),  # type: ignore[misc]
                )
                self.assertEqual(status, expected, told)
                if expected:
                    self.assertIn("less than 1 GB of addresses", told)

    def test_odd_names_are_shown_and_kept_as_text(self) -> None:
        """Names that are no text, and names as long as a disk has them."""
        odd = os.fsdecode(b"m\xfcll.csv")
        self.write(odd, "Berth,Boat\nN-1,Tern\n")
        for arguments in (
            ["count", odd, "--by", "Boat"],
            ["survey", odd, "--draft-rules", "r.json", "--chart", "c.svg"],
            ["merge", odd, "x.csv", "--name-source", "List", "--to", "m.csv"],
            ["merge", odd, "x.csv", "--name-source", "List", "--to", "m.xlsx"],
            ["sort", odd, "--by", "Boat", "--json", "--to", odd + "2.csv"],
            ["sort", odd, "--by", "Boat", "--ledger", "l", "--to", odd + "3.csv"],
        ):
            with self.subTest(arguments=arguments):
                self.gruff(*arguments)
        self.assertEqual(self.records("m.csv")[0]["List"], r"m\xfcll")
        self.assertIn(r"m\\xfcll.csv", self.text("l/account.json"))
        said = self.problem("sort", odd, "--by", "Boat", "--enter", "d.toml")
        self.assertIn("Rename the file", said)
        long = "n" * 240 + ".csv"
        self.gruff("sort", "x.csv", "--by", "Boat", "--to", long)
        self.gruff("sort", long, "--by", "Boat", "--to", long[1:], "--ledger", "l2")
        self.assertEqual(self.text(long), self.text(long[1:]))


def listen() -> None:
    """Listen to interruptions, as a program in the foreground does."""
    signal.signal(signal.SIGINT, signal.default_int_handler)


@unittest.skipUnless(os.name == "posix", "signals are sent as POSIX has it")
class InterruptTest(FolderTest):
    starts_anew = True

    def test_an_interruption_waits_until_all_outputs_are_there(self) -> None:
        """And what is said is true."""
        self.write("x.csv", "Berth,Boat\nN-1,Tern\n")
        arguments = ["sort", "x.csv", "--by", "Boat", "--to", "y.csv", "--aside"]
        for number in (signal.SIGINT, signal.SIGTERM):
            with self.subTest(number=number):
                running = subprocess.Popen(
                    [sys.executable, "-c", SLOW, *arguments, "z.csv"],
                    cwd=self.folder,
                    stdout=subprocess.PIPE,
                    stderr=subprocess.PIPE,
                    preexec_fn=listen,
                )
                assert running.stdout is not None
                running.stdout.readline()
                running.send_signal(number)
                _, told = running.communicate()
                self.assertTrue((self.folder / "y.csv").exists())
                self.assertTrue((self.folder / "z.csv").exists())
                if number == signal.SIGINT:
                    self.assertEqual(running.returncode, 130)
                    self.assertIn(b"written whole: y.csv, z.csv.", told)
                else:
                    self.assertEqual(running.returncode, -number)
                for name in ("y.csv", "z.csv"):
                    (self.folder / name).unlink()

    def test_an_interruption_at_the_start_is_quiet(self) -> None:
        """Whatever is loaded just then."""
        self.write("x.csv", LIST)
        for delay in (0.06, 0.1, 0.15, 0.2, 0.3, 0.4):
            running = subprocess.Popen(
                [PROGRAM, "sort", "x.csv", "--by", "Boat", "--to", "y.xlsx"],
                cwd=self.folder,
                stderr=subprocess.PIPE,
                preexec_fn=listen,
            )
            time.sleep(delay)
            running.send_signal(signal.SIGINT)
            _, told = running.communicate()
            if running.returncode == 130:
                said = b"gruff: interrupted. No output was written or replaced."
                self.assertEqual(told.strip(), said)

    def test_one_of_two_runs_makes_a_new_output(self) -> None:
        """The other one is told so."""
        self.write("x.csv", "Berth,Boat\nN-1,Tern\n")
        arguments = ["sort", "x.csv", "--by", "Boat", "--to", "y.csv", "--aside"]
        results: list[tuple[int, bytes]] = []

        def work(aside: str) -> None:
            done = subprocess.run(
                [sys.executable, "-c", SLOW, *arguments, aside],
                cwd=self.folder,
                capture_output=True,
            )
            results.append((done.returncode, done.stderr))

        threads = [threading.Thread(target=work, args=[f"{n}/z.csv"]) for n in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        won = [status for status, _ in results if status == 0]
        self.assertEqual(len(won), 1, results)
        for status, told in results:
            if status:
                self.assertRegex(told.decode(), "appeared while|exists already")
        asides = list(self.folder.rglob("z.csv"))
        self.assertEqual(len(asides), 1)
        self.assertEqual(len(list(self.folder.rglob("*.part"))), 0)


if __name__ == "__main__":
    unittest.main()
