"""Tests of signals that wait until outputs are in their places."""

import os
import signal
import sys
import threading
import time
import unittest

from gruff_ledger.system.signals import hear_swallowed_interruptions, held_back


@unittest.skipUnless(os.name == "posix", "signals are sent as POSIX has it")
class HeldBackTest(unittest.TestCase):
    def setUp(self) -> None:
        """Listen to interruptions, as a program in the foreground does."""
        before = signal.signal(signal.SIGINT, signal.default_int_handler)
        self.addCleanup(signal.signal, signal.SIGINT, before)

    def test_the_block_ends_before_the_interruption(self) -> None:
        """And it is told of but once."""
        done = []
        with self.assertRaises(KeyboardInterrupt), held_back():
            os.kill(os.getpid(), signal.SIGINT)
            os.kill(os.getpid(), signal.SIGINT)
            done.append("all")
        self.assertEqual(done, ["all"])

    def test_what_goes_wrong_in_the_block_is_told_rather(self) -> None:
        """The work ends with it in any case."""
        with self.assertRaises(ValueError), held_back():
            os.kill(os.getpid(), signal.SIGINT)
            raise ValueError

    def test_signals_are_as_before_afterwards(self) -> None:
        """Those that nobody listened to among them."""
        before = signal.getsignal(signal.SIGTERM)
        ignored = signal.signal(signal.SIGHUP, signal.SIG_IGN)
        self.addCleanup(signal.signal, signal.SIGHUP, ignored)
        with held_back():
            self.assertIsNot(signal.getsignal(signal.SIGTERM), before)
            self.assertIs(signal.getsignal(signal.SIGHUP), signal.SIG_IGN)
        self.assertIs(signal.getsignal(signal.SIGTERM), before)

    def test_other_threads_run_the_block_plainly(self) -> None:
        """Only the main thread may settle what signals do."""
        done: list[str] = []

        def work() -> None:
            with held_back():
                done.append("all")

        thread = threading.Thread(target=work)
        thread.start()
        thread.join()
        self.assertEqual(done, ["all"])


class _Interrupted:
    """What is interrupted while it is taken down."""

    def __del__(self) -> None:
        raise KeyboardInterrupt


class SwallowedTest(unittest.TestCase):
    def test_an_interruption_while_an_object_is_taken_down_is_heard(self) -> None:
        """Python alone would show a traceback and go on."""
        self.addCleanup(setattr, sys, "unraisablehook", sys.unraisablehook)
        before = signal.signal(signal.SIGINT, signal.default_int_handler)
        self.addCleanup(signal.signal, signal.SIGINT, before)
        hear_swallowed_interruptions()
        with self.assertRaises(KeyboardInterrupt):
            del [_Interrupted()][0]
            time.sleep(10)
