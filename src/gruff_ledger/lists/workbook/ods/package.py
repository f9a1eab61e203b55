"""The parts of an ODS workbook that are no records (ISO/IEC 26300-1 and -2).

Styles, the frozen heading and what names the program. They are small, and the same for
every list; only widths and styles of cells depend on it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from xml.sax.saxutils import escape, quoteattr

from gruff_ledger import __version__
from gruff_ledger.lists.typed_cells import DATE, TEXT
from gruff_ledger.lists.workbook.own_look import FONT
from gruff_ledger.outcome import Severity

MEDIA_TYPE = "application/vnd.oasis.opendocument.spreadsheet"

GENERATOR = "Gruff Ledger"

_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
_OASIS = "urn:oasis:names:tc:opendocument:xmlns:"
_NAMES = " ".join(
    f'xmlns:{prefix}="{_OASIS}{name}:1.0"'
    for prefix, name in (
        *(("office", "office"), ("table", "table"), ("text", "text")),
        *(("style", "style"), ("fo", "xsl-fo-compatible"), ("number", "datastyle")),
        *(("config", "config"), ("meta", "meta"), ("svg", "svg-compatible")),
    )
)
_NAMES += (
    ' xmlns:dc="http://purl.org/dc/elements/1.1/"'
    ' xmlns:of="urn:oasis:names:tc:opendocument:xmlns:of:1.2" office:version="1.3"'
)

# A character of the font at its size, in centimetres, and what a column has beside.
_CHARACTER_CM, _BESIDE_CM = 0.19, 0.2

# The date of the same list is always the same; see the account for when it was made.
_CREATED = "1980-01-01T00:00:00"


def fixed_parts(tabs: Sequence[str]) -> list[tuple[str, list[bytes]]]:
    """
    Return the parts that stand before the content.

    Parameters
    ----------
    tabs : sequence of str
        The names of the tabs, each with its heading frozen.
    """
    return [
        ("mimetype", [MEDIA_TYPE.encode()]),
        ("META-INF/manifest.xml", [_manifest().encode()]),
        ("meta.xml", [_meta().encode()]),
        ("settings.xml", [_settings(tabs).encode()]),
        ("styles.xml", [_styles().encode()]),
    ]


def _manifest() -> str:
    names = "urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"
    parts = ("content.xml", "meta.xml", "settings.xml", "styles.xml")
    entries = "".join(
        f'<manifest:file-entry manifest:full-path="{part}" '
        'manifest:media-type="text/xml"/>'
        for part in parts
    )
    return (
        f'{_HEAD}<manifest:manifest xmlns:manifest="{names}" manifest:version="1.3">'
        f'<manifest:file-entry manifest:full-path="/" manifest:version="1.3" '
        f'manifest:media-type="{MEDIA_TYPE}"/>{entries}</manifest:manifest>'
    )


def _meta() -> str:
    return (
        f"{_HEAD}<office:document-meta {_NAMES}><office:meta>"
        f"<meta:generator>{GENERATOR}/{__version__}</meta:generator>"
        f"<meta:creation-date>{_CREATED}</meta:creation-date>"
        "</office:meta></office:document-meta>"
    )


def _settings(tabs: Sequence[str]) -> str:
    frozen = "".join(
        f'<config:config-item config:name="{name}" config:type="{kind}">{value}'
        "</config:config-item>"
        for name, kind, value in (
            ("VerticalSplitMode", "short", 2),
            ("VerticalSplitPosition", "int", 1),
            ("ActiveSplitRange", "short", 2),
            ("PositionBottom", "int", 1),
        )
    )
    tables = "".join(
        f"<config:config-item-map-entry config:name={quoteattr(tab)}>{frozen}"
        "</config:config-item-map-entry>"
        for tab in tabs
    )
    return (
        f"{_HEAD}<office:document-settings {_NAMES}><office:settings>"
        '<config:config-item-set config:name="ooo:view-settings">'
        '<config:config-item-map-indexed config:name="Views">'
        "<config:config-item-map-entry>"
        f'<config:config-item-map-named config:name="Tables">{tables}'
        "</config:config-item-map-named></config:config-item-map-entry>"
        "</config:config-item-map-indexed></config:config-item-set>"
        "</office:settings></office:document-settings>"
    )


def _styles() -> str:
    return (
        f"{_HEAD}<office:document-styles {_NAMES}><office:font-face-decls>"
        f'<style:font-face style:name="{FONT}" svg:font-family="{FONT}"/>'
        "</office:font-face-decls><office:styles>"
        '<style:default-style style:family="table-cell"><style:text-properties '
        f'style:font-name="{FONT}" fo:font-size="10pt"/></style:default-style>'
        '<style:style style:name="Default" style:family="table-cell"/>'
        # For what a form requires and is not there.
        '<style:style style:name="missing" style:family="table-cell" '
        'style:parent-style-name="Default"><style:table-cell-properties '
        'fo:background-color="#F4B6AE"/></style:style>'
        "</office:styles></office:document-styles>"
    )


class CellStyles:
    """
    The styles of the cells of a workbook, by what they are for.

    Parameters
    ----------
    fills : mapping
        The colour of each severity.
    """

    def __init__(self, fills: Mapping[Severity, str]) -> None:
        self._fills = fills
        self._known: dict[tuple[int, Severity | None, bool], str] = {}
        self._widths: dict[float, str] = {}

    def of(
        self, kind: int, severity: Severity | None = None, *, wraps: bool = False
    ) -> str:
        """
        Return the name of the style of a cell.

        Parameters
        ----------
        kind : int
            See `typed_cells`.
        severity : Severity, optional
            Of what is said of it.
        wraps : bool
            Whether a long text goes on in the next line.
        """
        key = (kind, severity, wraps)
        return self._known.setdefault(key, f"c{len(self._known) + 1}")

    def of_width(self, characters: float) -> str:
        """Return the name of the style of a column."""
        return self._widths.setdefault(characters, f"w{len(self._widths) + 1}")

    def xml(self) -> str:
        """Return the styles."""
        kinds = sorted({kind for kind, _, _ in self._known})
        made = [_data_style(kind) for kind in kinds]
        made += [
            f'<style:style style:name="{name}" style:family="table-column">'
            "<style:table-column-properties style:column-width="
            f'"{width * _CHARACTER_CM + _BESIDE_CM:.2f}cm"/></style:style>'
            for width, name in self._widths.items()
        ]
        made.append(
            '<style:style style:name="heading" style:family="table-cell" '
            'style:parent-style-name="Default"><style:table-cell-properties '
            'fo:wrap-option="wrap" style:vertical-align="top"/>'
            '<style:text-properties fo:font-weight="bold"/></style:style>'
            '<style:style style:name="tab" style:family="table">'
            '<style:table-properties table:display="true"/></style:style>'
            '<style:style style:name="hidden" style:family="table">'
            '<style:table-properties table:display="false"/></style:style>'
        )
        for (kind, severity, wraps), name in self._known.items():
            look = f' fo:background-color="{self._fills[severity]}"' if severity else ""
            if wraps:
                look += ' fo:wrap-option="wrap" style:vertical-align="top"'
            properties = f"<style:table-cell-properties{look}/>" if look else ""
            made.append(
                f'<style:style style:name="{name}" style:family="table-cell" '
                f'style:parent-style-name="Default" '
                f'style:data-style-name="{_data_name(kind)}">{properties}</style:style>'
            )
        return "".join(made)


def _data_name(kind: int) -> str:
    return {TEXT: "text", DATE: "date"}.get(kind, f"number{kind}")


def _data_style(kind: int) -> str:
    """Return how values of a kind are shown (ISO/IEC 26300-1, 16.27)."""
    name = _data_name(kind)
    if kind == TEXT:
        return (
            f'<number:text-style style:name="{name}"><number:text-content/>'
            "</number:text-style>"
        )
    if kind == DATE:
        return (
            f'<number:date-style style:name="{name}"><number:year number:style="long"/>'
            "<number:text>-</number:text>"
            '<number:month number:style="long"/><number:text>-</number:text>'
            '<number:day number:style="long"/></number:date-style>'
        )
    return (
        f'<number:number-style style:name="{name}"><number:number '
        f'number:decimal-places="{kind}" number:min-decimal-places="{kind}" '
        'number:min-integer-digits="1"/></number:number-style>'
    )


def content_head(styles: str) -> bytes:
    """Return what stands before the tabs."""
    return (
        f"{_HEAD}<office:document-content {_NAMES}><office:automatic-styles>{styles}"
        "</office:automatic-styles><office:body><office:spreadsheet>"
    ).encode()


def content_end(ranges: Sequence[tuple[str, str, int]]) -> bytes:
    """
    Return what stands behind the tabs: where records can be picked by a field.

    Parameters
    ----------
    ranges : sequence of (tab, last column, last row)
    """
    made = "".join(
        f'<table:database-range table:name="records{number}" '
        f"table:target-range-address={quoteattr(_range(tab, column, row))} "
        'table:display-filter-buttons="true"/>'
        for number, (tab, column, row) in enumerate(ranges, 1)
    )
    listed = f"<table:database-ranges>{made}</table:database-ranges>" if made else ""
    return (
        f"{listed}</office:spreadsheet></office:body></office:document-content>"
    ).encode()


def _range(tab: str, column: str, row: int) -> str:
    quoted = "'" + tab.replace("'", "''") + "'"
    return f"{quoted}.A1:{quoted}.{column}{row}"


def note(text: str) -> str:
    """Return a note beside a cell."""
    lines = "".join(f"<text:p>{escape(line)}</text:p>" for line in text.split("\n"))
    return f'<office:annotation office:display="false">{lines}</office:annotation>'
