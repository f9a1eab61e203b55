"""Lists as Apache Parquet files: values come in as their exact text."""

from __future__ import annotations

from typing import Any, BinaryIO

import msgspec
import pyarrow as pa

from gruff_ledger.cells.numbers.plain import without_exponent
from gruff_ledger.columns.arrays import arrow_functions
from gruff_ledger.columns.storage import storage
from gruff_ledger.columns.types import Column
from gruff_ledger.field_names import make_headings
from gruff_ledger.lists.address import Fragment
from gruff_ledger.lists.bounds import Found, note_made_up, settled
from gruff_ledger.lists.output import Output
from gruff_ledger.lists.reading import Reading
from gruff_ledger.lists.reading_terms import ReadingTerms
from gruff_ledger.lists.source import Opened, hash_of
from gruff_ledger.lists.typed_cells import field_type
from gruff_ledger.problems import UnreadableSource
from gruff_ledger.table import Origin, Table

_GROUP_RECORDS = 1 << 16

# More cells than this are not held in memory.
_MOST_CELLS = 1 << 31


def read_parquet(
    opened: Opened,
    terms: ReadingTerms,
    fragment: Fragment,
    *,
    source: int = 0,
    hashed: bool = False,
) -> Reading:
    """
    Read a Parquet file: numbers and dates as their text, nulls as blanks.

    Raises
    ------
    UnreadableSource
        If it is damaged, or too large to be held.
    """
    import pyarrow.parquet as parquet

    try:
        with opened.start() as stream:
            file = parquet.ParquetFile(stream)
            facts, names = file.metadata, file.schema_arrow.names
            if facts.num_rows * max(1, len(names)) > _MOST_CELLS:
                raise UnreadableSource(
                    f"it says that it holds {facts.num_rows} records of {len(names)} "
                    "fields, which is more than can be held.",
                    "Send it in parts.",
                    file=opened.address,
                )
            gathered = storage().gathering(len(names))
            for batch in file.iter_batches(_GROUP_RECORDS):
                gathered.add(
                    [
                        pa.chunked_array([_texts(column)], pa.string())
                        for column in batch.columns
                    ]
                )
    except (pa.ArrowException, OSError, UnicodeError, ValueError) as error:
        raise UnreadableSource(
            "it is damaged: it cannot be read as a Parquet file.",
            "Ask for it again; or, if it is of another format, give `format`.",
            file=opened.address,
        ) from error
    if not names:
        raise UnreadableSource(
            "it has no fields.", "Send a list with fields.", file=opened.address
        )
    headings, made = make_headings(names)
    columns = tuple(gathered.columns())
    count = len(columns[0])
    if count != facts.num_rows:
        raise UnreadableSource(
            f"it is damaged: it says that it holds {facts.num_rows:,} records, and "
            f"{count:,} came.",
            "Ask for it again.",
            file=opened.address,
        )
    found = Found(
        Table(headings, columns, Origin.counted(source, 1, count), opened.name),
        count,
        "parquet",
        None,
        {},
        opened.size_bytes,
        hash_of(opened) if hashed else None,
        notes=note_made_up(opened.name, headings, made),
    )
    return settled(found, opened, fragment, terms)


def write_parquet(output: Output, sink: BinaryIO) -> None:
    """
    Write a list as a Parquet file.

    A field whose filled cells are all whole numbers, numbers with the same decimals, or
    dates is one of that type, and its blank cells are nulls; all others are text. Where
    the terms say so, decimals may differ.
    """
    import pyarrow.parquet as parquet

    table = output.table
    types = [_type_of(column, output.terms.typed) for column in table.all_cells]
    schema = pa.schema(list(zip(table.headings, types, strict=True)))
    with parquet.ParquetWriter(sink, schema) as writer:
        for stretch in table.stretches(_GROUP_RECORDS):
            columns = [
                _as_type(column, kind)
                for column, kind in zip(stretch(), types, strict=True)
            ]
            writer.write_table(pa.Table.from_arrays(columns, schema=schema))


def _type_of(column: Column, scales_may_differ: bool) -> Any:
    """Return the Arrow type that a field is written as."""
    found = field_type(column, scales_may_differ=scales_may_differ)
    if found is None:
        return pa.string()
    if found.kind == "decimal":
        return pa.decimal128(38, found.scale)
    return pa.int64() if found.kind == "whole" else pa.date32()


def _as_type(column: Column, kind: Any) -> Any:
    """Return a field as one of a type, blank cells as nulls where that is not text."""
    if pa.types.is_string(kind):
        return column
    functions = arrow_functions()
    blank = functions.call_function("equal", [column, pa.scalar("")])
    nulls = pa.scalar(None, pa.string())
    return functions.call_function("if_else", [blank, nulls, column]).cast(kind)


def _texts(column: Any) -> Any:
    """Return an array of any type as an array of text, nulls as empty ones."""
    import pyarrow.compute as compute

    kind = column.type
    if pa.types.is_dictionary(kind):
        column = column.dictionary_decode()
        kind = column.type
    if pa.types.is_null(kind):
        return pa.array([""] * len(column), pa.string())
    if pa.types.is_timestamp(kind):
        moments = compute.replace_substring(column.cast(pa.string()), " ", "T")
        column = compute.replace_substring_regex(moments, r"\.0+(Z?)$", r"\1")
    elif (
        pa.types.is_binary(kind)
        or pa.types.is_large_binary(kind)
        or pa.types.is_fixed_size_binary(kind)
    ):
        column = pa.array([_binary_text(each) for each in column.to_pylist()])
    elif pa.types.is_nested(kind):
        nested = (_nested_text(each) for each in column.to_pylist())
        column = pa.array(nested, pa.string())
    elif not pa.types.is_string(kind):
        if not (pa.types.is_large_string(kind) or pa.types.is_primitive(kind)):
            column = pa.array(
                [None if each is None else str(each) for each in column.to_pylist()],
                pa.string(),
            )
        is_float = pa.types.is_floating(kind)
        column = column.cast(pa.string())
        if is_float:
            column = _without_exponents(column)
    texts = column.cast(pa.string()).fill_null("")
    # What a file calls text need not be UTF-8.
    texts.validate(full=True)
    return texts


def _without_exponents(column: Any) -> Any:
    """Write the numbers of a column without exponents; few have one."""
    import pyarrow.compute as compute

    found = compute.match_substring(column, "e")
    if not compute.any(found).as_py():
        return column
    texts = [
        None if each is None else without_exponent(each) for each in column.to_pylist()
    ]
    return pa.array(texts, pa.string())


def _binary_text(value: bytes | None) -> str:
    if value is None:
        return ""
    try:
        return value.decode("utf-8")
    except UnicodeDecodeError:
        return value.hex()


def _nested_text(value: Any) -> str:
    if value is None:
        return ""
    return msgspec.json.encode(value, enc_hook=str).decode("utf-8")
