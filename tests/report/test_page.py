"""The account as a page, in a real browser; and how large it may become."""

from __future__ import annotations

import html.parser
import shutil
import unittest
from typing import TYPE_CHECKING, Any

from tests.support import FolderTest

if TYPE_CHECKING:
    from pathlib import Path

BROWSER, DRIVER = shutil.which("chromium"), shutil.which("chromedriver")

# Cells that would act, were they not escaped.
HOSTILE = (
    "<script>document.title='taken'</script>",
    "<img src=x onerror=\"document.title='taken'\">",
    "</td></table><script>document.title='taken'</script>",
    "{{ 7 * 7 }}",
    "' onmouseover='document.title=1",
    "&lt;b&gt;\u202egnirts",
)
DOCKET = """docket = 1
title = "Quays <b>& boats"
control = ["Length"]
[lists.north]
from = "north.csv"
[lists.south]
from = "south.csv"
[[entry]]
do = "merge"
[[entry]]
do = "scrub"
fields = "Boat"
trim = true
[[entry]]
do = "flag"
required = "Length"
allowed = { Berth = ["N-01", "N-02", "S-01"] }
[[entry]]
do = "duplicates"
by = "Berth"
[[out]]
to = "out.csv"
"""


class _HostileTest(FolderTest):
    """A docket on lists with hostile cells, and its page."""

    def setUp(self) -> None:
        """Run the docket."""
        super().setUp()
        rows = "".join(
            f'" {cell.replace(chr(34), chr(34) * 2)}",{number}.5,Q-{number:02}\n'
            for number, cell in enumerate(HOSTILE)
        )
        self.write("north.csv", f"Boat,Length,Berth\n Tern,,N-01\nSeal,3,N-02\n{rows}")
        self.write("south.csv", "Boat,Length,Berth\nTern,4,N-01\nHeron,9,S-01\n")
        self.write("job.toml", DOCKET)
        self.gruff("run", "job.toml")
        self.page = self.folder / "ledger" / "account.html"


class PageTest(_HostileTest):
    """The page of a docket with hostile cells."""

    def test_it_has_every_part(self) -> None:
        """Sources, entries, balance, totals, findings, copies, records and cells."""
        ids = {dict(attributes).get("id") for _, attributes in _tags(self.page)}
        parts = {"sources", "entries", "outs", "balance", "control", "findings"}
        self.assertLessEqual(parts | {"groups", "aside", "changes"}, ids)

    def test_no_cell_becomes_an_element(self) -> None:
        """There is one script, nothing is fetched, and no element has a handler."""
        tags = _tags(self.page)
        names = [name for name, _ in tags]
        self.assertEqual(names.count("script"), 1)
        self.assertEqual([name for name in names if name in ("img", "b", "link")], [])
        for _, attributes in tags:
            for name, value in attributes:
                self.assertFalse(name.startswith("on"), name)
                self.assertNotIn("http", value or "")
        self.assertIn("{{ 7 * 7 }}", self.text("ledger/account.html"))

    def test_direction_marks_are_shown(self) -> None:
        """A mark that turns text around stands there as a code."""
        self.assertNotIn("\u202e", self.text("ledger/account.html"))
        self.assertIn("\\u202e", self.text("ledger/account.html"))


