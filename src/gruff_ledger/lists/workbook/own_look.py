"""Workbooks under our own name, with fonts and colours that are nobody's.

The library that writes workbooks says in each that another program made it, and brings
that program's theme. Here both are ours (ISO/IEC 29500-1, 18 and 22; 20.1.6 for
themes).
"""

from __future__ import annotations

import contextlib
import tempfile
from types import TracebackType
from typing import Any, BinaryIO

import xlsxwriter
from xlsxwriter.exceptions import FileCreateError
from xlsxwriter.packager import Packager
from xlsxwriter.styles import Styles
from xlsxwriter.xmlwriter import XMLwriter

from gruff_ledger import __version__

# A font without serifs that every system has or replaces by one of the same widths.
FONT = "Arial"
_SIZE = 10

_HEAD = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n'
_DRAWING = "http://schemas.openxmlformats.org/drawingml/2006/main"
_PROPERTIES = (
    "http://schemas.openxmlformats.org/officeDocument/2006/extended-properties"
)

_COLOURS = {
    "dk1": "000000",
    "lt1": "FFFFFF",
    "dk2": "333333",
    "lt2": "EEEEEE",
    **{
        f"accent{number}": colour
        for number, colour in enumerate(
            ("2F6B5E", "B4652D", "5B5B8C", "8A7A2C", "7A4B5E", "4A7A8C"), 1
        )
    },
    "hlink": "2F6B5E",
    "folHlink": "5B5B8C",
}


def _theme() -> str:
    """Return a theme with plain colours, one font, and no effects."""
    colours = "".join(
        f'<a:{name}><a:srgbClr val="{value}"/></a:{name}>'
        for name, value in _COLOURS.items()
    )
    font = f'<a:latin typeface="{FONT}"/><a:ea typeface=""/><a:cs typeface=""/>'
    fill = '<a:solidFill><a:schemeClr val="phClr"/></a:solidFill>' * 3
    line = f'<a:ln w="9525">{fill[: len(fill) // 3]}</a:ln>' * 3
    effect = "<a:effectStyle><a:effectLst/></a:effectStyle>" * 3
    return (
        f'{_HEAD}<a:theme xmlns:a="{_DRAWING}" name="Gruff Ledger"><a:themeElements>'
        f'<a:clrScheme name="Gruff Ledger">{colours}</a:clrScheme>'
        f'<a:fontScheme name="Gruff Ledger"><a:majorFont>{font}</a:majorFont>'
        f"<a:minorFont>{font}</a:minorFont></a:fontScheme>"
        f'<a:fmtScheme name="Gruff Ledger"><a:fillStyleLst>{fill}</a:fillStyleLst>'
        f"<a:lnStyleLst>{line}</a:lnStyleLst><a:effectStyleLst>{effect}"
        f"</a:effectStyleLst><a:bgFillStyleLst>{fill}</a:bgFillStyleLst>"
        "</a:fmtScheme></a:themeElements></a:theme>"
    )


class _Properties(XMLwriter):  # type: ignore[misc]
    """The part that names the program."""

    def _assemble_xml_file(self) -> None:
        version = ".".join([*__version__.split("."), "0"][:2])
        self.fh.write(
            f'{_HEAD}<Properties xmlns="{_PROPERTIES}">'
            "<Application>Gruff Ledger</Application>"
            f"<AppVersion>{version}</AppVersion></Properties>"
        )
        self._xml_close()


class _Styles(Styles):  # type: ignore[misc]
    """The part with the formats of cells."""

    def _write_comment_font(self) -> None:
        self.fh.write(f'<font><sz val="8"/><name val="{FONT}"/></font>')


class _Packager(Packager):  # type: ignore[misc]
    def _write_styles_file(self) -> None:
        book, part = self.workbook, _Styles()
        part._set_style_properties(
            [
                book.xf_formats,
                book.palette,
                book.font_count,
                book.num_formats,
                book.border_count,
                book.fill_count,
                book.custom_colors,
                book.dxf_formats,
                book.has_comments,
            ]
        )
        part._set_xml_writer(self._filename("xl/styles.xml"))
        part._assemble_xml_file()

    def _write_app_file(self) -> None:
        part = _Properties()
        part._set_xml_writer(self._filename("docProps/app.xml"))
        part._assemble_xml_file()


class OwnBook(xlsxwriter.Workbook):  # type: ignore[misc]
    """
    A workbook to be written, with our name in it.

    Parameters
    ----------
    sink : binary file
    options : dict
        Of the library; cells are always taken as they are, never as formulas, links or
        numbers.
    """

    def __init__(self, sink: BinaryIO, options: dict[str, Any]) -> None:
        # What the library keeps on the disk meanwhile is what the list holds: it must
        # not stay there, whatever goes wrong.
        self._folder = None
        if not options.get("in_memory"):
            self._folder = tempfile.TemporaryDirectory(prefix="gruff-")
            options = {**options, "tmpdir": self._folder.name}
        font = {"font_name": FONT, "font_size": _SIZE, "font_scheme": "none"}
        super().__init__(
            sink,
            {
                "strings_to_formulas": False,
                "strings_to_urls": False,
                "strings_to_numbers": False,
                "use_zip64": True,
                "default_format_properties": font,
                **options,
            },
        )
        self.theme_xml = _theme()

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        try:
            if error is None:
                self.close()
        finally:
            self.fileclosed = 1
            for sheet in self.worksheets():
                # Of a tab that is written row by row.
                with contextlib.suppress(AttributeError, OSError, ValueError):
                    sheet.row_data_fh.close()
            if self._folder is not None:
                with contextlib.suppress(OSError):
                    self._folder.cleanup()

    def close(self) -> None:
        """
        Write the workbook.

        Raises
        ------
        OSError
            As the system raises it, such as for a full disk.
        """
        try:
            super().close()
        except FileCreateError as error:
            # The library wraps what the system said.
            for said in (*error.args, error.__cause__, error.__context__):
                if isinstance(said, OSError):
                    raise said from error
            raise OSError(str(error)) from error

    def _get_packager(self) -> Packager:
        return _Packager()
