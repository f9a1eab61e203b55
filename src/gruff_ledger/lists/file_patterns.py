"""Patterns of files: which files they match, in the same order on every system."""

from __future__ import annotations

from pathlib import Path

from gruff_ledger.lists.address import is_file


def matching_files(pattern: str, folder: Path | None) -> list[str]:
    """
    Return the files that a pattern matches, in the order of their names.

    Parameters
    ----------
    pattern : str
    folder : Path, optional
        What a relative pattern starts from.

    Raises
    ------
    OSError, ValueError
        If it can be no pattern of a path.
    """
    import glob

    root = None if folder is None else str(folder)
    # Not Path.glob, which takes no absolute patterns.
    matches = glob.glob(pattern, root_dir=root, recursive=True)  # noqa: PTH207
    files = [each for each in matches if is_file(each, folder)]
    return sorted(files, key=lambda each: each.replace("\\", "/"))