@unittest.skipUnless(BROWSER and DRIVER, "there is no Chromium with its driver here")
class BrowserTest(_HostileTest):
    """The same page, opened in headless Chromium."""

    def setUp(self) -> None:
        """Open the page."""
        super().setUp()
        from selenium import webdriver
        from selenium.webdriver.chrome.service import Service

        options = webdriver.ChromeOptions()
        options.binary_location = str(BROWSER)
        for argument in (
            *("--headless=new", "--no-sandbox", "--disable-gpu", "--no-first-run"),
            *("--disable-background-networking", "--disable-component-update"),
            *("--disable-sync", "--disable-quic", "--disable-dev-shm-usage"),
        ):
            options.add_argument(argument)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.browser = webdriver.Chrome(options=options, service=Service(str(DRIVER)))
        self.addCleanup(self.browser.quit)
        self.browser.get(self.page.as_uri())

    def run_script(self, script: str) -> Any:
        """Return what a script of the test's own answers."""
        return self.browser.execute_script(script)

    def test_it_loads_without_errors_and_nothing_planted_runs(self) -> None:
        """No script but its own runs; the cells stand there as text."""
        self.assertEqual(self.browser.get_log("browser"), [])
        self.assertEqual(self.browser.title, "Quays <b>& boats: account")
        text = self.run_script("return document.body.textContent")
        for cell in HOSTILE[:5]:
            self.assertIn(cell, text)
        self.assertEqual(self.run_script("return document.images.length"), 0)

    def test_the_policy_stops_scripts_put_in_later(self) -> None:
        """Were a cell not escaped, its script would still do nothing."""
        self.run_script(
            "const one = document.createElement('div');"
            "one.innerHTML = '<img src=x onerror=\"document.title=1\">';"
            "document.body.append(one);"
            "const two = document.createElement('script');"
            "two.textContent = 'document.title = 2'; document.body.append(two);"
        )
        self.assertEqual(self.browser.title, "Quays <b>& boats: account")
        self.assertIn("Content Security Policy", str(self.browser.get_log("browser")))

    def test_rows_are_found(self) -> None:
        """A filter hides rows that have not all words, and counts the others."""
        self.run_script(
            "const find = document.querySelector('[data-table=each-finding]');"
            "find.querySelector('input').value = 'north LENGTH';"
            "find.querySelector('input').dispatchEvent(new Event('input'));"
        )
        rows = self.run_script(
            "return [...document.querySelectorAll('#each-finding tbody tr')]"
            ".filter(row => !row.hidden).map(row => row.textContent)"
        )
        self.assertEqual(len(rows), 1)
        self.assertIn("north, row 2", rows[0])
        told = self.run_script("return document.querySelector('.find output').value")
        self.assertRegex(told, r"1 of \d+ shown")

    def test_rows_are_chosen_by_severity(self) -> None:
        """Of a severity that nothing has, no row is shown."""
        self.run_script(
            "const choice = document.querySelector('[data-table=each-finding] select');"
            "choice.value = 'stop'; choice.dispatchEvent(new Event('change'));"
        )
        told = self.run_script("return document.querySelector('.find output').value")
        self.assertTrue(told.startswith("0 of"), told)

    def test_rows_are_sorted(self) -> None:
        """A click on a heading sorts, numbers as numbers; another turns it round."""
        script = (
            "const table = document.querySelector('#sources + .wide table');"
            "table.querySelectorAll('th button')[1].click();"
            "return [...table.tBodies[0].rows].map(row => row.cells[1].textContent)"
        )
        up, down = self.run_script(script), self.run_script(script)
        self.assertEqual(up, ["2", "8"])
        self.assertEqual(down, ["8", "2"])

    def test_it_prints_without_its_controls(self) -> None:
        """On paper there are no fields to type in, and the copies' marks stay."""
        self.browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
        shown = self.run_script(
            "return getComputedStyle(document.querySelector('.find')).display"
        )
        self.assertEqual(shown, "none")


class SizeTest(FolderTest):
    """The page of large and wide lists."""

    def test_it_stays_small(self) -> None:
        """With very many findings, copies and long cells it is below 3 MB."""
        wide = ",".join(f"Field {number}" for number in range(120))
        cells = ",".join(f"<{'&' * 90}>" for _ in range(119))
        lines = "".join(f"{number // 2},{cells}\n" for number in range(3000))
        self.write("wide.csv", f"{wide}\n{lines}")
        self.write(
            "rules.toml",
            "rules = 1\n"
            + "".join(
                f'[[rule]]\nfield = "Field {number}"\ndatatype = "number"\n'
                for number in range(1, 100)
            ),
        )
        self.write(
            "job.toml",
            'docket = 1\n[lists.wide]\nfrom = "wide.csv"\n'
            '[[entry]]\ndo = "flag"\nrules = "rules.toml"\n'
            '[[entry]]\ndo = "scrub"\ncase = "upper"\nfill = "x"\n'
            '[[entry]]\ndo = "duplicates"\nby = "Field 0"\n'
            '[[out]]\nto = "out.csv"\n',
        )
        self.gruff("run", "job.toml", "--quiet")
        page = self.text("ledger/account.html")
        self.assertLess(len(page.encode()), 3_000_000)
        for file in ("findings.csv", "set-aside.csv"):
            self.assertIn(f"all are in <code>{file}</code>", page)


def _tags(page: Path) -> list[tuple[str, list[tuple[str, str | None]]]]:
    """Return the elements of a page with their attributes, by another reader."""
    found: list[tuple[str, list[tuple[str, str | None]]]] = []

    class Reader(html.parser.HTMLParser):
        def handle_starttag(
            self, tag: str, attrs: list[tuple[str, str | None]]
        ) -> None:
            found.append((tag, attrs))

    Reader().feed(page.read_text(encoding="utf-8"))
    return found
