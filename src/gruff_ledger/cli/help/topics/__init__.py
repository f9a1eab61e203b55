"""The topics of ``gruff help``: pages beside this file, each with a title line."""

from __future__ import annotations

from importlib import resources

# In the order a newcomer needs them.
TOPICS = (
    "addresses",
    "reading",
    "writing",
    "web",
    "values",
    "match-levels",
    "formulas",
    "rules",
    "dockets",
    "ledger",
    "large-lists",
)


def topic_text(name: str) -> str:
    """Return the page of a topic."""
    return (resources.files(__name__) / f"{name}.md").read_text(encoding="utf-8")


def topic_title(name: str) -> str:
    """Return the first line of a topic: its name, and what it is about."""
    return topic_text(name).partition("\n")[0]
