"""Tests of how memory is taken from the system."""

import subprocess
import sys
import unittest
from unittest.mock import patch

import pyarrow

from gruff_ledger.system import memory

# Most of what is freed must be at hand again: faults of pages are counted while arrays
# of a stretch of records come and go.
_CODE = """
import resource, numpy, pyarrow
from gruff_ledger.system.memory import settle_memory
if {settled}:
    settle_memory()
    settle_memory()
print(pyarrow.default_memory_pool().backend_name)
made = numpy.ones(50_000)
before = resource.getrusage(resource.RUSAGE_SELF).ru_minflt
for _ in range(200):
    made = [made[:] + 1 for _ in range(8)][0]
print(resource.getrusage(resource.RUSAGE_SELF).ru_minflt - before)
"""


def told(*, settled: bool) -> tuple[str, int]:
    """Run the code in a process of its own."""
    code = _CODE.format(settled=settled)
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True
    )
    name, faults = done.stdout.split()
    return name, int(faults)


class SettleMemoryTest(unittest.TestCase):
    @unittest.skipUnless(sys.platform == "linux", "the others have no such choice")
    def test_arrays_that_come_and_go_are_not_fetched_anew(self) -> None:
        """Whoever hands it out, Arrow has an allocator that gives memory back."""
        name, faults = told(settled=True)
        self.assertIn(name, ("jemalloc", "system"))
        self.assertLess(faults, 5_000)
        self.assertLessEqual(faults, told(settled=False)[1])

    def test_after_the_last_run_that_gives_back_all_is_as_it_was(self) -> None:
        """Also where the program settled something else before."""
        giving, pool = memory._GivingBack(), pyarrow.default_memory_pool()
        giving.usual_bytes = 5
        with patch.object(memory, "_set_of_library") as told_library:
            giving.begin(1)
            giving.begin(1)
            giving.end()
            self.assertEqual(pyarrow.default_memory_pool().backend_name, "system")
            giving.end()
        sizes = [call.args[1] for call in told_library.call_args_list]
        self.assertEqual(sizes, [1, 5])
        self.assertEqual(pyarrow.default_memory_pool().backend_name, pool.backend_name)


if __name__ == "__main__":
    unittest.main()
