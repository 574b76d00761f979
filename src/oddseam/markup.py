"""Small tables for a notebook."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from html import escape


def html_table(caption: str, header: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """A table as HTML; everything in it is plain text."""
    head = "".join(f"<th>{escape(word)}</th>" for word in header)
    body = "".join("<tr>" + "".join(f"<td>{escape(str(cell))}</td>" for cell in row) + "</tr>" for row in rows)
    return (
        f"<table><caption style='text-align:left;font-weight:bold'>{escape(caption)}</caption>"
        f"<thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"
    )
